"""The engine, independent of processes: takes commands, steps through blocks, reports events."""

import contextlib
import time
from collections.abc import Callable, Iterator
from typing import Literal

import msgspec

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, RequestedSettings
from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.engine.broken_blocks import MAX_FILLED_GAP_S, finite, narrowed
from yarddial.engine.clean_up import Cleaner
from yarddial.engine.commands import (
    Cancel,
    Clean,
    CleanUp,
    Command,
    Follow,
    Hear,
    Measure,
    OnTuning,
    Quit,
    RecordSamples,
    SendChannel,
    SetSafeguards,
    Show,
    Start,
    Stop,
    Sweep,
    Tune,
)
from yarddial.engine.events import (
    Event,
    Failed,
    Noticed,
    SafeguardsSet,
    Started,
    Stopped,
    Tuned,
    TuneRefused,
)
from yarddial.engine.intake import Direct, Nothing, Ring
from yarddial.engine.patience import USUAL_PATIENCE, Patience
from yarddial.engine.receiver_settings import guard_of, possible_settings
from yarddial.engine.tap_list import TapList, TapRequest
from yarddial.engine.taps.tap import EndCause, Piece, StreamChange
from yarddial.engine.tuning import GuardState, Safeguards, Tuning
from yarddial.yard.errors import BadDriver, DeviceLost, DeviceStalled, YardDialError
from yarddial.yard.level import GainsDb

# Maximum wait for samples in a step, so that commands are served promptly.
WAIT_S = 0.05
HANGING_REASON = "the receiver's driver does not answer any more: unplug it, plug it in, then start"
OFF_REASON = "the receiver does not run: Space starts it"
RECORDING_ENDED = "the recording has ended: press Space to play it again"
DriverCall = Literal["", "opening", "applying", "reading", "closing"]


