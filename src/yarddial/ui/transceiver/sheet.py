"""The transceiver: state, danger to the receiver, following, split, and link."""

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from yarddial.session.rig.verdict import rig_verdict
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.transceiver.link_rows import LinkRows
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline, keep_width
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import BadFrequency, YardDialError
from yarddial.yard.frequency import format_frequency, parse_frequency

# What a person has to look at on the transceiver, in their own words, before its power is acknowledged for a route.
CHECKS = (
    ("Menu function that closes its output", "such as: RX antenna off in transmission, menu 4.2"),
    ("What shows that it is closed", "such as: the RX lamp goes out"),
    ("Level at the receiver at the lowest power", "such as: S3, no clipping; or as the isolation was measured"),
)


class TransceiverSheet(Sheet):
    """The verdict first; then the actions from top to bottom."""

    manual_page = "transceiver"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Transceiver", 760)
        self._session, self._rig = session, session.rig
        self.headline = Headline()
        self._mark, self.worst = MarkSign(size=12), Words("", 13, wrap=True)
        self.worst.setAccessibleName("Power at the receiver")
        self.seen = button("I have seen it", tip="Kept with the yard for this route, until the numbers change")
        self.checks = [QLineEdit() for _ in CHECKS]
        for field, (name, hint) in zip(self.checks, CHECKS, strict=True):
            field.setAccessibleName(name)
            field.setPlaceholderText(hint)
            field.textChanged.connect(lambda _: self._show_worst())
        self._checklist = QWidget()
        self.follow = button("Follow it", strong=True, tip="Dial and transceiver move as one (F)")
        self.unlink = button("Let it go", tip="Nothing follows, and the receiver is free on every route")
        self.split_at = QLineEdit()
        self.split_at.setAccessibleName("Transmit at")
        self.split_at.setPlaceholderText("such as 7.105M")
        self.split = button("Split", tip="Have it transmit there, and receive where it stands")
        self.together = button("End split", tip="Transmit where it receives")
        self.own = button("Its own transmission…", tip="Into a dummy load: how true its dial is, and how wide it is")
        self.isolation = button(
            "Measure the isolation…",
            tip="What of its power comes to the receiver: behind an attenuator, at the lowest power; begins unlinked",
        )
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.setAccessibleName("Refusal")
        self._linked_only = QWidget()
        self.links = LinkRows(session, self._say)
        self._lay_out()
        self._join()
        soon = Soon(self, self._show)
        self.when_left(
            self._rig.on_rig_changed(soon), session.desk.on_dial_changed(soon), session.desk.on_yard_changed(soon)
        )
        self._show()
        self.resize(px(760), px(720))

    def _lay_out(self) -> None:
        safe, split = QHBoxLayout(), QHBoxLayout()
        safe.setSpacing(px(10))
        safe.addWidget(self._mark)
        safe.addWidget(self.worst, 1)
        safe.addWidget(self.seen)
        # The actions keep their place at the foot, linked or not.
        keep_width(self.follow, "Follow it", "Leave it there", "Back to it")
        for at, widget in enumerate((self.follow, self.own, self.unlink, self.isolation), 1):
            self.buttons.insertWidget(at, widget)
        split.setSpacing(px(10))
        split.addWidget(self.split_at, 1)
        split.addWidget(self.split)
        split.addWidget(self.together)
        rows = QGridLayout(self._checklist)
        rows.setContentsMargins(px(22), 0, 0, 0)
        for row, field in enumerate(self.checks):
            rows.addWidget(Words(field.accessibleName(), 12, tone="quiet"), row, 0)
            rows.addWidget(field, row, 1)
        linked = QVBoxLayout(self._linked_only)
        linked.setContentsMargins(0, 0, 0, 0)
        linked.setSpacing(px(10))
        linked.addWidget(Words("What it brings to the receiver at worst", 15, "serif"))
        linked.addLayout(safe)
        linked.addWidget(self._checklist)
        linked.addWidget(Words("Transmit elsewhere", 15, "serif"))
        linked.addLayout(split)
        linked.addWidget(hairline())
        self.body.addWidget(self.headline)
        self.body.addWidget(self.said)
        self.body.addWidget(hairline())
        self.body.addWidget(self._linked_only)
        self.body.addWidget(Words("How it is linked", 15, "serif"))
        self.body.addWidget(self.links)
        self.body.addStretch()

    def _join(self) -> None:
        self.seen.clicked.connect(self._see)
        self.follow.clicked.connect(self._toggle)
        self.unlink.clicked.connect(self._rig.unlink)
        self.split.clicked.connect(self._split)
        self.split_at.returnPressed.connect(self._split)
        self.together.clicked.connect(lambda: self._rig.split(None))
        self.own.clicked.connect(self._show_own)
        self.isolation.clicked.connect(self._show_isolation)

    def _say(self, sentence: str) -> None:
        self.said.setText(sentence[:1].upper() + sentence[1:])
        self.said.setVisible(bool(sentence))

    def _see(self) -> None:
        words = (f"{field.accessibleName()}: {field.text().strip()}" for field in self.checks)
        self._rig.safety.acknowledge("; ".join(words))

    def _toggle(self) -> None:
        self._say("" if self._rig.toggle() else "first look at what it brings to the receiver, and say that you have")

    def _split(self) -> None:
        try:
            hertz = parse_frequency(self.split_at.text(), "MHz")
        except BadFrequency as error:
            self._say(str(error))
            return
        part = self._rig.part
        if part is not None and (why := part.why_not(hertz)):
            self._say(why)
            return
        self._say("")
        self._rig.split(hertz)

    def _show_own(self) -> None:
        from yarddial.ui.transceiver.own_transmission_sheet import OwnTransmissionSheet

        parent = self.parentWidget()
        OwnTransmissionSheet(parent if parent is not None else self, self._session).show()

    def _show_isolation(self) -> None:
        from yarddial.ui.transceiver.isolation_sheet import IsolationSheet

        parent = self.parentWidget()
        IsolationSheet(parent if parent is not None else self, self._session).show()

    def _show(self) -> None:
        rig = self._rig
        verdict = rig_verdict(rig)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        linked = rig.status != "off"
        self._linked_only.setVisible(linked)
        self._show_worst()
        followed = rig.is_wanted and not rig.is_roaming
        self.follow.setText("Leave it there" if followed else "Back to it" if rig.is_roaming else "Follow it")
        self.follow.setEnabled(linked and rig.safety.is_acknowledged)
        self.own.setEnabled(linked)
        self.unlink.setEnabled(linked)
        split_hz = rig.transmit_place_hz()
        self.together.setEnabled(split_hz is not None)
        if split_hz is not None and not self.split_at.hasFocus():
            self.split_at.setText(format_frequency(split_hz))
        self.links.show_link()

    def _show_worst(self) -> None:
        rig = self._rig
        try:
            worst = rig.safety.worst()
        except YardDialError as error:
            self.worst.setText(str(error))
            return
        owes = rig.status != "off" and worst is not None and not rig.safety.is_acknowledged
        self.seen.setVisible(owes)
        self._checklist.setVisible(owes)
        self.seen.setEnabled(all(field.text().strip() for field in self.checks))
        if worst is None:
            self._mark.set_mark("good")
            self.worst.setText("Nothing of what it transmits comes to the receiver on this route.")
            return
        margin_db = worst.margin_db
        mark = "stop" if not worst.is_safe else "look" if margin_db is not None and margin_db < 10 else "good"
        self._mark.set_mark(mark)
        rule = "Check isolation and menu yourself before the first transmission; local rules and your licence decide."
        self.worst.setText(f"{worst.words}. {rule}")
