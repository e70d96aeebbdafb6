"""Common parts of the pages that record with the running receiver."""

from collections.abc import Callable

from PyQt6.QtGui import QShowEvent

from yarddial.session.calibration.live_methods import LiveMethod
from yarddial.session.session import Session
from yarddial.ui.places.true.methods.page import MethodPage
from yarddial.ui.widgets.words import button
from yarddial.ui.work import Work


class LivePage(MethodPage):
    """Records, evaluates in a thread, shows the result, and uses it on request.

    It follows the recording only while shown: opening another page ends it.
    """

    method: LiveMethod
    asks, working = "Hear it now", "Working it out…"

    def __init__(self, session: Session, heading: str, how: str, tip: str, take_tip: str) -> None:
        super().__init__(session, heading, how)
        self.hear = button(self.asks, tip=tip)
        self.take = button("Take it", strong=True, tip=take_tip)
        self.hear.clicked.connect(self.hear_now)
        self.take.clicked.connect(self.take_it)
        self.take.setEnabled(False)
        self.told: object = None
        self._unheard: Callable[[], None] = _nothing

    # What each page says for itself

    def begin(self) -> None:
        """Start recording. Raises YardDialError for invalid input."""
        raise NotImplementedError

    def doing(self, done: str) -> str:
        """What runs, with its progress."""
        return f"Keeping samples: {done} done."

    def show_told(self, answer: object) -> bool:
        """Show the result; True where it may be used."""
        raise NotImplementedError

    def count(self, answer: object) -> None:
        """Use the result as a measurement. Raises YardDialError."""
        raise NotImplementedError

    # What is alike

    def showEvent(self, event: QShowEvent | None) -> None:
        """Follow the recording from now on."""
        super().showEvent(event)
        self._unheard()
        self._unheard = self.session.live_methods.on_gathering_changed(self._moved)

    def leave(self) -> None:
        """End what runs for this page."""
        self._unheard()
        self._unheard = _nothing
        if self.session.live_methods.running == self.method:
            self.session.live_methods.cancel()
            self.hear.setText(self.asks)

    def hear_now(self) -> None:
        """Record with the running receiver; the button stops it meanwhile."""
        live = self.session.live_methods
        if live.running == self.method:
            live.cancel()
        elif why := live.why_not(self.method):
            self.refuse(why)
        else:
            self.attempt(self.begin)

    def take_it(self) -> None:
        """Count the result as an observation."""
        if self.told is not None and self.attempt(lambda: self.count(self.told)):
            self.take.setEnabled(False)
            outcome = self.session.calibration.outcome
            self.tell(f"taken: {outcome.text}" if outcome is not None else "")

    def work_out(self, call: Callable[[], object]) -> None:
        """Evaluate in a thread of its own."""
        self.answer.setText(self.working)
        work = Work(self, call)
        work.done.connect(self._show)
        work.refused.connect(self.refuse)
        work.start()

    def _moved(self) -> None:
        live = self.session.live_methods
        self.hear.setText("Stop" if live.running == self.method else self.asks)
        if live.running == self.method:
            self.said.setText("")
            self.answer.setText(self.doing(f"{live.fraction:.0%}"))
        elif live.trouble:
            self.refuse(live.trouble)
        elif live.work is not None and live.gathered == self.method:
            work, live.work = live.work, None
            self.work_out(work)

    def _show(self, answer: object) -> None:
        self.told = answer
        self.take.setEnabled(self.show_told(answer))


def _nothing() -> None:
    """Do nothing: no listener is connected yet."""
