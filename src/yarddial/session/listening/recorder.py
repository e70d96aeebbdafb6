"""Recording of audio as WAV and samples as SigMF, and replay of a recording in place of the receiver."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Protocol

import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import RecordSamples
from yarddial.engine.events import Event, RecordingState, Sound
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.engine.tuning import Tuning
from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.notes import Notes
from yarddial.session.receiver.far_recordings import FarRecordings
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.demodulation import DEMODULATIONS, DemodulationSettings, demodulations_of
from yarddial.yard.errors import NotWritten
from yarddial.yard.frequency_conversion import path_sense

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from pathlib import Path

    from yarddial.distance.fetching import Fetching
    from yarddial.records.sound_file import SoundFile
    from yarddial.records.sound_player import SoundPlayer
    from yarddial.session.listening.replayed_centre import CentreAt

# With the dial further from a recording's centre than this share of its span, go to the centre.
WELL_INSIDE = 0.4
RECORDING = JobKind("recording", "record", "a recording", "samples are being recorded: end that first", tunes=False)


class Recorder(Job):
    """At most one audio file and one recording at a time."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        note: Callable[[str], None],
        bring: "Callable[[str, Path, Callable[[Fetching], None]], None]",
    ) -> None:
        """bring : transfers a recording from another computer: its name there, the target, and a callback."""
        self._desk, self._live_receiver, self._jobs, self._note = desk, live_receiver, jobs, note
        self._bring = bring
        self._changed = Listeners()
        self._lease: Lease | None = None
        # True once the engine was asked to record; before that it waits for the tuning.
        self._is_asked = False
        self.sound: SoundFile | None = None
        self.recording: RecordingState | None = None
        self.last_recording = ""
        self._path: Path | None = None
        self.brought = ""
        self.trouble = ""
        # Sound that plays, and whether the receiver ran before something was played.
        self.player: SoundPlayer | None = None
        self._ran_before = False

    def on_recorder_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for the begin, growth, end and failure of a file."""
        return self._changed.add(listener)

    def record_sound(self, path: "Path", rate_hz: float, channels: int = 1) -> None:
        """Start writing audio into a WAV file; raises NotWritten."""
        from yarddial.records.sound_file import SoundFile

        self.stop_recording_sound()
        self.trouble = ""
        self.sound = SoundFile(path, rate_hz, channels)
        self._changed.tell()

    def hear(self, samples: NDArray[np.float32]) -> None:
        """Add audio to the file, where one is open."""
        if self.sound is None:
            return
        try:
            self.sound.write(samples)
        except NotWritten as error:
            self.sound, self.trouble = None, str(error)
            self._changed.tell()

    def stop_recording_sound(self) -> None:
        """Complete the audio file, and log its name."""
        sound, self.sound = self.sound, None
        if sound is None:
            return
        try:
            sound.close()
        except NotWritten as error:
            self.trouble = str(error)
        else:
            self._note(f"Sound of {sound.seconds_s:.0f} s saved as {sound.path}")
        self._changed.tell()

    def record_samples(self, path: "Path", settings: DemodulationSettings) -> None:
        """Start a SigMF recording of the receiver's samples, annotated with the known signals.

        settings : demodulation, for the annotation. Raises NotWritten while the receiver is off.
        """
        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        if not self._live_receiver.running or route.why_not(dial_hz):
            raise NotWritten("the receiver is off: Space starts it, then samples can be recorded")
        if self._lease is not None and self._lease.is_released:
            raise NotWritten("the recording before this one is not whole yet: try again in a second")
        lease = self._jobs.request(RECORDING, self)
        if isinstance(lease, Refusal):
            raise NotWritten(f"not now: {lease.reason}")
        self._lease, self.trouble, self._path, self.brought = lease, "", path, ""
        self._is_asked = False
        self.recording = RecordingState(str(path), 0.0)
        self._live_receiver.tuner.when_tuned(lease, partial(self._record, lease, path, settings))
        self._changed.tell()

    def _record(self, lease: Lease, path: "Path", settings: DemodulationSettings, tuning: Tuning) -> None:
        """Start once the tuning is acknowledged; the file states what the driver acknowledged."""
        dial_hz, route = self._desk.station.dial_hz, self._desk.route.name
        resolved = self._desk.route.at(dial_hz)
        centre_hz = resolved.dial_of(tuning.centre_hz, dial_hz)
        about = {
            "description": f"{route}, {self._desk.station.name}",
            "hardware": f"{resolved.receiver.name}, {resolved.antenna.name}",
            "capture": {
                "yarddial:route": route,
                "yarddial:dial_hz": dial_hz,
                "yarddial:gains_db": dict(tuning.actual.gains_db),
            },
            "annotations": self._annotations(settings, centre_hz, tuning.rate_hz),
        }
        turned = path_sense(resolved.counted_stages(dial_hz)) < 0
        self._is_asked = True
        lease.ask(RecordSamples(str(path), centre_hz, resolved.receiver.bits, turned, about))

    def stop_recording_samples(self) -> None:
        """End the recording; it is complete and logged when the engine confirms."""
        if self._lease is None:
            return
        if self._is_asked:
            self._lease.release()
        else:
            # The receiver was not tuned yet, so the engine knows nothing of the recording and reports no end.
            self._lease.end("cancelled", "nothing was recorded: it was stopped before the receiver was tuned")

    def replay(self, path: "Path", centre_at: "CentreAt | None" = None) -> None:
        """Play a recording in a loop instead of the receiver; the dial goes into it.

        centre_at : whose frequency a recording from elsewhere states as its centre, if a person has said so.

        Raises
        ------
        BadRecording
            It cannot be read.
        CentreUnclear
            It may be either over this route: the person must say.
        """
        from yarddial.records.recordings import open_recording
        from yarddial.session.listening.replayed_centre import whose_centre
        from yarddial.yard.frequency import format_plain

        recording = open_recording(path)
        resolved, query, dial_hz = self._desk.route, "loop=yes", recording.centre_hz
        if recording.tuner_hz is None and recording.centre_hz and resolved.converters:
            if centre_at is None:
                centre_at = whose_centre(resolved, recording.centre_hz, path.name)
            if centre_at == "dial":
                there = resolved.at(recording.centre_hz)
                inverted = path_sense(there.counted_stages(recording.centre_hz)) < 0
                tuner = format_plain(there.counted_hz(recording.centre_hz))
                query += f"&tuner={tuner}&inverted={'yes' if inverted else 'no'}"
            else:
                dial_hz = resolved.dial_of(recording.centre_hz, resolved.dial_hz)
        self.end_sound()
        self._ran_before = self._live_receiver.wanted and (self._ran_before or not self._live_receiver.plays)
        self._live_receiver.play(f"recording:{recording.path}?{query}")
        if any(route.name == recording.route for route in self._desk.station.routes):
            self._desk.choose_route(recording.route)
        if dial_hz and abs(self._desk.station.dial_hz - dial_hz) > WELL_INSIDE * recording.rate_hz:
            self._desk.dial(dial_hz)
        self._changed.tell()

    def play_sound(self, path: "Path") -> None:
        """Play a sound recording; the receiver goes on, unheard. Raises BadRecording."""
        from yarddial.records.sound_player import SoundPlayer

        self.end_replay()
        self.player = SoundPlayer(path, clock.monotonic_s())
        self._changed.tell()

    def sound_due(self) -> "list[Sound]":
        """What of the played sound is to be heard by now; ends it when it is over."""
        if self.player is None:
            return []
        due = [Sound(self.player.rate_hz, block, 0.0, True) for block in self.player.due(clock.monotonic_s())]
        if self.player.is_done:
            self.end_sound()
        return due

    def end_sound(self) -> None:
        """End a sound that plays."""
        player, self.player = self.player, None
        if player is not None:
            player.close()
            self._changed.tell()

    @property
    def is_playing(self) -> bool:
        """True while a recording plays, of samples or of sound."""
        return self.player is not None or bool(self._live_receiver.plays)

    def end_replay(self) -> None:
        """Return to the receiver, which runs again if it ran before and was not stopped meanwhile."""
        self.end_sound()
        if not self._live_receiver.plays:
            return
        is_wanted = self._live_receiver.wanted
        self._live_receiver.play("")
        if self._ran_before and is_wanted:
            self._live_receiver.start(self._desk.route)
        self._changed.tell()

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        if not isinstance(event, RecordingState) or self._lease is None:
            return
        self.recording = event
        if event.is_done:
            if event.seconds_s and event.far:
                self._bring_over(event)
            elif event.seconds_s:
                self.last_recording = event.path
                self._note(f"Samples of {event.seconds_s:.1f} s saved as {event.path}")
            nothing = "nothing was recorded: it was stopped before the first samples came"
            trouble = event.trouble or ("" if event.seconds_s else nothing)
            self._lease.end("failed" if trouble else "done", trouble)
        self._changed.tell()

    def _bring_over(self, event: RecordingState) -> None:
        """Transfer a full-width recording from another computer, as fast as the link carries beside the audio."""
        kept_s, name, far = event.seconds_s, event.path, event.far
        self._note(f"Samples of {kept_s:.1f} s kept on {far} as {name}")

        def told(fetching: "Fetching") -> None:
            self.brought = f"{fetching.share:.0%} of {name} is brought over from {far}"
            if fetching.is_done:
                self.brought, self.trouble = "", fetching.trouble and f"{name} on {far}: {fetching.trouble}"
            if fetching.is_done and not fetching.trouble:
                self.last_recording = str(fetching.meta_path)
                self._note(f"Samples of {kept_s:.1f} s brought from {far}, saved as {fetching.meta_path}")
            self._changed.tell()

        if self._path is not None:
            self._bring(name, self._path, told)

    def ended(self, ending: Ending) -> None:
        """Report whether the file is complete."""
        recording, self._lease, self.recording = self.recording, None, None
        self.trouble = ending.reason
        if ending.how == "lost" and recording is not None:
            # A receiver that stops in order has reported its recording before.
            self.trouble = f"{recording.path} is not whole: the receiver's process ended while it was recorded"
        self._changed.tell()

    def _annotations(self, settings: DemodulationSettings, centre_hz: float, rate_hz: float) -> list[dict[str, object]]:
        """SigMF annotations of the channel and the known stations in the span."""
        dial_hz = self._desk.station.dial_hz
        marks = [
            (dial_hz + settings.low_hz, dial_hz + settings.high_hz, f"as {DEMODULATIONS[settings.demodulation].name}")
        ]
        for reference in self._desk.station.references:
            if abs(reference.frequency_hz - centre_hz) < rate_hz / 2:
                half_hz = DEMODULATIONS[demodulations_of(reference.mode, reference.frequency_hz)[0]].width_hz / 2
                marks.append((reference.frequency_hz - half_hz, reference.frequency_hz + half_hz, reference.name))
        # A label has at most twenty characters.
        return [
            {"core:sample_start": 0, "core:freq_lower_edge": low, "core:freq_upper_edge": high, "core:label": name[:20]}
            for low, high, name in marks
        ]


class RecorderTopics(ReceiverTopics, Protocol):
    """What the recorder needs of the session."""

    @property
    def notes(self) -> Notes:
        """The notes in the log."""
        ...

    @property
    def far_recordings(self) -> FarRecordings:
        """Transfers recordings from another computer."""
        ...


def _make(of: RecorderTopics) -> Recorder:
    return Recorder(of.desk, of.live_receiver, of.jobs, of.notes.add, of.far_recordings.bring)


DECLARATION = Declaration(
    make=_make,
    kinds=(RECORDING,),
    is_under_way=lambda recorder: recorder.recording is not None,
    needs_polls=lambda recorder: recorder.player is not None,
    close=Recorder.end_sound,
)
