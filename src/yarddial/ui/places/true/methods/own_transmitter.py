"""The person's own transmitter as a reference, with cautions first."""

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.page import MethodPage, entry
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.references import kind_named

INTRODUCTION_TEXT = (
    "A transmitter is as true as its own oscillator: within 0.5 to 10 ppm, 70 to 1500 Hz at 145 MHz. That proves the "
    "arithmetic of a route, sign and size, better than it trues a dial. Let it warm up, key it for a few seconds, and "
    "measure the carrier as any other station."
)


class OwnTransmitter(MethodPage):
    """Cautions, then a name and a frequency."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "By your own transmitter", INTRODUCTION_TEXT)
        kind = kind_named("own transmitter")
        care = Words(kind.needs_care if kind is not None else "", 13, weight=600, tone="vermilion", wrap=True)
        care.setAccessibleName("Caution")
        self.body.addWidget(care)
        self.name = entry("Name of the transmitter", "", "as you call it")
        self.place = entry("Its frequency and uncertainty", "", "145.5 MHz ± 150 Hz; without an uncertainty 2 ppm")
        keep = button("Dial it as a known station", strong=True)
        keep.clicked.connect(self.keep)
        self.place.returnPressed.connect(self.keep)
        self.fields([("Name", self.name, None), ("Sends at", self.place, keep)])

    def keep(self) -> None:
        """Add it as a reference and dial it."""
        name, text = self.name.text().strip(), self.place.text()
        if self.attempt(lambda: self.session.other_methods.state_own_transmitter(name, text)):
            self.tell(f"{name} is a known station now: into the dummy load with it, key it, and press M")
