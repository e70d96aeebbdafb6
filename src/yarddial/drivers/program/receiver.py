"""A program of the person's as a device: controlled by lines, read from its pipe of samples."""

import time as clock

import numpy as np

from yarddial.drivers.program.child import Child
from yarddial.drivers.program.messages import (
    CapabilitiesLine,
    FailedLine,
    GotLine,
    LostLine,
    RefusedLine,
    RemarkLine,
    plain_line,
    read_line,
    set_line,
)
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings, TimeSource
from yarddial.dsp.sample_formats import FORMATS, as_complex, sample_bytes
from yarddial.yard.errors import BadDriver, CannotTune, DeviceLost, DeviceStalled, RefusedValue
from yarddial.yard.plain_text import one_line

BLOCK_S, STALL_S, ANSWERS_S = 0.05, 3.0, 3.0


class ProgramReceiver:
    """Counts samples as written, so that the program's sample numbers can be placed among them."""

    def __init__(self, command: str, time: TimeSource) -> None:
        self._time = time
        self._child = Child(command)
        self._got: GotLine | None = None
        self._number = 0
        # Number of the first held sample in the program's count, and of the next one in ours.
        self._written = self._index = 0
        # Samples before this number were taken with former settings.
        self._stale_before = 0
        self._losses: list[LostLine] = []
        self._remark = ""
        self._started_s: float | None = None
        self._given = 0
        try:
            self._child.send(plain_line("capabilities"))
            answer = self._answered(None)
            if not isinstance(answer, CapabilitiesLine):
                raise BadDriver(f"the program {self._child.name} did not say first what it can: see docs/program.md")
            self._format = answer.format
            self._capabilities = answer.capabilities()
        except BaseException:
            self._child.close()
            raise
        self._size = sample_bytes(self._format)

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities as the program reports them."""
        return self._capabilities

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Request all settings at once; raises CannotTune or RefusedValue with the program's words."""
        self._number += 1
        self._child.send(set_line(self._number, ask))
        answer = self._answered(self._number)
        if isinstance(answer, RefusedLine):
            why = f"the program {self._child.name}: {one_line(answer.why)}"
            raise CannotTune(why, ask.centre_hz) if answer.what == "centre" else RefusedValue(why)
        if not isinstance(answer, GotLine):
            raise BadDriver(f"the program {self._child.name} did not answer what it had set: see docs/program.md")
        if not answer.rate_hz > 0 or answer.from_sample < 0:
            raise BadDriver(f"the program {self._child.name} says it set a rate of {answer.rate_hz:g}: change it")
        restart = self._got is None
        if self._got is None or self._got.rate_hz != answer.rate_hz:
            self._started_s, self._given = None, 0
        self._got = answer
        self._drop_before(answer.from_sample)
        return answer.settings(restart)

    def _answered(self, number: int | None) -> GotLine | RefusedLine | CapabilitiesLine:
        """Wait for an answer; hold samples that arrive meanwhile, or drop them when there are too many."""
        until_s = clock.monotonic() + ANSWERS_S
        while True:
            alive = self._child.take(0.05)
            answer = self._obey(number)
            if answer is not None:
                return answer
            if not alive:
                raise self._child.ended()
            if len(self._child.samples) > 1 << 19 and number is not None:
                self._forget(len(self._child.samples) // self._size)
            if clock.monotonic() > until_s:
                what = "its capabilities" if number is None else "what it has set"
                raise DeviceStalled(f"the program {self._child.name} did not say {what} for {ANSWERS_S:g} s", ANSWERS_S)

    def _obey(self, number: int | None = None) -> GotLine | RefusedLine | CapabilitiesLine | None:
        """Process received lines; return the awaited answer if it is among them."""
        answer: GotLine | RefusedLine | CapabilitiesLine | None = None
        lines, self._child.lines = self._child.lines, []
        for text in lines:
            line = read_line(text)
            match line:
                case GotLine() | RefusedLine():
                    answer = line if line.id == number else answer
                case CapabilitiesLine():
                    answer = line if number is None else answer
                case LostLine():
                    if line.count < 0:
                        raise BadDriver(f"the program {self._child.name} says it lost {line.count} samples: change it")
                    self._losses.append(line)
                case RemarkLine():
                    self._remark = one_line(line.text)
                case FailedLine():
                    raise DeviceLost(f"the program {self._child.name}: {one_line(line.why)}")
        return answer

    def _drop_before(self, number: int) -> None:
        """Drop samples taken with former settings; they count neither as delivered nor as lost."""
        self._stale_before = number
        held = len(self._child.samples) // self._size
        self._forget(min(max(number - self._written, 0), held))

    def _forget(self, count: int) -> None:
        del self._child.samples[: count * self._size]
        self._written += count

    def read(self) -> Block | None:
        """Next samples; None at the end.

        Raises
        ------
        DeviceStalled
            Nothing came for three seconds.
        DeviceLost
            The program ended, died or failed.
        BadDriver
            It wrote something that its documentation page does not allow.
        """
        got = self._got
        if got is None:
            raise DeviceStalled(f"the program {self._child.name} has not been set yet", 0.0)
        count = max(int(got.rate_hz * BLOCK_S), 64)
        began_s = heard_s = clock.monotonic()
        while True:
            before = len(self._child.samples)
            alive = self._child.take(0.1, limit=2 * count * self._size)
            self._obey()
            self._drop_before(self._stale_before)
            now_s = clock.monotonic()
            whole = len(self._child.samples) // self._size
            if whole >= count or (whole and (not alive or now_s - began_s > 4 * BLOCK_S)):
                return self._block(min(whole, count), got.rate_hz)
            if not alive or not self._child.gives_samples:
                if self._child.samples:
                    odd = len(self._child.samples)
                    self._child.samples.clear()
                    self._remark = f"the program ended in the middle of a sample: {odd} bytes were left out"
                raise self._child.ended()
            if len(self._child.samples) != before:
                heard_s = now_s
            elif now_s - heard_s > STALL_S:
                raise DeviceStalled(
                    f"the program {self._child.name} gave no samples for {STALL_S:g} s: see whether it runs", STALL_S
                )

    def _block(self, count: int, rate_hz: float) -> Block:
        lost = sum(line.count for line in self._losses if line.at_sample <= self._written)
        self._losses = [line for line in self._losses if line.at_sample > self._written]
        # A block has no gap inside, so it ends where a loss was reported.
        ahead = min((line.at_sample - self._written for line in self._losses), default=count)
        count = min(count, ahead)
        data = bytes(self._child.samples[: count * self._size])
        self._forget(count)
        samples = as_complex(np.frombuffer(data, FORMATS[self._format][0]), self._format)
        self._index += lost
        block = Block(samples, self._index, lost, remark=self._remark)
        self._index += count
        self._remark = ""
        self._pace(count, rate_hz)
        return block

    def _pace(self, count: int, rate_hz: float) -> None:
        """Hold a program that has its samples ready, as from a file, to its rate."""
        now_s = self._time.now_s()
        if self._started_s is None:
            self._started_s = now_s
        self._given += count
        due_s = self._started_s + self._given / rate_hz
        if due_s < now_s - 1.0:
            self._started_s += now_s - due_s
        self._time.sleep_s(due_s - now_s)

    def close(self) -> None:
        """End the program."""
        self._child.close()
