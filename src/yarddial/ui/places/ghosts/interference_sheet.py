"""Interference search as a sheet: what to switch off, each result, and the source."""

from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.frequency import format_frequency
from yarddial.yard.mark import Mark

INTRODUCTION_TEXT = (
    "One thing is switched off at a time and the receiver looks; what disturbs must go with it and come back with it, "
    "twice. Keep to switches and plugs, open nothing, and leave on what somebody's health or food hangs on."
)
MARKS: dict[str, Mark] = {"going on": "unknown", "named": "good", "left open": "look"}
MAX_SHOWN = 40


class InterferenceSheet(Sheet):
    """Circuits first, then one step after the other."""

    manual_page = "interference"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "What disturbs here?", 760)
        self._session, self._search = session, session.interference_search
        self.headline = Headline()
        self.rooms = QLineEdit()
        self.rooms.setPlaceholderText("such as kitchen, living room, office; empty where none can be switched off")
        self.rooms.setFont(font(13))
        self.rooms.setAccessibleName("Circuits of the house that can be switched off")
        self.battery = QCheckBox("the computer can run on a battery")
        self.mains = QCheckBox("the house can be switched off for a minute")
        self.choke = QCheckBox("ferrites are at hand")
        for box in (self.battery, self.mains, self.choke):
            box.setFont(font(13))
        self.start = button("Begin", tip="Begin a hunt at the dial's place")
        self.start.clicked.connect(self._begin)
        self.rooms.returnPressed.connect(self._begin)
        self.record = button("Done: look", strong=True, tip="What is asked for is done: let the receiver look")
        self.record.clicked.connect(self._record)
        self._now = Words("", 16, wrap=True)
        self._said = Words("", 12, tone="quiet", wrap=True)
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(px(14))
        self._rows.setVerticalSpacing(px(3))
        self._rows.setColumnStretch(0, 1)
        self._lay_out()
        self.when_left(self._search.on_search_changed(self._show), self._search.cancel)
        self._show()

    def _lay_out(self) -> None:
        self.body.addWidget(self.headline)
        self.body.addWidget(Words(INTRODUCTION_TEXT, 12, tone="quiet", wrap=True))
        self.body.addWidget(Words("Circuits that can be switched off one by one", 13))
        row = QHBoxLayout()
        row.addWidget(self.rooms, 1)
        row.addWidget(self.start)
        self.body.addLayout(row)
        able = QHBoxLayout()
        for box in (self.battery, self.mains, self.choke):
            able.addWidget(box)
        able.addStretch()
        self.body.addLayout(able)
        self.body.addWidget(self._now)
        act = QHBoxLayout()
        act.addWidget(self.record)
        act.addWidget(self._said, 1)
        self.body.addLayout(act)
        self.body.addLayout(self._rows)
        self.body.addStretch()
        self.resize(px(760), px(620))

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Cancel the record when hidden."""
        self._search.cancel()
        super().hideEvent(event)

    def _begin(self) -> None:
        rooms = tuple(dict.fromkeys(name.strip() for name in self.rooms.text().split(",") if name.strip()))
        self._search.begin(
            rooms, can_choke=self.choke.isChecked(), can_mains=self.mains.isChecked(),
            has_battery=self.battery.isChecked(),
        )  # fmt: skip

    def _record(self) -> None:
        if self._search.running:
            self._search.cancel()
        else:
            self._search.record()

    def _show(self) -> None:
        search, verdict = self._search.search, self._search.verdict
        why_not = self._search.why_not()
        self.record.setText("Stop" if self._search.running else "Done: look")
        self.record.setEnabled(self._search.running or (not why_not and self._search.step is not None))
        if search is None or verdict is None:
            where = format_frequency(self._session.desk.station.dial_hz)
            self.headline.show_verdict("unknown", "Nothing was hunted yet.", f"It is looked for around {where}.")
            self._now.setText("")
            why = self._search.why_not_begin()
            self._said.setText(f"{why[:1].upper()}{why[1:]}." if why else "Tick what can be done here, then begin.")
            return
        if verdict.state == "going on":
            what = search.seen.words if search.seen is not None else "nothing was looked at yet"
            self.headline.show_verdict("unknown", "The hunt goes on.", f"It looks like {what}.")
        else:
            self.headline.show_verdict(MARKS[verdict.state], verdict.sentence, verdict.advice)
        step = self._search.step
        self._now.setText(step.words if step is not None else "")
        trouble = self._search.trouble or why_not
        message = f"{trouble[:1].upper()}{trouble[1:]}." if trouble else ""
        self._said.setText("Looking." if self._search.running else message)
        self._show_rows()

    def _show_rows(self) -> None:
        empty(self._rows)
        search = self._search.search
        if search is None:
            return
        for row, result in enumerate(reversed(search.results[-MAX_SHOWN:])):
            against_db = result.strength_db - search.usual_db
            level = "as usual" if abs(against_db) < 1 else f"{against_db:+.0f} dB".replace("-", "−")
            self._rows.addWidget(Words(result.step.words, 13, wrap=True), 2 * row, 0)
            self._rows.addWidget(Words(level, 12, "mono"), 2 * row, 1)
            self._rows.addWidget(hairline(), 2 * row + 1, 0, 1, 2)
