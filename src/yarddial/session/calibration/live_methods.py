"""Recording of tones, rasters and pilots with the running receiver, to be evaluated in the caller's thread."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Literal, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import Hear, RecordSamples
from yarddial.engine.events import Event, RecordingState, Sound, TuneRefused
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.engine.tuning import Tuning
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.far_recordings import FarRecordings
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.demodulation import DemodulationSettings, turned
from yarddial.yard.frequency_conversion import path_sense

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.blind.raster_fit import BlindAnswer
    from yarddial.analysis.tones.dial_error import ToneAnswer, ToneReception
    from yarddial.distance.fetching import Fetching
    from yarddial.dsp.frequency_modulation import Pilot

# Listening time for each demodulation of a tone, and the settling time excluded from it.
HEAR_S, SETTLES_S = 6.0, 0.5
LiveMethod = Literal["tone", "raster", "pilot"]
# Recording time: 8 s separate carriers to a tenth of a hertz; half of it gives the pilot to 0.01 ppm.
SCAN_S: dict[LiveMethod, float] = {"raster": 8.0, "pilot": 4.0}
# A recording shorter than this share of the wanted length was cut off.
WHOLE_SHARE = 0.9
# The dial's error must be known to this to find its tone.
ENOUGH_HZ = 150.0
TONE_SETTINGS: "tuple[tuple[ToneReception, DemodulationSettings], ...]" = (
    ("am", DemodulationSettings("am", -4_500.0, 4_500.0, gain_control=False)),
    ("usb", DemodulationSettings("usb", 100.0, 4_000.0, gain_control=False)),
    ("lsb", DemodulationSettings("lsb", -4_000.0, -100.0, gain_control=False)),
)
TONE = JobKind("tone", "work", "a tone", "a tone is being heard")
RASTER = JobKind("raster", "work", "a scan for the raster", "a band is being scanned for its raster")
PILOT = JobKind("pilot", "work", "a stereo pilot", "a stereo pilot is being listened for")
JOBS: dict[LiveMethod, JobKind] = {"tone": TONE, "raster": RASTER, "pilot": PILOT}


class LiveMethods(Job):
    """One recording at a time. When it is complete, `work` is the call that evaluates it: slow, and independent of the
    session.

    gathered : method of that call.
    """

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        calibration: Calibration,
        folder: Path,
        far_recordings: FarRecordings,
    ) -> None:
        self._far_recordings = far_recordings
        # Name of a far recording being transferred.
        self._brings = ""
        self._desk, self._live_receiver, self._jobs, self._calibration, self._folder = (
            desk,
            live_receiver,
            jobs,
            calibration,
            folder,
        )
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._left: list[tuple[ToneReception, DemodulationSettings]] = []
        self._parts: list[NDArray[np.float32]] = []
        self._rate_hz = 0.0
        self._sounds: dict[ToneReception, tuple[object, float]] = {}
        self._near_hz = 0.0
        # Dial frequency, actual or equivalent, of what was heard.
        self.heard_at_hz = 0.0
        self._place: tuple[float, str] = (0.0, "")
        self._gathered_line = desk.route
        self._path = folder / "scan"
        self.running: LiveMethod | Literal[""] = ""
        self.gathered: LiveMethod | Literal[""] = ""
        self.fraction = 0.0
        self.trouble = ""
        self.work: Callable[[], ToneAnswer | BlindAnswer | Pilot] | None = None

    def on_gathering_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for progress, completion and failure."""
        return self._changed.add(listener)

    def why_not(self, method: LiveMethod) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if method == "tone":
            return self._calibration.why_not_measure(TONE)
        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        return self._jobs.why_not(JOBS[method]) or route.why_not(dial_hz)

    def hear_tone(self, near_hz: float) -> None:
        """Listen to the station at the dial as AM, then on each sideband."""
        if self._begin("tone"):
            self._near_hz, self._left, self._sounds = near_hz, list(TONE_SETTINGS), {}
            self._next_demodulation()

    def scan(self) -> None:
        """Record the whole span for some seconds."""
        if self._begin("raster"):
            self._record_samples("raster-scan")

    def hear_pilot(self) -> None:
        """Record some seconds with the stereo pilot of the broadcaster at the dial."""
        if self._begin("pilot"):
            self._record_samples("pilot-scan")

    def _record_samples(self, name: str) -> None:
        route, dial_hz, lease = self._desk.route, self._desk.station.dial_hz, self._lease
        if lease is None:
            return
        self._folder.mkdir(parents=True, exist_ok=True)
        self._path = self._folder / name
        is_turned = path_sense(route.counted_stages(dial_hz)) < 0
        about = {"description": f"{name} over {route.name}"}

        def record(tuning: Tuning) -> None:
            centre_hz = route.dial_of(tuning.centre_hz, dial_hz)
            lease.ask(RecordSamples(str(self._path), centre_hz, route.receiver.bits, is_turned, about))

        self._live_receiver.tuner.when_tuned(lease, record)

    def cancel(self) -> None:
        """Cancel; nothing is kept."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def clear(self) -> None:
        """Delete temporary files."""
        import shutil

        shutil.rmtree(self._folder, ignore_errors=True)

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case Sound():
                self._heard(event)
            case RecordingState():
                self._kept(event)
            case TuneRefused() if self._lease is not None:
                self._lease.end("failed", event.sentence)
            case _:
                pass

    def why_stale(self) -> str:
        """A recording belongs to one dial frequency and one set of settings."""
        if (self._desk.station.dial_hz, self._desk.route.name) != self._place:
            return "the dial was turned meanwhile"
        return "" if self._desk.route.at(self._place[0]) == self._gathered_line else "the yard was changed meanwhile"

    def ended(self, ending: Ending) -> None:
        """Finish; a complete recording is in `work`."""
        method, self._lease, self.running = self.running, None, ""
        if self._brings:
            self._far_recordings.remove(self._brings)
            self._brings = ""
        self.trouble = ending.reason
        if ending.how != "done" and method in SCAN_S:
            _remove(self._folder, self._path.name)
        self._changed.tell()

    def _begin(self, method: LiveMethod) -> bool:
        if self.why_not(method):
            return False
        self.trouble, self.work, self.gathered, self.fraction = "", None, "", 0.0
        reference, state = self._calibration.reference(), self._calibration.state()
        if method == "tone" and reference is not None:
            self._desk.dial(reference.frequency_hz)
            # Listen where the dial should show it, so that a large known error does no harm.
            self.heard_at_hz = reference.frequency_hz + (state.error_hz if state.sigma_hz < ENOUGH_HZ else 0.0)
        lease = self._jobs.request(JOBS[method], self)
        if isinstance(lease, Refusal):
            return False
        self._lease, self.running = lease, method
        self._place = (self._desk.station.dial_hz, self._desk.route.name)
        self._gathered_line = self._desk.route.at(self._place[0])
        if not self._live_receiver.wanted:
            self._live_receiver.start(self._desk.route)
        self._calibration.examine_dial(lease)
        self._changed.tell()
        return True

    def _next_demodulation(self) -> None:
        route = self._desk.route.at(self.heard_at_hz)
        self._parts = []
        if self._lease is not None:
            self._lease.ask(Hear(route.counted_hz(route.dial_hz), turned(self._left[0][1], route)))

    def _heard(self, event: Sound) -> None:
        tuning = self._live_receiver.tuning
        if tuning is None or event.tuning != tuning.id:
            # Audio from the receiver's former frequency.
            return
        self._parts.append(event.samples)
        self._rate_hz = event.rate_hz
        have_s = sum(part.size for part in self._parts) / event.rate_hz
        done = len(TONE_SETTINGS) - len(self._left) + min(have_s / HEAR_S, 1.0)
        self.fraction = done / len(TONE_SETTINGS)
        if have_s >= HEAR_S:
            sound = np.concatenate(self._parts)[int(SETTLES_S * event.rate_hz) :]
            # Without gain control the level is arbitrary.
            peak = float(np.abs(sound).max())
            self._sounds[self._left.pop(0)[0]] = (sound * (0.5 / peak) if peak > 0 else sound, event.rate_hz)
            if self._left:
                self._next_demodulation()
            else:
                self._finish_tone()
        self._changed.tell()

    def _finish_tone(self) -> None:
        from yarddial.session.calibration.other_methods import tone_in_sounds

        sounds, near_hz = self._sounds, self._near_hz
        self._done("tone", lambda: tone_in_sounds(sounds, near_hz))

    def _kept(self, event: RecordingState) -> None:
        wanted_s = SCAN_S["pilot" if self.running == "pilot" else "raster"]
        self.fraction = min(event.seconds_s / wanted_s, 1.0)
        lease = self._lease
        if lease is None:
            return
        if event.is_done and (event.trouble or not event.seconds_s):
            lease.end("failed", event.trouble or "nothing came from the receiver")
        elif event.is_done and event.seconds_s < WHOLE_SHARE * wanted_s:
            lease.end("failed", f"only {event.seconds_s:.1f} s of {wanted_s:g} s came: what is cut short is not judged")
        elif event.is_done and event.far:
            self._bring_over(event)
        elif event.is_done and self.running == "pilot":
            self._finish_pilot(Path(event.path))
        elif event.is_done:
            self._finish_scan(Path(event.path))
        elif event.seconds_s >= wanted_s:
            self._jobs.stop_requests(lease)
        self._changed.tell()

    def _bring_over(self, event: RecordingState) -> None:
        """Transfer what was recorded on another computer, to be evaluated here."""
        self._brings = name = event.path

        def told(fetching: "Fetching") -> None:
            lease, self.fraction = self._lease, fetching.share
            if fetching.is_done and lease is not None:
                self._brings = ""
                self._far_recordings.remove(name)
                if fetching.trouble:
                    lease.end("failed", fetching.trouble)
                else:
                    self._kept(msgspec.structs.replace(event, path=str(fetching.meta_path), far=""))
            self._changed.tell()

        self._far_recordings.bring(name, self._path, told)

    def _finish_pilot(self, path: Path) -> None:
        from yarddial.session.calibration.other_methods import pilot_in_recording

        state, folder = self._calibration.state(), self._folder
        shown_hz = self._desk.station.dial_hz + state.error_hz

        def work() -> "Pilot":
            try:
                return pilot_in_recording(path, shown_hz, 3 * state.sigma_hz)
            finally:
                _remove(folder, path.name)

        self._done("pilot", work)

    def _finish_scan(self, path: Path) -> None:
        from yarddial.session.calibration.blind_recording import blind_in_recording

        stages = self._desk.route.at(self._desk.station.dial_hz).stages
        entered = [type(stage)(stage.kind, stage.lo_hz, 0.0, stage.name) for stage in stages]
        folder, calibration = self._folder, self._calibration
        # Use only a measured state of the dial; stated tolerances are in the odds already.
        state = calibration.state() if calibration.touches_active_route() else None

        def work() -> "BlindAnswer":
            from yarddial.analysis.blind.raster_fit import weighed
            from yarddial.records.recordings import open_recording

            try:
                answer = blind_in_recording(open_recording(path), entered)
                return answer if state is None else weighed(answer, state.error_hz, state.sigma_hz)
            finally:
                _remove(folder, path.name)

        self._done("raster", work)

    def _done(self, method: LiveMethod, work: "Callable[[], ToneAnswer | BlindAnswer | Pilot]") -> None:
        self.work, self.gathered = work, method
        if self._lease is not None:
            self._lease.end()


def _remove(folder: Path, name: str) -> None:
    for file in folder.glob(f"{name.partition('.')[0]}.*"):
        file.unlink(missing_ok=True)


class LiveMethodTopics(CalibrationTopics, Protocol):
    """What these methods need of the session."""

    @property
    def far_recordings(self) -> FarRecordings:
        """Transfers recordings from another computer."""
        ...


def _make(of: LiveMethodTopics) -> LiveMethods:
    from yarddial.records.temporary import temporary_folder

    return LiveMethods(of.desk, of.live_receiver, of.jobs, of.calibration, temporary_folder(), of.far_recordings)


DECLARATION = Declaration(
    make=_make,
    kinds=(TONE, RASTER, PILOT),
    begin={
        TONE.name: lambda methods: methods.hear_tone(1_000.0),
        RASTER.name: LiveMethods.scan,
        PILOT.name: LiveMethods.hear_pilot,
    },
    is_under_way=lambda methods: bool(methods.running),
    close=LiveMethods.clear,
)
