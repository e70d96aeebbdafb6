"""Recording and replay: three buttons and their state."""

from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from yarddial.analysis.audit.caution import RECORDING
from yarddial.session.listening.heard_and_seen import SOUND_RATE_HZ
from yarddial.session.listening.own_recordings import own_recordings
from yarddial.session.listening.replayed_centre import CentreAt
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, keep_width
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard import clock
from yarddial.yard.errors import CentreUnclear

# Interval at which the length of a recording is shown.
SHOWN_EVERY_S = 0.5


class RecorderRow(QWidget):
    """Audio, samples, play; below them the last file or the trouble."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._recorder = session, session.listening.recorder
        self._shown_s = 0.0
        self.sound = button("Record sound", tip="Write what is heard into a WAV file")
        self.samples = button("Record samples", tip="Write what the receiver gives into a SigMF recording")
        self.play = button("Play", tip="Play a recording in the receiver's place")
        self.said = Words("", 12, tone="quiet", wrap=True).keep_lines(2, in_low_window=1)
        keep_width(self.sound, "Record sound", "Stop recording")
        keep_width(self.samples, "Record samples", "Stop recording")
        keep_width(self.play, "Play", "End playing")
        row = FlowRow(spacing=6)
        acts = ((self.sound, self.toggle_sound), (self.samples, self.toggle_samples), (self.play, self.toggle_play))
        for widget, act in acts:
            widget.clicked.connect(act)
            row.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(4))
        layout.addLayout(row)
        layout.addWidget(self.said)
        show_soon = Soon(self, self.show_state)
        self._recorder.on_recorder_changed(show_soon)
        session.live_receiver.on_receiver_changed(show_soon)
        session.listening.on_heard(self._show_growth)
        self.show_state()

    def _show_growth(self) -> None:
        """Show the length of what is being recorded, a few times a second."""
        is_growing = self._recorder.sound is not None or self._recorder.player is not None
        if is_growing and (now_s := clock.monotonic_s()) - self._shown_s > SHOWN_EVERY_S:
            self._shown_s = now_s
            self.show_state()

    def show_state(self) -> None:
        """Show the state of recording and replay."""
        recorder, live_receiver = self._recorder, self._session.live_receiver
        sound, recording = recorder.sound, recorder.recording
        self.sound.setText("Record sound" if sound is None else "Stop recording")
        self.sound.setEnabled(sound is not None or live_receiver.running)
        self.samples.setText("Record samples" if recording is None else "Stop recording")
        self.samples.setEnabled(recording is not None or live_receiver.running)
        self.play.setText("End playing" if recorder.is_playing else "Play")
        message = recorder.trouble
        player = recorder.player
        if not message and player is not None:
            message = f"{player.path.name} is heard: {player.played_s:.0f} of {player.duration_s:.0f} s"
        elif not message and live_receiver.plays:
            name = Path(live_receiver.plays.partition(":")[2].rpartition("?")[0]).name
            message = f"{name} plays in the receiver's place"
        elif not message and recording is not None:
            length = _length(recording.path, recording.seconds_s)
            message = f"samples: {length}, recorded until the receiver is set differently"
        elif not message and sound is not None:
            message = f"sound: {_length(str(sound.path), sound.seconds_s)}"
        elif not message and recorder.brought:
            message = recorder.brought
        elif not message and recorder.last_recording:
            message = f"saved as {Path(recorder.last_recording).name}"
        self.said.set_tone("vermilion" if recorder.trouble else "quiet")
        self.said.setText(f"{message[:1].upper()}{message[1:]}." if message else "")

    def toggle_sound(self) -> None:
        """Ask for the file of the sound, or end it."""
        if self._recorder.sound is not None:
            self._recorder.stop_recording_sound()
            return
        name = datetime.now().strftime("heard-%Y%m%d-%H%M%S.wav")
        FileSheet(self, "Record what is heard in", name, "Record", self._record_sound, note=RECORDING).show()

    def _record_sound(self, path: Path) -> None:
        channels = 2 if self._session.listening.settings.demodulation == "wfm" else 1
        self._recorder.record_sound(path, SOUND_RATE_HZ, channels)

    def toggle_samples(self) -> None:
        """Ask for the file of the samples, or end it."""
        if self._recorder.recording is not None:
            self._recorder.stop_recording_samples()
            return
        name = datetime.now().strftime("samples-%Y%m%d-%H%M%S.sigmf-meta")
        FileSheet(self, "Record the receiver's samples in", name, "Record", self._record_samples, note=RECORDING).show()

    def _record_samples(self, path: Path) -> None:
        listening = self._session.listening
        self._recorder.record_samples(path, listening.settings)

    def toggle_play(self) -> None:
        """Ask for the recording to play, or end playing."""
        if self._recorder.is_playing:
            self._recorder.end_replay()
            return
        recent = own_recordings(self._session.log)
        FileSheet(
            self, "Play a recording", "", "Play", self._replay, recent, reads=True, recent_title="Your recordings"
        ).show()

    def _replay(self, path: Path) -> None:
        try:
            self._session.replay(path)
        except CentreUnclear as unclear:
            CentreSheet(self, self._session, path, str(unclear)).show()


def _length(path: str, seconds_s: float) -> str:
    """Name, length and size of a file that is being written."""
    name = Path(path).name
    stem = Path(path).with_suffix("")
    # The samples of a SigMF recording lie beside its description.
    files = [file for file in (Path(path), stem.with_suffix(".sigmf-data")) if file.exists()]
    size_mb = sum(file.stat().st_size for file in files) / 1e6
    return f"{name}, {seconds_s:.0f} s, {size_mb:.1f} MB"


class CentreSheet(Sheet):
    """Asks whose frequency a recording states as its centre."""

    manual_page = "listen"

    def __init__(self, parent: QWidget, session: Session, path: Path, sentence: str) -> None:
        super().__init__(parent, "Whose frequency is the recording's centre?", 620)
        self.body.addWidget(Words(f"{sentence[:1].upper()}{sentence[1:]}.", 13, wrap=True))
        self.body.addStretch()
        receiver = session.desk.route.receiver.name
        self.dial = button("What the dial showed", strong=True)
        self.receiver = button(f"What {receiver} was tuned to", strong=True)
        for at, recorder_button in enumerate((self.dial, self.receiver)):
            self.buttons.insertWidget(at + 1, recorder_button)
        self.dial.clicked.connect(lambda: self._say(session, path, "dial"))
        self.receiver.clicked.connect(lambda: self._say(session, path, "receiver"))
        self.resize(self.width(), px(240))

    def _say(self, session: Session, path: Path, centre_at: CentreAt) -> None:
        self.close()
        session.replay(path, centre_at)
