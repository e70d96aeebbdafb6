"""Manual reading: by eye on a zoomed picture, or by zero beat."""

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.page import MethodPage, entry
from yarddial.ui.widgets.words import button
from yarddial.yard.frequency import format_frequency

INTRODUCTION_TEXT = (
    "Works with any receiver that shows a number. Zero beat: hear the station on a sideband and turn until the beat "
    "stops; a beat slower than one a second is within 1 Hz, and a flutter of the S-meter slower still. By eye: zoom "
    "until the carrier is a line, and read it to one row. Give the reading with its uncertainty; without one "
    "its last digit is it."
)


class ByHand(MethodPage):
    """Page for a reading by hand: one field."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "By eye or by zero beat", INTRODUCTION_TEXT)
        self.reading = entry("What the dial reads on the station")
        keep = button("Keep the reading", strong=True)
        keep.clicked.connect(self.keep)
        self.reading.returnPressed.connect(self.keep)
        self.fields([("The dial reads", self.reading, keep)])
        reference = session.calibration.reference()
        if reference is None:
            self.refuse("the dial is on no known station: press ] for the next one")
        else:
            self.reading.setText(f"{format_frequency(reference.frequency_hz)} ± 10 Hz")

    def keep(self) -> None:
        """Take the reading."""
        if self.attempt(lambda: self.session.other_methods.read_dial(self.reading.text())):
            outcome = self.session.calibration.outcome
            self.tell(outcome.text if outcome is not None else "")
