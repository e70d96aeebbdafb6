"""A transceiver on a serial port, by a table of its commands: one question at a time."""

import math
import os
import termios
import time
from collections import deque
from collections.abc import Callable
from typing import Protocol

from yarddial.drivers.rig.command_table import CommandTable, TableCommand, filled, reading
from yarddial.drivers.rig.key_handle import KeyHandle
from yarddial.drivers.rig.protocol import (
    PATIENCE_S,
    ReadRig,
    RigAnswer,
    RigGone,
    RigOrder,
    RigRefused,
    RigSilent,
    RigState,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
)
from yarddial.yard.errors import YardDialError

MAX_BYTES = 256


class SerialPort(Protocol):
    """A serial port; reading raises OSError once it is gone."""

    timeout: float | None

    def write(self, data: bytes, /) -> int | None:
        """Send bytes."""
        ...

    def read_until(self, expected: bytes, size: int | None = None) -> bytes:
        """Read until an end mark, or return what arrived in time."""
        ...

    def reset_input_buffer(self) -> None:
        """Discard unread bytes."""
        ...

    def close(self) -> None:
        """Close the line."""
        ...


def open_port(device: str, table: CommandTable, speed: int = 0) -> SerialPort:
    """Open a serial line; raises RigGone in one sentence."""
    import serial

    try:
        port: SerialPort = serial.Serial(
            device, speed or table.speed, stopbits=table.stop_bits, timeout=PATIENCE_S, write_timeout=PATIENCE_S,
            exclusive=True,
        )  # fmt: skip
    except (OSError, ValueError) as error:
        number = getattr(error, "errno", None)
        why = (
            "another program has it" if "lock" in str(error).lower() else os.strerror(number) if number else str(error)
        )
        raise RigGone(f"the serial line {device} cannot be opened: {why}") from error
    return port


class TableLink:
    """Link over one serial line."""

    depth = 1

    def __init__(self, table: CommandTable, port: SerialPort, device: str = "", patience_s: float = PATIENCE_S) -> None:
        self._table, self._port, self._device = table, port, device
        self._patience_s = patience_s
        self._end = table.terminator.encode("ascii")
        self._waiting: deque[tuple[RigOrder, float]] = deque()
        port.timeout = patience_s

    def begin(self, order: RigOrder) -> None:
        """Queue an order; it is executed when its answer is asked for."""
        self._waiting.append((order, time.monotonic()))

    def answers(self, wait_s: float) -> list[RigAnswer]:
        """Execute queued orders; each takes as long as the serial port does."""
        if not self._waiting:
            time.sleep(wait_s)
            return []
        order, _ = self._waiting.popleft()
        asked_s = time.monotonic()
        try:
            return [RigAnswer(order, asked_s, self._do(order))]
        except RigGone:
            raise
        except YardDialError as error:
            return [RigAnswer(order, asked_s, failure=error)]

    def open_key(self) -> KeyHandle:
        """Refuse: a table of commands holds none that transmits."""
        raise RigRefused("by a table of commands nothing is made to transmit: press its own key")

    def close(self) -> None:
        """Close the port."""
        self._port.close()

    def _do(self, order: RigOrder) -> RigState | None:
        table = self._table
        match order:
            case ReadRig():
                return self._state()
            case SetRigFrequency(hertz=hertz):
                if not (math.isfinite(hertz) and hertz > 0):
                    raise RigRefused(f"{hertz:g} Hz is nothing to tune a transceiver to")
                self._set(table.frequency, "a frequency", hertz=round(hertz))
            case SetRigMode(mode=mode):
                names = table.mode.names if table.mode is not None else {}
                sign = next((sign for sign, name in names.items() if name.upper() == mode.upper()), None)
                if sign is None:
                    raise RigRefused(f"the table knows no mode {mode}")
                self._set(table.mode, "a mode", mode=sign)
            case SetRigSplit(transmit_hz=transmit_hz):
                if transmit_hz is not None:
                    self._set(table.transmit_frequency, "a place to transmit", hertz=round(transmit_hz))
                wanted = "no" if transmit_hz is None else "yes"
                names = table.split.names if table.split is not None else {}
                flag = next((sign for sign, name in names.items() if name == wanted), "")
                self._set(table.split, "split", flag=flag)
        return None

    def _state(self) -> RigState:
        table = self._table
        hertz = self._ask(table.frequency, "hertz")
        if hertz is None or not 0 < int(hertz) < 1e12:
            raise RigSilent(f"the transceiver gave no frequency that can be: {hertz}")
        mode = self._ask(table.mode, "mode")
        flag, split = self._ask(table.transmitting, "flag"), self._ask(table.split, "flag")
        transmit_hz = self._ask(table.transmit_frequency, "hertz") if _means(table.split, split) else None
        return RigState(
            float(hertz),
            table.mode.names.get(mode, mode).upper() if mode is not None and table.mode is not None else "",
            None,
            _means(table.transmitting, flag),
            float(transmit_hz) if transmit_hz is not None else None,
        )

    def _ask(self, command: TableCommand | None, what: str) -> str | None:
        """Ask a command; None where the table lacks it. Raises RigSilent without an answer."""
        if command is None or not command.ask:
            return None
        pattern = reading(command.answer)
        line = self._exchange(command.ask, lambda text: pattern.match(text) is not None)
        match = pattern.match(line)
        return match.group(what) if match is not None else None

    def _set(self, command: TableCommand | None, what: str, **values: str | int) -> None:
        if command is None or not command.set:
            raise RigRefused(f"the table has no way to set {what}")
        words = filled(command.set, **values)
        if self._table.confirms_sets:
            self._exchange(words, lambda _: True)
        else:
            self._write(words)

    def _write(self, words: str) -> None:
        try:
            self._port.reset_input_buffer()
            self._port.write(words.encode("ascii", "replace") + self._end)
        except (OSError, termios.error) as error:
            raise RigGone(f"the serial line {self._device} broke: is the cable in?") from error

    def _exchange(self, words: str, fits: Callable[[str], bool]) -> str:
        """Send words and wait for the answer that fits; ignore everything else."""
        until_s = time.monotonic() + self._patience_s
        self._write(words)
        try:
            while time.monotonic() < until_s:
                self._port.timeout = max(until_s - time.monotonic(), 0.01)
                came = self._port.read_until(self._end, MAX_BYTES)
                text = came.removesuffix(self._end).decode("ascii", "replace").strip("\r\n ")
                if came.endswith(self._end) and fits(text):
                    return text
        except (OSError, termios.error) as error:
            raise RigGone(f"the serial line {self._device} broke: is the cable in?") from error
        raise RigSilent(f"no answer to '{words}' within {self._patience_s:g} s: look at speed and cable")


def _means(command: TableCommand | None, flag: str | None) -> bool | None:
    """Interpret a flag: yes, no or unknown."""
    if command is None or flag is None:
        return None
    return {"yes": True, "no": False}.get(command.names.get(flag, ""))
