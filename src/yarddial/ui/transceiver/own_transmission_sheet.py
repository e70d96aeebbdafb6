"""Measurement of the person's own transmission into a dummy load: frequency and bandwidth."""

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QCheckBox, QWidget

from yarddial.session.rig.own_transmission import TransmissionResult
from yarddial.session.rig.reference import menu_words, neighbour_words, width_words
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet


class OwnTransmissionSheet(Sheet):
    """Two confirmations, one button to hold, then the answer."""

    manual_page = "transceiver"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Its own transmission", 720)
        self._session, self._own = session, session.own_transmission
        self.headline = Headline()
        self.dummy = QCheckBox("a dummy load is on the transceiver, not an antenna")
        self.lowest = QCheckBox("its power is set to the least that it has")
        for tick in (self.dummy, self.lowest):
            tick.setFont(font(13))
            tick.clicked.connect(self._show)
        self.ready = button("Get ready", strong=True, tip="The receiver looks where it would transmit")
        self.hold = button(
            "Hold to transmit", strong=True, tip="It transmits while you hold this, for some four seconds"
        )
        self.hold.setAutoRepeat(False)
        self._rows = [Words("", 13, wrap=True) for _ in range(4)]
        for words, name in zip(self._rows, ("Reference", "What its menu wants", "Neighbours", "Width"), strict=True):
            words.setAccessibleName(name)
        self.enter = button("Enter it", tip="Make it the transceiver's measured error; one step of undo")
        self._lay_out()
        self.ready.clicked.connect(self._begin)
        self.hold.pressed.connect(self._own.press)
        self.hold.released.connect(self._own.let_go)
        self.enter.clicked.connect(self._own.enter)
        soon = Soon(self, self._show)
        self.when_left(
            self._own.on_transmission_changed(soon),
            session.rig.on_rig_changed(soon),
            self._own.let_go,
            self._own.cancel,
        )
        self._show()
        self.resize(px(720), px(560))

    def _lay_out(self) -> None:
        caution = (
            "It transmits for real. Only with a licence for it, on a frequency where that is allowed, into a dummy "
            "load, with the least power."
        )
        for widget in (self.headline, hairline(), Words(caution, 13, tone="ochre", wrap=True), self.dummy, self.lowest):
            self.body.addWidget(widget)
        self.body.addWidget(hairline())
        for words in self._rows:
            self.body.addWidget(words)
        self.body.addStretch()
        for place, act in enumerate((self.ready, self.hold, self.enter), 1):
            self.buttons.insertWidget(place, act)

    def changeEvent(self, event: QEvent | None) -> None:
        """Turning to another window releases the key."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self._own.let_go()

    def _begin(self) -> None:
        why = self._own.begin(dummy_load=self.dummy.isChecked(), lowest_power=self.lowest.isChecked())
        if why:
            self.headline.show_verdict("look", "Not yet.", f"{why[:1].upper()}{why[1:]}.")

    def _show(self) -> None:
        own = self._own
        why = own.why_not(dummy_load=self.dummy.isChecked(), lowest_power=self.lowest.isChecked())
        self.ready.setVisible(not own.phase)
        self.ready.setEnabled(not why)
        self.hold.setVisible(bool(own.phase))
        self.hold.setEnabled(own.phase != "ready" or self._session.rig.key.is_ready)
        self.enter.setVisible(own.is_worth_entering)
        if own.phase == "ready":
            usual = "Hold the button; the receiver listens, and the key is let go by itself."
            if not self._session.rig.key.is_ready:
                usual = "A moment: the transceiver has to say first that it receives."
            message = own.trouble or usual
            self.headline.show_verdict(
                "look" if own.trouble else "unknown", "Ready.", f"{message[:1].upper()}{message[1:]}"
            )
        elif own.phase:
            self.headline.show_verdict("look", "It transmits: keep holding.", "Some four seconds are enough.")
        elif own.result is not None:
            self._show_result(own.result)
            return
        elif own.trouble:
            self.headline.show_verdict("look", "It was not heard.", f"{own.trouble[:1].upper()}{own.trouble[1:]}.")
        else:
            message = why or "Everything is ready for it."
            first = "How true is the transmitter's own dial, and how wide is it?"
            self.headline.show_verdict("unknown", first, f"{message[:1].upper()}{message[1:]}".rstrip(".") + ".")
        for words in self._rows:
            words.setText("")

    def _show_result(self, result: TransmissionResult) -> None:
        sentence, consequence, mark = neighbour_words(result)
        self.headline.show_verdict(mark, sentence, consequence)
        for words, text in zip(self._rows, (*menu_words(result), width_words(result)), strict=False):
            words.setText(text)
