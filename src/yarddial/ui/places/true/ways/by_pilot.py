"""By a stereo pilot: the sample clock, whatever converters and oscillators do."""

from typing import TYPE_CHECKING

from yarddial.session.session import Session
from yarddial.ui.places.true.ways.page import WayPage, entry
from yarddial.ui.widgets.words import button
from yarddial.ui.work import Work
from yarddial.yard.errors import BadFrequency, BadObservations
from yarddial.yard.frequency import format_number, parse_frequency
from yarddial.yard.references import kind_named

if TYPE_CHECKING:
    from yarddial.dsp.frequency_modulation import Pilot

HOW = (
    "A stereo broadcaster sends a tone of 19 kHz in its programme. The sample clock alone counts it, wherever the dial "
    "or a converter stands: so it tells receiver and converter apart with one look. It is no truer than the station: "
    "the rule allows 2 Hz, a hundred ppm; one that takes its clock from a satellite keeps a thousandth of that. Put "
    "the dial on a strong station of FM broadcasting first."
)


class ByPilot(WayPage):
    """How true the pilot is, and the receiver's clock by it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "By a stereo pilot", HOW)
        kind = kind_named("stereo pilot")
        usual_hz = kind.sigma_hz(19_000.0) if kind is not None else 1.0
        self.right_to = entry("How true the station's pilot is", f"{usual_hz:g} Hz")
        self.hear = button("Hear it now", tip="Keep 4 s of samples and count the pilot in them")
        self.take = button("Take it", strong=True, tip="Count it as a measurement of the receiver's clock")
        self.hear.clicked.connect(self.hear_now)
        self.take.clicked.connect(self.take_it)
        self.take.setEnabled(False)
        self.fields([("Its pilot is true to ±", self.right_to, None)])
        self.buttons(self.hear, self.take)
        self.told: Pilot | None = None
        self._leave = session.live_ways.on_gathering_changed(self._moved)

    def leave(self) -> None:
        """Stop listening."""
        if self.session.live_ways.running == "pilot":
            self.session.live_ways.cancel()

    def hear_now(self) -> None:
        """With the running receiver; the button stops it meanwhile."""
        live = self.session.live_ways
        if live.running == "pilot":
            live.cancel()
        elif why := live.why_not("pilot"):
            self.refuse(why)
        else:
            live.hear_pilot()

    def take_it(self) -> None:
        """Count it."""
        told = self.told
        if told is not None and self.attempt(lambda: self.session.other_ways.take_pilot(told, self._right_to_hz())):
            self.take.setEnabled(False)
            outcome = self.session.truing.outcome
            self.tell(f"taken: {outcome.text}" if outcome is not None else "")

    def _right_to_hz(self) -> float:
        try:
            return parse_frequency(self.right_to.text().lstrip("±+- "))
        except BadFrequency as error:
            raise BadObservations(str(error)) from error

    def _moved(self) -> None:
        live = self.session.live_ways
        self.hear.setText("Stop" if live.running == "pilot" else "Hear it now")
        if live.running == "pilot":
            self.said.setText("")
            self.answer.setText(f"Keeping samples: {live.fraction:.0%} done.")
        elif live.trouble and self.isVisible():
            self.refuse(live.trouble)
        elif live.work is not None and live.gathered == "pilot" and self.isVisible():
            call, live.work = live.work, None
            self.answer.setText("Counting the pilot…")
            work = Work(self, call)
            work.done.connect(self._show)
            work.refused.connect(self.refuse)
            work.start()

    def _show(self, told: "Pilot") -> None:
        self.told = told
        self.take.setEnabled(True)
        # A strong station's noise allows more digits than anybody's pilot is worth.
        sigma_ppm = max(1e6 * told.sigma_hz / 19_000.0, 0.001)
        clock = f"{format_number(told.clock_ppm, sigma_ppm, signed=True)} ± {format_number(sigma_ppm, sigma_ppm)} ppm"
        self.tell(f"The sample clock is off by {clock}, if the pilot is true")
