"""By a tone: heard as AM, on the upper and on the lower sideband; from recordings, or with the receiver now."""

from typing import TYPE_CHECKING

from yarddial.session.session import Session
from yarddial.ui.places.true.ways.page import WayPage, entry
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import button
from yarddial.ui.work import Work
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_doubt, format_hertz, parse_frequency

if TYPE_CHECKING:
    from yarddial.analysis.tones.dial_error import Heard, ToneAnswer

HOW = (
    "For a station that sends a steady tone, with any receiver that has a loudspeaker. With the dial on the stated "
    "frequency, the upper sideband gives the tone plus the dial's error, the lower one the tone minus it: half their "
    "difference is the error, whatever the tone itself is off. Ten seconds of each give a hundredth of a hertz; a dial "
    "that is more than 450 Hz off hears no tone, so bring it near first."
)
SOUND = "Sound (*.wav *.flac)"
WAYS: "tuple[tuple[Heard, str], ...]" = (("am", "As AM"), ("usb", "Upper sideband"), ("lsb", "Lower sideband"))


class ByTone(WayPage):
    """Three files and a tone, or the receiver."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "By a tone", HOW)
        self.tone = entry("The tone that is sent", "1000 Hz")
        self.files: dict[Heard, PathField] = {
            way: PathField(f"Recording, {name}", "sound file; two of the three will do", kinds=SOUND)
            for way, name in WAYS
        }
        self.hear = button("Hear it now", tip="Listen to the station at the dial in all three ways, 6 s each")
        self.read = button("Read the files")
        self.take = button("Take it", strong=True, tip="Count it as a measurement of the station at the dial")
        self.hear.clicked.connect(self.hear_now)
        self.read.clicked.connect(self.read_files)
        self.take.clicked.connect(self.take_it)
        self.take.setEnabled(False)
        rows = [("Tone sent", self.tone, self.hear)]
        self.fields([*rows, *((name, self.files[way], None) for way, name in WAYS)])
        self.buttons(self.read, self.take)
        self.told: ToneAnswer | None = None
        self._heard_at_hz: float | None = None
        self._leave = session.live_ways.on_gathering_changed(self._moved)

    def leave(self) -> None:
        """Stop hearing."""
        if self.session.live_ways.running == "tone":
            self.session.live_ways.cancel()

    def hear_now(self) -> None:
        """With the running receiver; the button stops it meanwhile."""
        live = self.session.live_ways
        if live.running == "tone":
            live.cancel()
        elif why := live.why_not("tone"):
            self.refuse(why)
        else:
            self.attempt(lambda: live.hear_tone(self._tone_hz()))

    def read_files(self) -> None:
        """From sound files, off the interface thread."""
        from yarddial.session.other_ways import tone_in_files

        files = {way: field.path for way, field in self.files.items() if field.path is not None}
        try:
            near_hz = self._tone_hz()
        except BadFrequency as error:
            self.refuse(str(error))
            return
        self._heard_at_hz = None
        self._work(lambda: tone_in_files(files, near_hz))

    def take_it(self) -> None:
        """Count it."""
        told = self.told
        if told is not None and self.attempt(lambda: self.session.other_ways.take_tone(told, self._heard_at_hz)):
            self.take.setEnabled(False)
            outcome = self.session.truing.outcome
            self.tell(f"taken: {outcome.text}" if outcome is not None else "")

    def _tone_hz(self) -> float:
        hertz = parse_frequency(self.tone.text())
        if not 30.0 < hertz < 20e3:
            raise BadFrequency("a tone lies between 30 Hz and 20 kHz: give the one that the station sends")
        return hertz

    def _moved(self) -> None:
        live = self.session.live_ways
        self.hear.setText("Stop" if live.running == "tone" else "Hear it now")
        if live.running == "tone":
            self.said.setText("")
            self.answer.setText(f"Hearing it as AM, on the upper and on the lower sideband: {live.fraction:.0%} done.")
        elif live.trouble and self.isVisible():
            self.refuse(live.trouble)
        elif live.work is not None and live.gathered == "tone" and self.isVisible():
            work, live.work = live.work, None
            self._heard_at_hz = live.heard_at_hz
            self._work(work)

    def _work(self, call: object) -> None:
        self.answer.setText("Working it out…")
        work = Work(self, call)  # type: ignore[arg-type]
        work.done.connect(self._show)
        work.refused.connect(self.refuse)
        work.start()

    def _show(self, told: "ToneAnswer") -> None:
        self.told = told
        self.take.setEnabled(self.session.truing.reference() is not None)
        moved_hz = 0.0
        reference = self.session.truing.reference()
        if self._heard_at_hz is not None and reference is not None:
            moved_hz = self._heard_at_hz - reference.frequency_hz
        error_hz = told.dial_error_hz + moved_hz
        side = "high" if error_hz > 0 else "low"
        size = format_hertz(abs(error_hz), told.sigma_hz, signed=False)
        self.tell(f"The dial reads {size} {side} {format_doubt(told.sigma_hz)}; the tone is {told.tone_hz:.2f} Hz")
