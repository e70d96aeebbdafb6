"""The engine itself, free of processes: takes commands, steps through blocks, reports events."""

from collections import deque
from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Ask, Block, Device, Got
from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.dsp.survey import SpanSurveyor
from yarddial.session.engine.ear import Cleaner, Ear
from yarddial.session.engine.follower import Follower
from yarddial.session.engine.gain_sweep import GainSweep
from yarddial.session.engine.intake import Direct, Nothing, Ring
from yarddial.session.engine.keeper import Keeper
from yarddial.session.engine.measurement import Measurement
from yarddial.session.engine.messages import (
    TOGETHER,
    CancelMeasure,
    CancelSweep,
    CleanUp,
    Columns,
    Command,
    Event,
    Follow,
    Hear,
    KeepSamples,
    Kept,
    Look,
    Looking,
    Measure,
    Noticed,
    NotMeasured,
    Refused,
    Show,
    SpanLine,
    Start,
    Started,
    Stop,
    StopKeeping,
    Stopped,
    Sweep,
    SweepDone,
)
from yarddial.session.engine.picture import Picture
from yarddial.yard.errors import DeviceStalled, NotWritten, YardDialError

# Slice kept for redrawing the picture after a change of zoom.
MEMORY_S = 45.0
# 32 MB at most, whatever the slice's rate.
MEMORY_SAMPLES = 4_000_000
# The span's line: so often.
SPAN_S = 0.25
# How long a step waits for samples, so that commands are never kept waiting.
WAIT_S = 0.05
# A receiver that says nothing for so long hangs; no read takes longer.
HANGS_S = 3.0
HANGS = "the receiver's driver does not answer any more: unplug it, plug it in, then start"


