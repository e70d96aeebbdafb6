"""Tone: heard as AM, on the upper and on the lower sideband; from recordings, or with the receiver."""

from typing import TYPE_CHECKING

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.live_page import LivePage
from yarddial.ui.places.true.methods.page import entry
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import button
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_hertz, format_sigma, parse_frequency

if TYPE_CHECKING:
    from yarddial.analysis.tones.dial_error import ToneReception

INTRODUCTION_TEXT = (
    "For a station that sends a steady tone, with any receiver that has a loudspeaker. With the dial on the stated "
    "frequency, the upper sideband gives the tone plus the dial's error, the lower one the tone minus it: half their "
    "difference is the error, whatever the tone itself is off. Ten seconds of each give a hundredth of a hertz; a dial "
    "that is more than 450 Hz off hears no tone, so bring it near first."
)
SOUND = "Sound (*.wav *.flac)"
DEMODULATIONS: "tuple[tuple[ToneReception, str], ...]" = (
    ("am", "As AM"),
    ("usb", "Upper sideband"),
    ("lsb", "Lower sideband"),
)


class ByTone(LivePage):
    """Three files and a tone, or the receiver."""

    method = "tone"

    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            "By a tone",
            INTRODUCTION_TEXT,
            "Listen to the station at the dial in all three ways, 6 s each",
            "Count it as a measurement of the station at the dial",
        )
        self.tone = entry("The tone that is sent", "1000 Hz")
        self.files: dict[ToneReception, PathField] = {
            method: PathField(f"Recording, {name}", "sound file; two of the three will do", kinds=SOUND)
            for method, name in DEMODULATIONS
        }
        self.read = button("Read the files")
        self.read.clicked.connect(self.read_files)
        rows = [("Tone sent", self.tone, self.hear)]
        self.fields([*rows, *((name, self.files[method], None) for method, name in DEMODULATIONS)])
        self.buttons(self.read, self.take)
        self._heard_at_hz: float | None = None

    def begin(self) -> None:
        """Listen in three demodulations."""
        self.session.live_methods.hear_tone(self._tone_hz())
        self._heard_at_hz = self.session.live_methods.heard_at_hz

    def doing(self, done: str) -> str:
        """Text while the three tones are recorded."""
        return f"Hearing it as AM, on the upper and on the lower sideband: {done} done."

    def read_files(self) -> None:
        """Read audio files, in a thread."""
        from yarddial.session.calibration.other_methods import tone_in_files

        files = {method: field.path for method, field in self.files.items() if field.path is not None}
        try:
            near_hz = self._tone_hz()
        except BadFrequency as error:
            self.refuse(str(error))
            return
        self._heard_at_hz = None
        self.work_out(lambda: tone_in_files(files, near_hz))

    def count(self, answer: object) -> None:
        """Use the result for the station at the dial."""
        from yarddial.analysis.tones.dial_error import ToneAnswer

        assert isinstance(answer, ToneAnswer)
        self.session.other_methods.take_tone(answer, self._heard_at_hz)

    def _tone_hz(self) -> float:
        hertz = parse_frequency(self.tone.text())
        if not 30.0 < hertz < 20e3:
            raise BadFrequency("a tone lies between 30 Hz and 20 kHz: give the one that the station sends")
        return hertz

    def show_told(self, answer: object) -> bool:
        """Show the dial error and the tone."""
        from yarddial.analysis.tones.dial_error import ToneAnswer

        assert isinstance(answer, ToneAnswer)
        moved_hz = 0.0
        reference = self.session.calibration.reference()
        if self._heard_at_hz is not None and reference is not None:
            moved_hz = self._heard_at_hz - reference.frequency_hz
        error_hz = answer.dial_error_hz + moved_hz
        side = "high" if error_hz > 0 else "low"
        size = format_hertz(abs(error_hz), answer.sigma_hz, signed=False)
        self.tell(f"The dial reads {size} {side} {format_sigma(answer.sigma_hz)}; the tone is {answer.tone_hz:.2f} Hz")
        return reference is not None
