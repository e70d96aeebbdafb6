"""What is kept of what comes in: sound as WAV, samples as SigMF; and a recording played in the receiver's place."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from yarddial.session.desk import Desk
from yarddial.session.engine.messages import Event, KeepSamples, Kept, StopKeeping, Stopped
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.reception import Reception
from yarddial.yard.errors import NotWritten
from yarddial.yard.path import path_sense
from yarddial.yard.ways import WAYS, Settings, ways_of

if TYPE_CHECKING:
    # Not needed before the first paint.
    from pathlib import Path

    from yarddial.records.sound_file import SoundFile

# A dial further from a recording's centre, as a share of its span, goes to the centre.
WELL_INSIDE = 0.4


class Keeping:
    """At most one sound file and one recording under way."""

    def __init__(self, desk: Desk, reception: Reception, engine: EngineLink, note: Callable[[str], None]) -> None:
        self._desk, self._reception, self._engine, self._note = desk, reception, engine, note
        self._changed = Listeners()
        self.sound: SoundFile | None = None
        self.recording: Kept | None = None
        self.last_recording = ""
        self.trouble = ""

    def on_keeping_changed(self, listener: Listener) -> Callable[[], None]:
        """Something is kept, grew, ended or failed."""
        return self._changed.add(listener)

    def keep_sound(self, path: "Path", rate_hz: float) -> None:
        """Begin to write what is heard into a WAV file; raises NotWritten."""
        from yarddial.records.sound_file import SoundFile

        self.stop_sound()
        self.trouble = ""
        self.sound = SoundFile(path, rate_hz)
        self._changed.tell()

    def hear(self, samples: NDArray[np.float32]) -> None:
        """Add sound to the file, where there is one."""
        if self.sound is None:
            return
        try:
            self.sound.write(samples)
        except NotWritten as error:
            self.sound, self.trouble = None, str(error)
            self._changed.tell()

    def stop_sound(self) -> None:
        """The file is whole; it is named in the log."""
        kept, self.sound = self.sound, None
        if kept is None:
            return
        try:
            kept.close()
        except NotWritten as error:
            self.trouble = str(error)
        else:
            self._note(f"Sound of {kept.seconds_s:.0f} s kept as {kept.path}")
        self._changed.tell()

    def keep_samples(self, path: "Path", settings: Settings, centre_hz: float | None) -> None:
        """Begin to write what the receiver gives into a SigMF recording, with what is known to stand in it.

        settings : how it is heard, for the annotation. centre_hz : the span's centre on the dial.
        Raises NotWritten while the receiver is off.
        """
        look, line, dial_hz = self._reception.look, self._desk.line, self._desk.station.dial_hz
        if look is None or centre_hz is None or not self._reception.running:
            raise NotWritten("the receiver is off: Space starts it, then samples can be kept")
        self.trouble = ""
        self.recording = Kept(str(path), 0.0)
        about = {
            "description": f"{line.name}, {self._desk.station.name}",
            "hardware": f"{line.receiver.name}, {line.antenna.name}",
            "capture": {"yarddial:route": line.name, "yarddial:dial_hz": dial_hz},
            "annotations": self._annotations(settings, centre_hz, look.ask.rate_hz),
        }
        turned = path_sense(line.counted_stages(dial_hz)) < 0
        self._engine.send(KeepSamples(str(path), centre_hz, line.receiver.bits, turned, about))
        self._changed.tell()

    def stop_samples(self) -> None:
        """End the recording; it is whole and in the log when the engine says so."""
        if self.recording is not None:
            self._engine.send(StopKeeping())

    def replay(self, path: "Path") -> None:
        """Play a recording in the receiver's place, again and again; the dial goes into it. Raises BadRecording."""
        from yarddial.records.recordings import open_recording

        found = open_recording(path)
        self._reception.play(f"recording:{found.path}?loop=yes")
        if any(route.name == found.route for route in self._desk.station.routes):
            self._desk.choose_route(found.route)
        if found.centre_hz and abs(self._desk.station.dial_hz - found.centre_hz) > WELL_INSIDE * found.rate_hz:
            self._desk.dial(found.centre_hz)
        self._changed.tell()

    def end_replay(self) -> None:
        """Give the receiver its place back."""
        self._reception.play("")
        self._changed.tell()

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        if isinstance(event, Stopped) and self.recording is not None:
            # A receiver that stops in good order has told of its recording before.
            self.trouble = f"{self.recording.path} is not whole: the receiver's process ended while it was kept"
            self.recording = None
            self._changed.tell()
            return
        if not isinstance(event, Kept) or self.recording is None:
            return
        self.recording = None if event.is_done else event
        if event.is_done:
            self.trouble = event.trouble
            if event.seconds_s:
                self.last_recording = event.path
                self._note(f"Samples of {event.seconds_s:.1f} s kept as {event.path}")
            elif not event.trouble:
                self.trouble = "nothing was kept: it was stopped before the first samples came"
        self._changed.tell()

    def _annotations(self, settings: Settings, centre_hz: float, rate_hz: float) -> list[dict[str, object]]:
        """What is heard, and the known stations of the span, as SigMF has it."""
        dial_hz = self._desk.station.dial_hz
        marks = [(dial_hz + settings.low_hz, dial_hz + settings.high_hz, f"as {WAYS[settings.way].name}")]
        for reference in self._desk.station.references:
            if abs(reference.frequency_hz - centre_hz) < rate_hz / 2:
                half_hz = WAYS[ways_of(reference.mode, reference.frequency_hz)[0]].width_hz / 2
                marks.append((reference.frequency_hz - half_hz, reference.frequency_hz + half_hz, reference.name))
        # A label has twenty characters at most.
        return [
            {"core:sample_start": 0, "core:freq_lower_edge": low, "core:freq_upper_edge": high, "core:label": name[:20]}
            for low, high, name in marks
        ]
