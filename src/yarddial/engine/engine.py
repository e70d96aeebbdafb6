"""The engine itself, free of processes: takes commands, steps through blocks, reports events."""

import contextlib
import time
from collections.abc import Callable, Iterator
from typing import Literal

import msgspec
import numpy as np

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, RequestedSettings
from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.engine.clean_up import Cleaner
from yarddial.engine.intake import Direct, Nothing, Ring
from yarddial.engine.messages import (
    Cancel,
    Clean,
    CleanUp,
    Command,
    Event,
    Failed,
    Follow,
    Hear,
    Measure,
    Noticed,
    NotMeasured,
    Quit,
    RecordingState,
    RecordSamples,
    SendChannel,
    Show,
    Start,
    Started,
    Stop,
    Stopped,
    Sweep,
    SweepDone,
    Tune,
    Tuned,
    TuneRefused,
)
from yarddial.engine.taps.channel_sender import ChannelSender
from yarddial.engine.taps.ear import Ear
from yarddial.engine.taps.follower import Follower
from yarddial.engine.taps.gain_sweep import GainSweep
from yarddial.engine.taps.measurement import ENDED, Measurement
from yarddial.engine.taps.picture import PictureTap
from yarddial.engine.taps.sample_recorder import SampleRecorder
from yarddial.engine.taps.span_survey import SpanSurvey
from yarddial.engine.taps.tap import EndCause, Piece, Stream, StreamChange, StreamTap
from yarddial.yard.errors import DeviceStalled, RefusedValue, YardDialError
from yarddial.yard.level import GainsDb

# How long a step waits for samples, so that commands are never kept waiting.
WAIT_S = 0.05
# A receiver that says nothing for so long hangs; no read takes longer.
HANGS_S = 3.0
HANGS = "the receiver's driver does not answer any more: unplug it, plug it in, then start"
OFF = "the receiver does not run: Space starts it"
# Full scale is 1.
LARGEST = 1e6
DriverCall = Literal["", "opening", "applying", "reading", "closing"]
# Taps of which a job has one at a time.
TapRequest = Measure | Sweep | Hear | SendChannel | Follow | RecordSamples


def finite(block: Block) -> Block:
    """A block whose samples are numbers: what is not is silence, counted as lost, and said."""
    if np.isfinite(np.vdot(block.samples, block.samples)):
        return block
    # The sum of large numbers may overflow where none of them does.
    bad = ~np.isfinite(block.samples) | (np.abs(block.samples) > LARGEST)
    count = int(bad.sum())
    if not count:
        return block
    remark = f"{count} samples of a block were no numbers: they count as lost; look whether the format is the true one"
    return msgspec.structs.replace(
        block, samples=np.where(bad, np.complex64(0), block.samples), lost=block.lost + count, remark=remark
    )


def within(ask: RequestedSettings, able: Capabilities) -> tuple[RequestedSettings, str]:
    """What is asked, without what a receiver does not have; and what that was, in a sentence or an empty text."""
    known = {gain.name for gain in able.gains}
    missing = [f"gain stage '{name}'" for name, _ in ask.gains_db if name not in known]
    missing += ["automatic gain"] if ask.automatic_gain and not able.has_automatic_gain else []
    missing += ["choice of bandwidth"] if ask.bandwidth_hz and not able.bandwidths_hz else []
    missing += [f"bias feed on port '{ask.port}'"] if ask.bias and ask.port not in able.bias_ports else []
    possible = msgspec.structs.replace(
        ask,
        # A single socket without a name is the one that is meant.
        port="" if able.ports == ("",) else ask.port,
        gains_db=tuple(gain for gain in ask.gains_db if gain[0] in known),
        automatic_gain=ask.automatic_gain and able.has_automatic_gain,
        bandwidth_hz=ask.bandwidth_hz if able.bandwidths_hz else 0.0,
        bias=ask.bias and ask.port in able.bias_ports,
    )
    if not missing:
        return possible, ""
    return possible, f"{able.name} has no {' and no '.join(missing)}: choose the receiver anew on Bench"