class Engine:
    """One receiver, one slice, one picture, at most one measurement.

    With `in_thread` the receiver is read in a thread of its own, through a ring.
    """

    def __init__(
        self, open_device: Callable[[str], Device], report: Callable[[Event], None], *, in_thread: bool = False
    ) -> None:
        self._open_device = open_device
        self._report = report
        self._in_thread = in_thread
        self._device: Direct | Ring | None = None
        self._got: Got | None = None
        self._surveyor = SpanSurveyor()
        self._surveyed = 0
        self._look: Look | None = None
        self._slice: Decimator | None = None
        self._show = Show(0, 100.0, 256, 0.1)
        self._picture: Picture | None = None
        self._memory: deque[NDArray[np.complex64]] = deque()
        self._remembered = 0
        self._measurement: Measurement | None = None
        self._lost = 0
        self._gains: frozenset[str] = frozenset()
        self._silent_s = 0.0
        self._fresh = True
        self._next_index: int | None = None
        self._sweep: GainSweep | None = None
        self._sweep_asked: Sweep | None = None
        self._clean_up = CleanUp()
        self._cleaner: Cleaner | None = None
        self._hear = Hear(0, 0.0, None)
        self._ear: Ear | None = None
        self._keeper: Keeper | None = None
        self._follow = Follow(0, 0.0, 0.0)
        self._follower: Follower | None = None
        self.hangs = False

    @property
    def running(self) -> bool:
        """True while there is a stream to step through."""
        return self._device is not None and self._slice is not None

    def handle(self, command: Command) -> None:
        """Do what is asked; a refusal is reported, not raised."""
        match command:
            case Start():
                self._start(command.address)
            case Stop():
                self._stop("")
            case Look():
                self._look_at(command)
            case Show():
                self._redraw(command)
            case Measure():
                self._begin_measurement(command)
            case Follow():
                self._follow = command
                self._begin_following()
            case CancelMeasure():
                self._measurement = None
            case Sweep():
                self._begin_sweep(command)
            case CancelSweep():
                self._end_sweep("cancelled")
            case Hear():
                self._hear = command
                self._listen()
            case CleanUp():
                self._clean_up = command
                self._clean()
            case KeepSamples():
                self._keep(command)
            case StopKeeping():
                self._stop_keeping("")
            case _:
                self._stop("")

    def step(self) -> None:
        """Take one block through slice, picture and measurement."""
        if self._device is None or self._slice is None:
            return
        try:
            block = self._device.next(WAIT_S)
        except YardDialError as error:
            self._stop(str(error))
            return
        if block is None:
            if self._measurement is not None:
                self._measurement.finish()
                self._measurement = None
            self._stop("the recording has ended: press Space to play it again")
            return
        if isinstance(block, Nothing):
            self._silent_s += block.waited_s
            if self._silent_s > HANGS_S:
                self.hangs = True
                self._stop(HANGS)
            return
        self._silent_s = 0.0
        # A gap in the counter that nobody announced is a loss all the same.
        gap = max(block.first_index - self._next_index, block.lost) if self._next_index is not None else block.lost
        self._next_index = block.first_index + block.samples.size
        if gap or block.remark:
            self._lost += gap
            self._report(Noticed(self._lost, block.remark))
        if self._keeper is not None and not self._keeper.push(block.samples, gap):
            self._keeper = None
        self._grow_sweep(block.samples)
        if not self.running:
            return
        if self._measurement is not None:
            self._measurement.watch(block.samples)
        if self._cleaner is not None:
            block = msgspec.structs.replace(block, samples=self._cleaner.push(block.samples))
        self._survey(block)
        if self._ear is not None:
            self._ear.push(block.samples)
        if self._follower is not None:
            self._follower.push(block.samples)
        narrow = self._slice.push(block.samples)
        self._remember(narrow)
        self._draw(narrow)
        if self._measurement is not None and self._measurement.push(narrow):
            self._measurement = None

    def _start(self, address: str) -> None:
        if self._device is not None:
            self._stop("")
        try:
            opened = self._open_device(address)
        except YardDialError as error:
            self._report(Stopped(str(error)))
            return
        self._device = Ring(opened) if self._in_thread else Direct(opened)
        self._lost, self._silent_s, self._fresh = 0, 0.0, True
        able = opened.capabilities
        self._gains = frozenset(gain.name for gain in able.gains)
        self._report(Started(able.name, able.is_live))
        if self._look is not None:
            self._look_at(self._look)

    def _keep(self, asked: KeepSamples) -> None:
        self._stop_keeping("another recording was begun")
        if self._device is None or self._got is None:
            self._report(Kept(asked.path, 0.0, True, "the receiver does not run: Space starts it"))
            return
        try:
            self._keeper = Keeper(asked, self._got, self._report)
        except NotWritten as error:
            self._report(Kept(asked.path, 0.0, True, str(error)))

    def _stop_keeping(self, why: str) -> None:
        keeper, self._keeper = self._keeper, None
        if keeper is not None:
            keeper.close(why)

    def _stop(self, reason: str) -> None:
        self._stop_keeping(reason)
        if self._device is not None:
            self._device.close()
        self._device, self._slice = None, None
        if self._sweep_asked is not None:
            self._report(SweepDone(self._sweep_asked.id, "the receiver stopped"))
        self._sweep = self._sweep_asked = None
        self._give_up_measurement("the receiver stopped before the measurement was done")
        self._report(Stopped(reason, self.hangs))

    def _look_at(self, look: Look) -> None:
        self._look = look
        if self._device is None:
            return
        try:
            got = self._device.apply(self._able(look.ask))
        except DeviceStalled:
            self.hangs = True
            self._stop(HANGS)
            return
        except YardDialError as error:
            self._report(Refused(look.id, str(error)))
            return
        is_new = self._got is None or msgspec.structs.replace(got, restart=False) != self._got
        if is_new:
            self._stop_keeping("the receiver was set differently")
        self._got = msgspec.structs.replace(got, restart=False)
        self._next_index = None
        self._surveyor = SpanSurveyor()
        self._surveyed = 0
        factor = decimation_for(got.rate_hz, look.half_width_hz)
        self._slice = Decimator(got.rate_hz, look.look_hz - got.centre_hz, factor)
        self._memory.clear()
        self._remembered = 0
        self._give_up_measurement("the receiver was set differently meanwhile: measure again")
        self._report(Looking(look.id, got, self._slice.out_rate_hz))
        if is_new or self._fresh:
            # A picture of another piece of the same span leaves what is heard alone.
            self._fresh = False
            self._clean()
            self._listen()
            self._begin_following()
        self._redraw(self._show)

    def _clean(self) -> None:
        """Begin cleaning up anew; nothing is made while nothing is wanted."""
        wanted = self._clean_up != CleanUp() and self._got is not None
        self._cleaner = Cleaner(self._got.rate_hz, self._clean_up, self._report) if wanted and self._got else None

    def _listen(self) -> None:
        """Begin hearing anew."""
        if self._hear.settings is None:
            self._ear = None
        elif self._got is not None:
            self._ear = Ear(self._report)
            self._ear.listen(self._hear, self._got.rate_hz, self._got.centre_hz)

    def _able(self, ask: Ask) -> Ask:
        """Without the gain stages that this device does not have: a recording has none."""
        gains = tuple(gain for gain in ask.gains_db if gain[0] in self._gains)
        return msgspec.structs.replace(ask, gains_db=gains)

    def _begin_sweep(self, sweep: Sweep) -> None:
        missing = [name for gains in sweep.settings for name, _ in gains if name not in self._gains]
        if self._device is None or self._got is None or self._look is None or missing:
            what = f"has no gain '{missing[0]}' to sweep" if missing else "does not run"
            self._report(SweepDone(sweep.id, f"the receiver {what}"))
            return
        self._sweep_asked = sweep
        self._sweep = GainSweep(sweep, self._got.rate_hz, self._look.look_hz + sweep.middle_hz - self._got.centre_hz)
        self._next_gain()

    def _grow_sweep(self, samples: NDArray[np.complex64]) -> None:
        if self._sweep is not None and (point := self._sweep.push(samples)) is not None:
            self._report(point)
            self._next_gain()

    def _next_gain(self) -> None:
        if self._sweep is None or self._sweep_asked is None or self._look is None or self._device is None:
            return
        gains_db = self._sweep.next_gains_db()
        if gains_db is None:
            self._end_sweep("")
            return
        if not gains_db:
            return
        changed = dict(gains_db)
        others = tuple(gain for gain in self._look.ask.gains_db if gain[0] not in changed)
        ask = msgspec.structs.replace(self._look.ask, gains_db=(*others, *gains_db))
        try:
            self._device.apply(self._able(ask))
        except YardDialError as error:
            self._stop(str(error))

    def _end_sweep(self, reason: str) -> None:
        """Set the gain back; what was measured stays told."""
        asked, self._sweep, self._sweep_asked = self._sweep_asked, None, None
        if asked is None:
            return
        if self._look is not None and any(asked.settings):
            self._look_at(self._look)
        self._report(SweepDone(asked.id, reason))

    def _redraw(self, show: Show) -> None:
        """Begin the picture anew and fill it from what is remembered."""
        self._show = show
        if self._slice is None or self._look is None:
            return
        self._picture = Picture(self._slice.out_rate_hz, show.half_span_hz, show.rows, show.column_s)
        if self._memory:
            self._draw(np.concatenate(tuple(self._memory)))

    def _survey(self, block: Block) -> None:
        """The whole span, every sample of it."""
        if self._got is None:
            return
        self._surveyor.push(block.samples)
        self._surveyed += block.samples.size
        if self._surveyed < SPAN_S * self._got.rate_hz:
            return
        seen = self._surveyor.result()
        self._surveyor.clear()
        self._surveyed = 0
        if seen.count:
            mean_db, peak_db = (level_db.reshape(-1, TOGETHER).max(axis=1) for level_db in (seen.mean_db, seen.peak_db))
            self._report(SpanLine(self._got.centre_hz, self._got.rate_hz, mean_db, peak_db, seen.spike_db))

    def _draw(self, narrow: NDArray[np.complex64]) -> None:
        if self._picture is None:
            return
        first = self._picture.next_column
        level_db = self._picture.push(narrow)
        if level_db.size and self._device is not None:
            half_span_hz, read_s = self._picture.half_span_hz, self._device.read_s
            self._report(Columns(self._show.id, first, half_span_hz, self._picture.column_s, level_db, read_s))

    def _remember(self, narrow: NDArray[np.complex64]) -> None:
        self._memory.append(narrow)
        self._remembered += narrow.size
        assert self._slice is not None
        most = min(int(MEMORY_S * self._slice.out_rate_hz), MEMORY_SAMPLES)
        while self._remembered - self._memory[0].size > most:
            self._remembered -= self._memory.popleft().size

    def _begin_following(self) -> None:
        """Follow anew; a line outside the span is none."""
        self._follower, asked, got = None, self._follow, self._got
        if asked.every_s and got is not None and abs(asked.follow_hz - got.centre_hz) < got.rate_hz / 2:
            self._follower = Follower(asked, got.rate_hz, got.centre_hz, self._report)

    def _begin_measurement(self, asked: Measure) -> None:
        if self._slice is None:
            self._report(NotMeasured(asked.id, "the receiver does not run: Space starts it"))
            return
        self._measurement = Measurement(asked, self._slice.out_rate_hz, self._report)

    def _give_up_measurement(self, why: str) -> None:
        if self._measurement is not None:
            self._report(NotMeasured(self._measurement.asked.id, why))
            self._measurement = None
