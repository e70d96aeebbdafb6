"""Guided measurement of the isolation: what to do with the hands, one step at a time, and what came of it."""

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from yarddial.session.rig.isolation_measurement import IsolationStep, On
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.mark import Mark

CAUTION = (
    "It transmits for real in the last two steps. Only with a licence, on a frequency where that is allowed, with the "
    "least power. Pull the transceiver's microphone and key until it is linked; the receiver stays behind the "
    "attenuator from the second step to the end."
)
STEPS: tuple[tuple[IsolationStep, str, str], ...] = (
    ("without", "Without the attenuator", "No transceiver linked. Dial a strong signal, with a fixed gain; then look."),
    ("attenuator", "With the attenuator", "Screw it between the line and the receiver's socket, and look again."),
    ("link", "Transceiver", "Link it now, in FM."),
    ("dummy load", "Dummy load", "The lowest power into a dummy load: what its outputs let through."),
    ("antenna", "Antenna", "The lowest power into the antenna: what comes through the air besides."),
)
ORDER: tuple[IsolationStep, ...] = ("state", *(step for step, _, _ in STEPS), "done")


class IsolationSheet(Sheet):
    """The verdict first, then the five steps, then the results."""

    manual_page = "transceiver"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Measure the isolation", 760)
        self._session, self._own = session, session.isolation
        self.headline = Headline()
        self.power, self.attenuator, self.bears = (QLineEdit() for _ in range(3))
        for field, name, text in (
            (self.power, "Lowest power, W", "5"),
            (self.attenuator, "Attenuator, dB", "40"),
            (self.bears, "The attenuator takes, W", "10"),
        ):
            field.setAccessibleName(name)
            field.setText(text)
            field.returnPressed.connect(self._state)
        self.stated = button("Begin", strong=True, tip="With these three numbers")
        self._marks = [MarkSign(size=12) for _ in STEPS]
        self._steps = [Words("", 13, wrap=True) for _ in STEPS]
        self.is_on = QCheckBox("")
        self.lowest = QCheckBox("its power is set to the lowest")
        for tick in (self.is_on, self.lowest):
            tick.setFont(font(13))
            tick.clicked.connect(self._show)
        self.results = Words("", 13, wrap=True)
        self.results.setAccessibleName("Results")
        self.record = button("Look", strong=True)
        self.ready = button("Get ready", strong=True, tip="Looks for the attenuator once more, then tunes")
        self.hold = button(
            "Hold to transmit", strong=True, tip="It transmits while you hold this, for some four seconds"
        )
        self.hold.setAutoRepeat(False)
        self.enter = button("Enter it", strong=True, tip="Into the parts of this route; one step of undo")
        self._on: On = "dummy load"
        self._lay_out()
        self._join()
        self._show()
        self.resize(px(760), px(640))

    def _lay_out(self) -> None:
        numbers = QHBoxLayout()
        numbers.setSpacing(px(8))
        for field in (self.power, self.attenuator, self.bears):
            numbers.addWidget(Words(field.accessibleName(), 12, tone="quiet"))
            field.setFixedWidth(px(64))
            numbers.addWidget(field)
        numbers.addStretch()
        numbers.addWidget(self.stated)
        self.body.addWidget(self.headline)
        self.body.addWidget(Words(CAUTION, 13, tone="ochre", wrap=True))
        self.body.addWidget(hairline())
        self.body.addLayout(numbers)
        for mark, words in zip(self._marks, self._steps, strict=True):
            row = QHBoxLayout()
            row.setSpacing(px(10))
            row.addWidget(mark)
            row.addWidget(words, 1)
            self.body.addLayout(row)
        for tick in (self.is_on, self.lowest):
            self.body.addWidget(tick)
        self.body.addWidget(hairline())
        self.body.addWidget(self.results)
        self.body.addStretch()
        for place, act in enumerate((self.record, self.ready, self.hold, self.enter), 1):
            self.buttons.insertWidget(place, act)

    def _join(self) -> None:
        self.stated.clicked.connect(self._state)
        self.record.clicked.connect(self._own.record)
        self.ready.clicked.connect(self._begin)
        self.hold.pressed.connect(self._own.press)
        self.hold.released.connect(self._own.let_go)
        self.enter.clicked.connect(self._enter)
        soon = Soon(self, self._show)
        self.when_left(
            self._own.on_transmission_changed(soon),
            self._session.rig.on_rig_changed(soon),
            self._session.desk.on_dial_changed(soon),
            self._own.let_go,
            self._own.forget,
        )

    def changeEvent(self, event: QEvent | None) -> None:
        """Turning to another window releases the key."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self._own.let_go()

    def _state(self) -> None:
        try:
            power_w, attenuator_db, bears_w = (
                float(field.text().replace(",", ".")) for field in (self.power, self.attenuator, self.bears)
            )
        except ValueError:
            self._refuse("three plain numbers are needed, such as 5, 40 and 10")
            return
        self._own.state(power_w, attenuator_db, bears_w)

    def _begin(self) -> None:
        self._own.begin(self._on, is_on=self.is_on.isChecked(), lowest_power=self.lowest.isChecked())

    def _enter(self) -> None:
        if why := self._own.enter():
            self._refuse(why)
        else:
            self.headline.show_verdict("good", "It is entered.", "Take the attenuator out last, after the link.")

    def _refuse(self, why: str) -> None:
        self.headline.show_verdict("look", "Not yet.", f"{why[:1].upper()}{why[1:]}.")

    def _show(self) -> None:
        own = self._own
        step, place = own.step, ORDER.index(own.step)
        for at, (mark, words, (_, name, what)) in enumerate(zip(self._marks, self._steps, STEPS, strict=True), 1):
            shape: Mark = "good" if place > at else "look" if place == at else "unknown"
            mark.set_mark(shape)
            words.setText(f"{name}. {what}")
            words.set_tone("" if place == at else "quiet")
        on: On = "antenna" if step == "antenna" else "dummy load"
        if on != self._on:
            self._on = on
            self.is_on.setChecked(False)
        self.is_on.setText(
            "an antenna is on the transceiver" if on == "antenna" else "a dummy load is on the transceiver"
        )
        self.stated.setText("Begin" if own.protection is None else "Begin anew")
        transmits = step in ("dummy load", "antenna")
        for tick in (self.is_on, self.lowest):
            tick.setVisible(transmits)
        self.record.setVisible(step in ("without", "attenuator"))
        self.record.setEnabled(not own.why_not_record())
        self.ready.setVisible(transmits and not own.phase)
        self.ready.setEnabled(
            not own.why_not_key(on, is_on=self.is_on.isChecked(), lowest_power=self.lowest.isChecked())
        )
        self.hold.setVisible(bool(own.phase))
        self.hold.setEnabled(own.phase != "ready" or self._session.rig.key.is_ready)
        self.enter.setVisible(step == "done")
        self.results.setText("\n".join(own.words()))
        self._show_verdict(step)

    def _show_verdict(self, step: IsolationStep) -> None:
        own = self._own
        trouble = f"{own.trouble[:1].upper()}{own.trouble[1:]}." if own.trouble else ""
        if own.phase == "ready":
            usual = "Hold the button; the key is let go by itself."
            if not self._session.rig.key.is_ready:
                usual = "A moment: the transceiver has to say first that it receives."
            self.headline.show_verdict("look" if trouble else "unknown", "Ready.", trouble or usual)
        elif own.phase:
            self.headline.show_verdict("look", "It transmits: keep holding.", "Some four seconds are enough.")
        elif step == "done":
            rows = own.words()
            self.headline.show_verdict(
                "stop" if "OVER" in rows[-1] else "good", rows[-1], "Enter it, and Bench counts it."
            )
        elif trouble:
            self.headline.show_verdict("look", "Not so.", trouble)
        elif step == "state":
            why = own.limit_dbm() is None
            self.headline.show_verdict(
                "unknown",
                "How much of the transmitter comes to this receiver?",
                "State first, on Bench, the largest level that the receiver's socket takes."
                if why
                else "Say what the lowest power is, and which attenuator you have.",
            )
        else:
            what = next(text for name, _, text in STEPS if name == step)
            seen = f" The attenuator was seen: {own.seen_db:.0f} dB are certain." if own.seen_db else ""
            self.headline.show_verdict("look", what, f"Step {ORDER.index(step)} of 5.{seen}")