class Engine:
    """One receiver, one slice of its stream, and a list of taps at it.

    With `in_thread` the receiver is read in a thread of its own, through a ring.
    """

    def __init__(
        self, open_device: Callable[[str], Device], report: Callable[[Event], None], *, in_thread: bool = False
    ) -> None:
        self._open_device = open_device
        self._report = report
        self._in_thread = in_thread
        self._device: Direct | Ring | None = None
        self._tune: Tune | None = None
        # The address whose receiver was tuned so; nothing while none was.
        self._tuned, self._address = "", ""
        self._stream: Stream | None = None
        self._slice: Decimator | None = None
        self._picture = PictureTap(report)
        self._taps: list[StreamTap] = [self._picture, SpanSurvey(report)]
        self._clean = Clean(CleanUp())
        self._cleaner: Cleaner | None = None
        self._lost = self._missed = 0
        self._able: Capabilities | None = None
        self._feeds: frozenset[str] = frozenset()
        self._left_out = ""
        self._silent_s = 0.0
        self._is_fresh = True
        # Until the first block with new settings: what was lost before it touches no tap.
        self._is_first = True
        self.hangs = False
        # The call of the driver that it is in, and since when.
        self.doing: tuple[DriverCall, float] = ("", 0.0)

    @property
    def running(self) -> bool:
        """True while there is a stream to step through."""
        return self._device is not None and self._stream is not None

    def handle(self, command: Command) -> None:
        """Do what is asked; a refusal is reported, not raised, and so is a fault of our own."""
        try:
            self._obey(command)
        except Exception as fault:
            self._fail(fault)

    def step(self) -> None:
        """Take one block through all taps."""
        try:
            self._step()
        except YardDialError as error:
            self._stop(str(error), error=type(error).__name__)
        except Exception as fault:
            self._fail(fault)

    def _obey(self, command: Command) -> None:
        match command:
            case Start():
                self._start(command)
            case Stop() | Quit():
                self._stop("")
            case Tune():
                self._tune_to(command)
            case Show():
                self._picture.show(command)
            case Clean():
                self._clean = command
                self._begin_cleaning()
            case Cancel():
                self._cancel(command.job)
            case Measure() | Sweep() | Hear() | SendChannel() | Follow() | RecordSamples():
                self._begin(command)

    def _fail(self, fault: Exception) -> None:
        """The top of the engine: whatever it is, the stream ends with it, and it is told."""
        import traceback

        self._report(Failed("the engine failed", "".join(traceback.format_exception(fault))))
        self._stop(f"the program failed while it listened ({type(fault).__name__}): Space starts the receiver again")

    @contextlib.contextmanager
    def _calling(self, what: DriverCall) -> Iterator[None]:
        """In a call of the driver, which may never come back."""
        self.doing = (what, time.monotonic())
        try:
            yield
        finally:
            self.doing = ("", 0.0)

    # The stream

    def _step(self) -> None:
        if self._device is None or self._stream is None or self._slice is None:
            return
        with self._calling("reading"):
            block = self._device.next(WAIT_S)
        if block is None:
            self._stop(ENDED)
            return
        if isinstance(block, Nothing):
            self._silent_s += block.waited_s
            if self._silent_s > HANGS_S:
                self.hangs = True
                self._stop(HANGS)
            return
        self._silent_s = 0.0
        block = finite(block)
        gap = self._count_lost(block)
        cleaned = block.samples if self._cleaner is None else self._cleaner.push(block.samples)
        piece = Piece(block.samples, cleaned, self._slice.push(cleaned), gap, self._device.read_s)
        for tap in tuple(self._taps):
            if tap in self._taps and tap.push(piece):
                self._taps.remove(tap)

    def _count_lost(self, block: Block) -> int:
        """Count what is missing before a block; returns how many samples that is since the one before it."""
        gap = block.lost + block.missed
        if gap or block.remark:
            self._lost += block.lost
            self._missed += block.missed
            self._report(Noticed(self._lost, block.remark, missed=self._missed))
        was_first, self._is_first = self._is_first, False
        return 0 if was_first else gap

    def _start(self, start: Start) -> None:
        if self._device is not None:
            self._stop("", replaced=True)
        try:
            with self._calling("opening"):
                opened = self._open_device(start.address)
        except YardDialError as error:
            self._stop(str(error), error=type(error).__name__)
            return
        self._device = Ring(opened) if self._in_thread else Direct(opened)
        self._lost, self._missed, self._silent_s, self._is_fresh = 0, 0, 0.0, True
        self._able, self._left_out = (able := opened.capabilities), ""
        self._feeds, self._address = start.feeds, start.address
        if self._tuned not in ("", start.address):
            # Another receiver's gains and port are nothing to this one: it waits to be told.
            self._tune = None
        self._report(Started(able.name, able.is_live))
        if self._tune is not None:
            self._tune_to(self._tune)

    def _stop(self, reason: str, *, replaced: bool = False, error: str = "") -> None:
        """End the stream; what can go on with another receiver does so where another takes its place."""
        for tap in tuple(self._taps):
            if tap.job == 0 or (replaced and "receiver" in tap.survives):
                continue
            self._end(tap, "stopped", reason)
        if self._device is not None:
            with self._calling("closing"):
                self._device.close()
        self._device, self._stream, self._slice, self._cleaner = None, None, None, None
        if not replaced:
            self._clean = Clean(CleanUp())
            self._picture.give_up("stopped")
        self._report(Stopped(reason, self.hangs, replaced, error))

    def _tune_to(self, tune: Tune) -> None:
        self._tune, self._tuned = tune, ""
        if self._device is None:
            return
        self._tuned = self._address
        try:
            with self._calling("applying"):
                got = self._device.apply(self._possible(tune.ask))
            got = msgspec.structs.replace(got, restart=False, port=tune.ask.port)
        except DeviceStalled:
            self.hangs = True
            self._stop(HANGS)
            return
        except YardDialError as error:
            self._report(TuneRefused(str(error), job=tune.job, id=tune.id))
            return
        change = self._change_to(got)
        self._is_fresh, self._is_first = False, True
        factor = decimation_for(got.rate_hz, tune.half_width_hz)
        self._slice = Decimator(got.rate_hz, tune.look_hz - got.centre_hz, factor)
        self._stream = stream = Stream(got, tune.look_hz, self._slice.out_rate_hz)
        for tap in tuple(self._taps):
            if change not in tap.survives:
                self._end(tap, "retuned")
        self._report(Tuned(got, self._slice.out_rate_hz, job=tune.job, id=tune.id))
        if change != "slice":
            self._begin_cleaning()
        for tap in self._taps:
            tap.begin(stream, change)

    def _change_to(self, got: ActualSettings) -> StreamChange:
        if self._is_fresh or self._stream is None:
            return "receiver"
        return "slice" if got == self._stream.got else "tuning"

    def _begin_cleaning(self) -> None:
        """Begin cleaning up anew; nothing is made while nothing is wanted."""
        is_wanted = self._clean.wanted != CleanUp() and self._stream is not None
        self._cleaner = Cleaner(self._stream.rate_hz, self._clean, self._report) if self._stream and is_wanted else None

    def _possible(self, ask: RequestedSettings) -> RequestedSettings:
        """Without what this device does not have, which is said; a recording has none of it, and needs none."""
        if self._able is None:
            return ask
        if ask.port not in self._feeds:
            ask = msgspec.structs.replace(ask, bias=False)
        possible, left_out = within(ask, self._able)
        if left_out != self._left_out and self._able.is_live:
            self._left_out = left_out
            if left_out:
                self._report(Noticed(self._lost, left_out, missed=self._missed))
        return possible

    def _set_gains(self, gains_db: GainsDb) -> None:
        """Change gains against what was tuned; with nothing, all as it was. Raises what the device raises."""
        if self._tune is None or self._device is None:
            return
        changed = dict(gains_db)
        others = tuple(gain for gain in self._tune.ask.gains_db if gain[0] not in changed)
        with self._calling("applying"):
            ask = msgspec.structs.replace(self._tune.ask, gains_db=(*others, *gains_db))
            self._device.apply(self._possible(msgspec.structs.replace(ask, automatic_gain=False) if gains_db else ask))
        self._is_first = True

    # The taps

    def _begin(self, asked: TapRequest) -> None:
        """Put a tap on the list, in the place of the job's former one of its kind; or say why that cannot be."""
        heard: Ear | None = None
        for former in tuple(self._taps):
            if former.job == asked.job and type(getattr(former, "asked", None)) is type(asked):
                heard = former if isinstance(former, Ear) else None
                self._end(former, "cancelled")
        stream = self._stream
        made: StreamTap
        if isinstance(asked, Hear | Follow | SendChannel):
            made = self._made_now(asked)
            self._taps.append(made)
            if isinstance(made, Ear) and heard is not None:
                made.take_over(heard)
            if stream is not None:
                made.begin(stream, "receiver")
            return
        if stream is None:
            self._refuse(asked, OFF)
            return
        try:
            self._taps.append(self._made(asked, stream))
        except YardDialError as error:
            self._refuse(asked, str(error))

    def _made_now(self, asked: Hear | Follow | SendChannel) -> StreamTap:
        """Those that wait for a stream."""
        match asked:
            case Hear():
                return Ear(asked, self._report)
            case Follow():
                return Follower(asked, self._report)
            case SendChannel():
                return ChannelSender(asked, self._report)

    def _made(self, asked: Measure | Sweep | RecordSamples, stream: Stream) -> StreamTap:
        match asked:
            case Measure():
                return Measurement(asked, stream, self._report)
            case RecordSamples():
                return SampleRecorder(asked, stream, self._report)
            case Sweep():
                known = {gain.name for gain in self._able.gains} if self._able is not None else set()
                missing = [name for gains in asked.settings for name, _ in gains if name not in known]
                if missing:
                    raise RefusedValue(f"the receiver has no gain '{missing[0]}' to sweep")
                return GainSweep(asked, stream, self._set_gains, self._report)

    def _refuse(self, asked: Measure | Sweep | RecordSamples, why: str) -> None:
        match asked:
            case Measure():
                self._report(NotMeasured(why, job=asked.job, id=asked.id))
            case Sweep():
                self._report(SweepDone(why, job=asked.job, id=asked.id))
            case RecordSamples():
                self._report(RecordingState(asked.path, 0.0, True, why, job=asked.job, id=asked.id))

    def _cancel(self, job: int) -> None:
        if not job:
            return
        for tap in tuple(self._taps):
            if tap.job == job:
                self._end(tap, "cancelled")
        if self._clean.job == job:
            self._clean = Clean(CleanUp())
            self._begin_cleaning()

    def _end(self, tap: StreamTap, cause: EndCause, reason: str = "") -> None:
        """Off the list first: whatever giving up does, it is done once."""
        self._taps.remove(tap)
        try:
            tap.give_up(cause, reason)
        except YardDialError as error:
            # Only setting the gains back can fail like this: the receiver is lost.
            self._stop(str(error))