class Engine:
    """One receiver, one slice of its stream, and a list of taps.

    With `in_thread` the receiver is read in a thread of its own, through a ring.
    """

    def __init__(
        self,
        open_device: Callable[[str], Device],
        report: Callable[[Event], None],
        *,
        in_thread: bool = False,
        patience: Patience = USUAL_PATIENCE,
    ) -> None:
        self._open_device = open_device
        self._report = report
        self._in_thread, self._patience = in_thread, patience
        self._device: Direct | Ring | None = None
        # Latest request to tune, and the address whose receiver it was for.
        self._wanted: Tune | None = None
        self._wanted_of, self._address = "", ""
        # Last tuning that the driver acknowledged; and a request refused since then, with its sentence.
        self._tuning: Tuning | None = None
        self._refused: tuple[int, str] = (0, "")
        self._safeguards = Safeguards()
        self._slice: Decimator | None = None
        self._taps = TapList(report, self._set_gains, lambda error: self._stop(str(error)))
        self._clean = Clean(CleanUp())
        self._cleaner: Cleaner | None = None
        self._lost = self._missed = 0
        # Streaming time by the count of samples.
        self._at_s = 0.0
        self._able: Capabilities | None = None
        self._left_out = ""
        self._silent_s = 0.0
        self._is_fresh = True
        # True until the first block with new settings: losses before it affect no tap.
        self._is_first = True
        self.hangs = False
        # Present call of the driver, and its start.
        self.doing: tuple[DriverCall, float] = ("", 0.0)

    @property
    def running(self) -> bool:
        """True while there is a stream to step through."""
        return self._device is not None and self._tuning is not None

    def handle(self, command: Command) -> None:
        """Execute a command; refusals and internal faults are reported, not raised."""
        try:
            self._obey(command)
        except Exception as fault:
            self._fail(fault)

    def step(self) -> None:
        """Pass one block through all taps."""
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
            case SetSafeguards():
                self._set_safeguards(command)
            case Tune():
                self._tune_to(command)
            case Show():
                self._taps.show(command)
            case Clean():
                self._clean = command
                self._begin_cleaning()
            case Cancel():
                self._cancel(command.job)
            case Measure() | Sweep() | Hear() | SendChannel() | Follow() | RecordSamples():
                self._taps.begin(command, self._tuning, self._able, self._why_not(command))

    def _why_not(self, request: TapRequest) -> str:
        """Reason why a request cannot be served on the tuning that it names; empty when it can."""
        if self._tuning is None:
            return self._refused[1] or OFF_REASON
        if not isinstance(request, OnTuning) or request.tuning == self._tuning.id:
            return ""
        refused_id, sentence = self._refused
        if sentence and refused_id == request.tuning:
            return sentence
        return "the receiver was set differently meanwhile: measure again"

    def _fail(self, fault: Exception) -> None:
        """End the stream on any error and report it; the engine's top-level handler."""
        import traceback

        self._report(Failed("the engine failed", "".join(traceback.format_exception(fault))))
        self._stop(f"the program failed while it listened ({type(fault).__name__}): Space starts the receiver again")

    @contextlib.contextmanager
    def _calling(self, what: DriverCall) -> Iterator[None]:
        """Mark a call of the driver, which may never return."""
        self.doing = (what, time.monotonic())
        try:
            yield
        except (SystemExit, KeyboardInterrupt) as error:
            name = type(error).__name__
            raise BadDriver(f"the receiver's driver wants to end the program ({name}): ask its maker") from error
        finally:
            self.doing = ("", 0.0)

    # The stream

    def _step(self) -> None:
        tuning = self._tuning
        if self._device is None or tuning is None or self._slice is None:
            return
        with self._calling("reading"):
            block = self._device.next(WAIT_S)
        if block is None:
            self._stop(RECORDING_ENDED, cause="ended")
            return
        if isinstance(block, Nothing):
            self._silent_s += block.waited_s
            if self._silent_s > self._patience.read_s:
                self.hangs = True
                self._stop(HANGING_REASON)
            return
        self._silent_s = 0.0
        if block.tuning != tuning.id:
            # Nobody may mistake it for what is received now.
            return
        absent = block.lost + block.missed
        block = finite(block)
        self._at_s += (block.samples.size + absent) / tuning.rate_hz
        gap = self._count_lost(block)
        cleaned = block.samples if self._cleaner is None else self._cleaner.push(block.samples)
        # Invalid samples are lost too, but they have kept their time.
        silent = absent if gap and absent <= MAX_FILLED_GAP_S * tuning.rate_hz else 0
        narrow, read_s = narrowed(self._slice, cleaned, silent), self._device.read_s
        self._taps.push(Piece(block.samples, cleaned, narrow, gap, read_s, tuning, self._at_s))

    def _count_lost(self, block: Block) -> int:
        """Count the samples missing before a block."""
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
        self._hold(start.safeguards)
        try:
            with self._calling("opening"):
                opened = self._open_device(start.address)
        except YardDialError as error:
            self._stop(str(error), error=type(error).__name__)
            return
        self._device = Ring(opened, self._patience.read_s) if self._in_thread else Direct(opened)
        self._lost, self._missed, self._silent_s, self._is_fresh, self._at_s = 0, 0, 0.0, True, 0.0
        self._able, self._left_out = (able := opened.capabilities), ""
        self._address = start.address
        if self._wanted_of not in ("", start.address):
            # Gains and port of another receiver are meaningless here: wait for a request.
            self._wanted = None
        self._report(Started(able.name, able.is_live))
        if self._wanted is not None:
            self._tune_to(self._wanted)

    def _stop(self, reason: str, *, replaced: bool = False, error: str = "", cause: EndCause = "stopped") -> None:
        """End the stream; taps that can continue do so when another receiver takes its place."""
        self._taps.stop(cause, reason, replaced=replaced)
        if self._device is not None:
            with self._calling("closing"):
                self._device.close()
        self._device, self._tuning, self._slice, self._cleaner = None, None, None, None
        self._refused = (0, "")
        if not replaced:
            self._clean = Clean(CleanUp())
        self._report(Stopped(reason, self.hangs, replaced, error))

    # The tuning

    def _tune_to(self, tune: Tune) -> None:
        self._wanted, self._wanted_of = tune, ""
        if self._device is None:
            return
        self._wanted_of = self._address
        try:
            tuning, factor = self._applied(tune)
        except DeviceStalled:
            self.hangs = True
            self._stop(HANGING_REASON)
            return
        except YardDialError as error:
            self._refused = (tune.id, str(error))
            self._report(TuneRefused(str(error), job=tune.job, id=tune.id))
            return
        change = self._change_to(tuning.actual)
        self._is_fresh, self._refused = False, (0, "")
        self._cut(tuning, factor, change, Tuned(tuning, job=tune.job, id=tune.id))

    def _applied(self, tune: Tune) -> tuple[Tuning, int]:
        """Set the receiver; return what it acknowledged and its slice's decimation. Raises what the driver raises."""
        actual = self._apply(tune.requested, tune.id)
        factor = decimation_for(actual.rate_hz, tune.half_width_hz)
        guard, trouble = self._guard(actual)
        rate_hz = actual.rate_hz / factor
        return Tuning(tune.id, tune.requested, actual, tune.middle_hz, rate_hz, tune.route, guard, trouble), factor

    def _guard(self, actual: ActualSettings) -> tuple[GuardState, str]:
        if not self._safeguards.is_guarded or self._able is None:
            return "off", ""
        return guard_of(actual, self._able)

    def _apply(self, requested: RequestedSettings, tuning_id: int) -> ActualSettings:
        if self._device is None:
            raise DeviceLost(OFF_REASON)
        with self._calling("applying"):
            actual = self._device.apply(self._possible(requested), tuning_id)
        # A single socket without a name takes the yard's name for it.
        return msgspec.structs.replace(actual, restart=False, port=actual.port or requested.port)

    def _cut(self, tuning: Tuning, factor: int, change: StreamChange, report: Event | None) -> None:
        """Continue with the new tuning; end first what rests on the former one."""
        self._tuning, self._is_first = tuning, True
        self._slice = Decimator(tuning.rate_hz, tuning.middle_hz - tuning.centre_hz, factor)
        self._taps.retune(change)
        if report is not None:
            self._report(report)
        if change != "slice":
            self._begin_cleaning()
        self._taps.go_on(tuning, change)

    def _change_to(self, actual: ActualSettings) -> StreamChange:
        if self._is_fresh or self._tuning is None:
            return "receiver"
        return "slice" if actual == self._tuning.actual else "tuning"

    def _begin_cleaning(self) -> None:
        """Restart the clean-up; build nothing when nothing is requested."""
        is_wanted = self._clean.wanted != CleanUp() and self._tuning is not None
        self._cleaner = Cleaner(self._tuning.rate_hz, self._clean, self._report) if self._tuning and is_wanted else None

    def _possible(self, requested: RequestedSettings) -> RequestedSettings:
        """Remove and report settings that this device lacks; a recording has none and needs none."""
        if self._able is None:
            return requested
        possible, left_out = possible_settings(requested, self._able, self._safeguards)
        if left_out != self._left_out and self._able.is_live:
            self._left_out = left_out
            if left_out:
                self._report(Noticed(self._lost, left_out, missed=self._missed))
        return possible

    def _set_gains(self, gains_db: GainsDb) -> Tuning:
        """Change gains relative to the tuning; without an argument restore them. Raises what the device raises."""
        tuning = self._tuning
        if tuning is None:
            raise DeviceLost(OFF_REASON)
        changed, requested = dict(gains_db), tuning.requested
        others = tuple(gain for gain in requested.gains_db if gain[0] not in changed)
        if gains_db:
            requested = msgspec.structs.replace(requested, gains_db=(*others, *gains_db), automatic_gain=False)
        actual = self._apply(requested, tuning.id)
        self._is_first = True
        return msgspec.structs.replace(tuning, requested=requested, actual=actual)

    # The safeguards

    def _set_safeguards(self, command: SetSafeguards) -> None:
        """Apply new safeguards, and answer with those in force."""
        before = self._safeguards
        self._hold(command.wanted)
        why_not = ""
        if self._tuning is not None and (before.is_guarded, before.feeds) != (
            command.wanted.is_guarded, command.wanted.feeds,
        ):  # fmt: skip
            try:
                self._tune_again(self._tuning)
            except DeviceStalled:
                self.hangs = True
                self._stop(HANGING_REASON)
                why_not = HANGING_REASON
            except YardDialError as error:
                why_not = str(error)
        self._report(self._safeguards_set(command, why_not))

    def _hold(self, wanted: Safeguards) -> None:
        self._safeguards, self._taps.is_muted = wanted, wanted.is_muted

    def _tune_again(self, tuning: Tuning) -> None:
        """Apply the settings again under other safeguards; raises the receiver's refusal."""
        # The slice is unchanged, so recover its decimation from the rates.
        factor = round(tuning.rate_hz / tuning.slice_rate_hz)
        actual = self._apply(tuning.requested, tuning.id)
        guard, trouble = self._guard(actual)
        again = msgspec.structs.replace(tuning, actual=actual, guard=guard, guard_trouble=trouble)
        if actual == tuning.actual:
            self._tuning = again
        else:
            self._cut(again, factor, "tuning", None)

    def _safeguards_set(self, command: SetSafeguards, why_not: str) -> SafeguardsSet:
        tuning, holds = self._tuning, self._safeguards
        if tuning is not None and holds.is_guarded and not tuning.is_guarded:
            holds = msgspec.structs.replace(holds, is_guarded=False)
            why_not = why_not or tuning.guard_trouble
        return SafeguardsSet(command.id, holds, why_not, tuning is not None and tuning.actual.bias, tuning)

    def _cancel(self, job: int) -> None:
        if not job:
            return
        self._taps.cancel(job)
        if self._clean.job == job:
            self._clean = Clean(CleanUp())
            self._begin_cleaning()
