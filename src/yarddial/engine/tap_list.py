"""List of all taps on the stream: begins, feeds and ends them, and decides which survive a change."""

import contextlib
from collections.abc import Callable, Iterator

from yarddial.drivers.protocol import Capabilities
from yarddial.engine.commands import Follow, Hear, Measure, RecordSamples, Request, SendChannel, Show, Sweep
from yarddial.engine.events import Event, JobFailed, refusal_of
from yarddial.engine.taps.audio_tap import AudioTap
from yarddial.engine.taps.channel_sender import ChannelSender
from yarddial.engine.taps.follower import Follower
from yarddial.engine.taps.gain_sweep import GainSweep
from yarddial.engine.taps.measurement import Measurement
from yarddial.engine.taps.picture import PictureTap
from yarddial.engine.taps.sample_recorder import SampleRecorder
from yarddial.engine.taps.span_survey import SpanSurvey
from yarddial.engine.taps.tap import EndCause, Piece, StreamChange, StreamTap
from yarddial.engine.tuning import Tuning
from yarddial.yard.errors import RefusedValue, YardDialError
from yarddial.yard.level import GainsDb

# Requests served by a tap; a job has one tap for each kind.
TapRequest = Measure | Sweep | Hear | SendChannel | Follow | RecordSamples
# Requests that wait for a stream, and continue with any stream.
LastingRequest = Hear | SendChannel | Follow


class TapList:
    """Begin, feed and end taps.

    set_gains : sets gains of the running receiver; see `GainSweep`.
    fails : called where ending a tap loses the receiver.
    """

    def __init__(
        self,
        report: Callable[[Event], None],
        set_gains: Callable[[GainsDb], Tuning],
        fails: Callable[[YardDialError], None],
    ) -> None:
        self._report, self._set_gains, self._fails = report, set_gains, fails
        self._picture = PictureTap(report)
        self._taps: list[StreamTap] = [self._picture, SpanSurvey(report)]
        self.is_muted = False

    def show(self, show: Show) -> None:
        """Draw the picture this way from now on."""
        self._picture.show(show)

    def push(self, piece: Piece) -> None:
        """Pass a block to every tap."""
        for tap in tuple(self._taps):
            with self._containing(tap):
                if tap in self._taps and tap.push(piece):
                    self._taps.remove(tap)

    def begin(self, asked: TapRequest, tuning: Tuning | None, able: Capabilities | None, why_not: str) -> None:
        """Add a tap, replacing the job's former one of its kind; report the reason when it cannot run.

        why_not : why a request that rests on one tuning is impossible now; empty where it is possible.
        """
        former_tap = self._end_former(asked)
        try:
            if isinstance(asked, LastingRequest):
                self._begin_lasting(asked, tuning, former_tap)
                return
            if why_not or tuning is None:
                raise RefusedValue(why_not)
            self._taps.append(self._resting(asked, tuning, able))
        except YardDialError as error:
            if (answer := refusal_of(asked, str(error), tuning)) is not None:
                self._report(answer)
        except Exception as fault:
            # A request that cannot be served must not end the receiver for everybody.
            if not asked.job:
                raise
            self._fail(asked, fault)

    @contextlib.contextmanager
    def _containing(self, tap: StreamTap) -> Iterator[None]:
        """End a job's tap on a fault of its own; a fault of the engine's taps, or of the device, ends the stream."""
        try:
            yield
        except YardDialError:
            raise
        except Exception as fault:
            if tap.asked is None or not tap.job:
                raise
            if tap in self._taps:
                self._taps.remove(tap)
            with contextlib.suppress(Exception):
                tap.give_up("cancelled")
            self._fail(tap.asked, fault)

    def _fail(self, asked: Request, fault: Exception) -> None:
        import traceback

        why = f"the program failed in this work ({type(fault).__name__}): begin it again"
        self._report(JobFailed(why, "".join(traceback.format_exception(fault)), job=asked.job, id=asked.id))

    def retune(self, change: StreamChange) -> None:
        """End taps that a change of the stream makes useless; call it before the change is reported."""
        for tap in tuple(self._taps):
            if change not in tap.survives:
                self._end(tap, "retuned")

    def go_on(self, tuning: Tuning, change: StreamChange) -> None:
        """Tell the remaining taps what they receive from now on."""
        for tap in tuple(self._taps):
            with self._containing(tap):
                tap.begin(tuning, change)

    def cancel(self, job: int) -> None:
        """Cancel all taps of a job."""
        for tap in tuple(self._taps):
            if tap.job == job:
                self._end(tap, "cancelled")

    def stop(self, cause: EndCause, reason: str, *, replaced: bool) -> None:
        """End taps with the stream; those that can continue do so when another receiver takes its place."""
        for tap in tuple(self._taps):
            if tap.job and not (replaced and "receiver" in tap.survives):
                self._end(tap, cause, reason)
        if not replaced:
            self._picture.give_up("stopped")

    def _end_former(self, asked: TapRequest) -> AudioTap | None:
        """End the job's tap of this kind; return it if it was audible."""
        heard: AudioTap | None = None
        for former in tuple(self._taps):
            if former.job == asked.job and type(former.asked) is type(asked):
                heard = former if isinstance(former, AudioTap) else None
                self._end(former, "cancelled")
        return heard

    def _begin_lasting(self, asked: LastingRequest, tuning: Tuning | None, former: AudioTap | None) -> None:
        tap: StreamTap
        match asked:
            case Hear():
                tap = audio_tap = AudioTap(asked, self._report_sound)
                if former is not None:
                    audio_tap.take_over(former)
            case Follow():
                tap = Follower(asked, self._report)
            case SendChannel():
                tap = ChannelSender(asked, self._report_sound)
        self._taps.append(tap)
        if tuning is not None:
            tap.begin(tuning, "receiver")

    def _resting(self, asked: Measure | Sweep | RecordSamples, tuning: Tuning, able: Capabilities | None) -> StreamTap:
        match asked:
            case Measure():
                return Measurement(asked, tuning, self._report)
            case RecordSamples():
                return SampleRecorder(asked, tuning, self._report)
            case Sweep():
                changes = [name for gains_db in asked.settings for name, _ in gains_db]
                if changes and tuning.guard != "off":
                    raise RefusedValue("somebody transmits: the gains stay at their minimum")
                known = {gain.name for gain in able.gains} if able is not None else set()
                missing = [name for name in changes if name not in known]
                if missing:
                    raise RefusedValue(f"the receiver has no gain '{missing[0]}' to sweep")
                return GainSweep(asked, tuning, self._set_gains, self._report)

    def _report_sound(self, event: Event) -> None:
        """Report audio, unless muted."""
        if not self.is_muted:
            self._report(event)

    def _end(self, tap: StreamTap, cause: EndCause, reason: str = "") -> None:
        """Remove the tap first, so that it is ended only once."""
        self._taps.remove(tap)
        try:
            tap.give_up(cause, reason)
        except YardDialError as error:
            # Only restoring the gains can fail this way.
            self._fails(error)
