"""Tones, rasters and pilots with the running receiver: gathered here, worked out by whoever asked, in a thread."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np
from numpy.typing import NDArray

from yarddial.session.desk import Desk
from yarddial.session.engine.messages import Event, Hear, KeepSamples, Kept, Sound, StopKeeping, Stopped
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening import turned
from yarddial.session.reception import Reception
from yarddial.session.truing import Truing
from yarddial.yard.path import path_sense
from yarddial.yard.ways import Settings

if TYPE_CHECKING:
    # Not needed before the first paint.
    from yarddial.analysis.blind.raster_fit import BlindAnswer
    from yarddial.analysis.tones.dial_error import Heard, ToneAnswer
    from yarddial.dsp.frequency_modulation import Pilot

# Each way of hearing a tone takes so long; the first moments, in which filters settle, are left out.
HEAR_S, SETTLES_S = 6.0, 0.5
Way = Literal["tone", "raster", "pilot"]
# A scan for rasters takes so long: carriers stand apart to a tenth of a hertz then. A pilot is known to a hundredth of
# a part per million after half of it.
SCAN_S: dict[Way, float] = {"raster": 8.0, "pilot": 4.0}
OCCUPIED: dict[Way, str] = {
    "tone": "a tone is being heard",
    "raster": "a band is being scanned for its raster",
    "pilot": "a stereo pilot is being listened for",
}
# The dial's error must be known to this for its tone to be found.
ENOUGH_HZ = 150.0
EARS: "tuple[tuple[Heard, Settings], ...]" = (
    ("am", Settings("am", -4_500.0, 4_500.0, gain_control=False)),
    ("usb", Settings("usb", 100.0, 4_000.0, gain_control=False)),
    ("lsb", Settings("lsb", -4_000.0, -100.0, gain_control=False)),
)


class LiveWays:
    """One gathering at a time. When it is done, `work` is the call that works it out: long, and free of the session.

    gathered : what that call is for.
    """

    def __init__(self, desk: Desk, reception: Reception, engine: EngineLink, truing: Truing, folder: Path) -> None:
        self._desk, self._reception, self._engine, self._truing, self._folder = desk, reception, engine, truing, folder
        self._changed = Listeners()
        # Numbers of its own, so that nobody else's sound is taken for one of these.
        self._id = 3_000_000
        self._left: list[tuple[Heard, Settings]] = []
        self._parts: list[NDArray[np.float32]] = []
        self._rate_hz = 0.0
        self._sounds: dict[Heard, tuple[object, float]] = {}
        self._near_hz = 0.0
        # Where the dial stood, or would have, for what was heard.
        self.heard_at_hz = 0.0
        self._place: tuple[float, str] = (0.0, "")
        self._path = folder / "scan"
        self.running: Way | Literal[""] = ""
        self.gathered: Way | Literal[""] = ""
        self.fraction = 0.0
        self.trouble = ""
        self.work: Callable[[], ToneAnswer | BlindAnswer | Pilot] | None = None

    def on_gathering_changed(self, listener: Listener) -> Callable[[], None]:
        """It moved on, is done, or failed."""
        return self._changed.add(listener)

    def why_not(self, way: Way) -> str:
        """Why it cannot begin just now, or an empty text."""
        if way == "tone":
            return self._truing.why_not_measure()
        line, dial_hz = self._desk.line, self._desk.station.dial_hz
        return (
            self._truing.occupied
            or line.why_not(dial_hz)
            or ("a measurement is under way" if self._truing.measuring is not None else "")
        )

    def hear_tone(self, near_hz: float) -> None:
        """Hear the station at the dial as AM, then on each sideband."""
        if self._begin("tone"):
            self._near_hz, self._left, self._sounds = near_hz, list(EARS), {}
            self._next_ear()

    def scan(self) -> None:
        """Keep what the receiver gives for some seconds, the whole span of it."""
        if self._begin("raster"):
            self._keep_samples("raster-scan")

    def hear_pilot(self) -> None:
        """Keep some seconds in which the stereo pilot of the broadcaster at the dial is counted."""
        if self._begin("pilot"):
            self._keep_samples("pilot-scan")

    def _keep_samples(self, name: str) -> None:
        look, line, dial_hz = self._reception.look, self._desk.line, self._desk.station.dial_hz
        assert look is not None
        self._folder.mkdir(parents=True, exist_ok=True)
        centre_hz = line.dial_of(look.ask.centre_hz, dial_hz)
        self._path = self._folder / name
        is_turned = path_sense(line.counted_stages(dial_hz)) < 0
        about = {"description": f"{name} over {line.name}"}
        self._engine.send(KeepSamples(str(self._path), centre_hz, line.receiver.bits, is_turned, about))

    def cancel(self) -> None:
        """End it; nothing is kept."""
        if self.running:
            self._end("cancelled")

    def clear(self) -> None:
        """Leave nothing behind on the disk."""
        import shutil

        shutil.rmtree(self._folder, ignore_errors=True)

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        if not self.running:
            return
        if isinstance(event, Stopped) and event.reason:
            self._end(event.reason)
        elif (self._desk.station.dial_hz, self._desk.line.name) != self._place:
            self._end("the dial was turned meanwhile")
        elif isinstance(event, Sound) and event.id == self._id and self.running == "tone":
            self._heard(event)
        elif isinstance(event, Kept) and self.running in SCAN_S:
            self._kept(event)

    def _begin(self, way: Way) -> bool:
        if self.why_not(way):
            return False
        self.trouble, self.work, self.gathered, self.fraction = "", None, "", 0.0
        reference, state = self._truing.reference(), self._truing.state()
        if way == "tone" and reference is not None:
            self._desk.dial(reference.frequency_hz)
            # Heard where the dial should show it, so that a large error that is known already does no harm.
            self.heard_at_hz = reference.frequency_hz + (state.error_hz if state.sigma_hz < ENOUGH_HZ else 0.0)
        if not self._reception.wanted:
            self._reception.start(self._desk.line)
        self._truing.follow_dial()
        self.running = way
        self._place = (self._desk.station.dial_hz, self._desk.line.name)
        self._truing.occupied = OCCUPIED[way]
        self._changed.tell()
        return True

    def _next_ear(self) -> None:
        line = self._desk.line.at(self.heard_at_hz)
        self._id += 1
        self._parts = []
        self._engine.send(Hear(self._id, line.counted_hz(line.dial_hz), turned(self._left[0][1], line)))

    def _heard(self, event: Sound) -> None:
        self._parts.append(event.samples)
        self._rate_hz = event.rate_hz
        have_s = sum(part.size for part in self._parts) / event.rate_hz
        done = len(EARS) - len(self._left) + min(have_s / HEAR_S, 1.0)
        self.fraction = done / len(EARS)
        if have_s >= HEAR_S:
            sound = np.concatenate(self._parts)[int(SETTLES_S * event.rate_hz) :]
            # Without gain control it may be anything but full scale.
            peak = float(np.abs(sound).max())
            self._sounds[self._left.pop(0)[0]] = (sound * (0.5 / peak) if peak > 0 else sound, event.rate_hz)
            if self._left:
                self._next_ear()
            else:
                self._finish_tone()
        self._changed.tell()

    def _finish_tone(self) -> None:
        from yarddial.session.other_ways import tone_in_sounds

        sounds, near_hz = self._sounds, self._near_hz
        self._done("tone", lambda: tone_in_sounds(sounds, near_hz))

    def _kept(self, event: Kept) -> None:
        wanted_s = SCAN_S["pilot" if self.running == "pilot" else "raster"]
        self.fraction = min(event.seconds_s / wanted_s, 1.0)
        if event.is_done and (event.trouble or not event.seconds_s):
            self._end(event.trouble or "nothing came from the receiver")
        elif event.is_done and self.running == "pilot":
            self._finish_pilot(Path(event.path))
        elif event.is_done:
            self._finish_scan(Path(event.path))
        elif event.seconds_s >= wanted_s:
            self._engine.send(StopKeeping())
        self._changed.tell()

    def _finish_pilot(self, path: Path) -> None:
        from yarddial.session.other_ways import pilot_in_recording

        state, folder = self._truing.state(), self._folder
        shown_hz = self._desk.station.dial_hz + state.error_hz

        def work() -> "Pilot":
            try:
                return pilot_in_recording(path, shown_hz, 3 * state.sigma_hz)
            finally:
                _remove(folder, path.name)

        self._done("pilot", work)

    def _finish_scan(self, path: Path) -> None:
        from yarddial.session.blind_scan import blind_in_recording

        stages = self._desk.line.at(self._desk.station.dial_hz).stages
        entered = [type(stage)(stage.kind, stage.lo_hz, 0.0, stage.name) for stage in stages]
        folder, truing = self._folder, self._truing
        # Of the dial only what was measured may weigh; what the sheets say is in the odds already.
        state = truing.state() if truing.touches_active_route() else None

        def work() -> "BlindAnswer":
            from yarddial.analysis.blind.raster_fit import weighed
            from yarddial.records.recordings import open_recording

            try:
                found = blind_in_recording(open_recording(path), entered)
                return found if state is None else weighed(found, state.error_hz, state.sigma_hz)
            finally:
                _remove(folder, path.name)

        self._done("raster", work)

    def _done(self, way: Way, work: "Callable[[], ToneAnswer | BlindAnswer | Pilot]") -> None:
        self.work, self.gathered = work, way
        self._end("")

    def _end(self, trouble: str) -> None:
        way, self.running = self.running, ""
        self.trouble, self._truing.occupied = trouble, ""
        if way == "tone":
            self._engine.send(Hear(self._id, 0.0, None))
        elif trouble:
            self._engine.send(StopKeeping())
        self._changed.tell()


def _remove(folder: Path, name: str) -> None:
    for file in folder.glob(f"{name.partition('.')[0]}.*"):
        file.unlink(missing_ok=True)
