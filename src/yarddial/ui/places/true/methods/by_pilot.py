"""Stereo pilot: measures the sample clock, independent of converters and oscillators."""

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.live_page import LivePage
from yarddial.ui.places.true.methods.page import entry
from yarddial.yard.errors import BadFrequency, BadObservations
from yarddial.yard.frequency import format_number, parse_frequency
from yarddial.yard.references import PILOT_HZ, kind_named

INTRODUCTION_TEXT = (
    "A stereo broadcaster sends a tone of 19 kHz in its programme. The sample clock alone counts it, wherever the dial "
    "or a converter stands: so it tells receiver and converter apart with one look. It is no truer than the station: "
    "the rule allows 2 Hz, a hundred ppm; one that takes its clock from a satellite keeps a thousandth of that. Put "
    "the dial on a strong station of FM broadcasting first."
)


class ByPilot(LivePage):
    """Accuracy of the pilot, and the receiver's clock from it."""

    method, working = "pilot", "Counting the pilot…"

    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            "By a stereo pilot",
            INTRODUCTION_TEXT,
            "Keep 4 s of samples and count the pilot in them",
            "Count it as a measurement of the receiver's clock",
        )
        kind = kind_named("stereo pilot")
        usual_hz = kind.sigma_hz(PILOT_HZ) if kind is not None else 1.0
        self.right_to = entry("How true the station's pilot is", f"{usual_hz:g} Hz")
        self.fields([("Its pilot is true to ±", self.right_to, None)])
        self.buttons(self.hear, self.take)

    def begin(self) -> None:
        """Record samples for the pilot."""
        self.session.live_methods.hear_pilot()

    def show_told(self, answer: object) -> bool:
        """Show the clock error by the pilot."""
        from yarddial.dsp.frequency_modulation import Pilot

        assert isinstance(answer, Pilot)
        # A strong station's noise allows more digits than any pilot's accuracy.
        sigma_ppm = max(1e6 * answer.sigma_hz / PILOT_HZ, 0.001)
        clock = f"{format_number(answer.clock_ppm, sigma_ppm, signed=True)} ± {format_number(sigma_ppm, sigma_ppm)} ppm"
        self.tell(f"The sample clock is off by {clock}, if the pilot is true")
        return True

    def count(self, answer: object) -> None:
        """Include the uncertainty of the station's own pilot."""
        from yarddial.dsp.frequency_modulation import Pilot

        assert isinstance(answer, Pilot)
        text = self.right_to.text().lstrip("±+- ")
        try:
            right_to_hz = parse_frequency(text)
        except BadFrequency as error:
            raise BadObservations(f"'{text}' is no uncertainty of a pilot: give it in hertz, such as 0.7 Hz") from error
        self.session.other_methods.take_pilot(answer, right_to_hz)
