"""The sheet "Try a part": what the yard would hear with it, band by band, and what it costs, before it is bought."""

import re
from functools import partial

import msgspec
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from yarddial.analysis.board.trial import TrialRow, trial, with_part_added, with_part_instead
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.plain_text import count_of
from yarddial.yard.shelf import CLASSES, class_of, shelf

TOPIC = "trial of a part"
INTO = "put into"
INSTEAD = "instead of"
MARKS = {"gained": "good", "better": "good", "worse": "look", "lost": "stop"}


class TrialSheet(Sheet):
    """Parts are added to a trial; the yard itself changes only by the last button, and undo takes that back."""

    manual_page = "bench"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Try a part", 860)
        self._session = session
        self._yard = session.desk.station
        self._trial, self._added, self._cost = self._yard, list[str](), 0.0
        self.headline = Headline()
        self.part, self.place = ChoiceBox("Part to try", at_left=True), ChoiceBox("Where it goes", at_left=True)
        for name in CLASSES:
            for part in shelf():
                if class_of(part) == name:
                    self.part.addItem(f"{part.name}, {name}", part)
        self.cost = QLineEdit()
        self.cost.setFont(font(13, "mono"))
        self.cost.setAccessibleName("What it costs")
        self.cost.setPlaceholderText("0")
        self.cost.setMaximumWidth(px(110))
        self.add = button("Try it", strong=True)
        self.again = button("Start again")
        self.take = button("Put it into my yard", tip="Undo takes it back")
        for pressed, act in ((self.add, self._add), (self.again, self._restart), (self.take, self._take)):
            pressed.clicked.connect(act)
        row = QHBoxLayout()
        row.setSpacing(px(10))
        for widget in (Words("Try", 13), self.part, self.place, Words("for", 13), self.cost, self.add):
            row.addWidget(widget, 1 if widget is self.part else 0)
        self.added = Words("", 13, wrap=True)
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(px(14))
        self._rows.setVerticalSpacing(px(4))
        self._rows.setColumnStretch(3, 1)
        self.body.addWidget(self.headline)
        self.body.addLayout(row)
        self.body.addWidget(self.added)
        self.body.addLayout(self._rows)
        self.body.addStretch()
        for at, pressed in enumerate((self.again, self.take)):
            self.buttons.insertWidget(at + 1, pressed)
        self.part.activated.connect(lambda _: self._fill_places())
        self.when_left(lambda: session.background.withdraw(TOPIC))
        self._fill_places()
        self._restart()
        self.resize(px(860), px(640))

    def _fill_places(self) -> None:
        """Routes that a part can go into, and parts of its class that it can replace."""
        part = self.part.currentData()
        self.place.clear()
        for route in self._trial.routes:
            self.place.addItem(f"{INTO} {route.name}", (INTO, route.name))
        for other in self._trial.parts:
            if class_of(other) == class_of(part):
                self.place.addItem(f"{INSTEAD} {other.name}", (INSTEAD, other.name))

    def _restart(self) -> None:
        self._trial, self._added, self._cost = self._yard, [], 0.0
        empty(self._rows)
        self.added.setText("")
        self.take.setEnabled(False)
        self.headline.show_verdict(
            "unknown", "What would another part change?", "Nothing in your yard changes while you try."
        )

    def _add(self) -> None:
        """Add the chosen part to the trial, and judge all bands in the background."""
        part, place = self.part.currentData(), self.place.currentData()
        text = self.cost.text().strip().replace(",", ".") or "0"
        if place is None:
            self.headline.show_verdict("stop", "The yard has no route yet.", "Answer 'What have you got?' first.")
            return
        if re.fullmatch(r"[0-9]{1,9}(\.[0-9]+)?", text) is None:
            sentence = f"'{self.cost.text()}' is no cost: write a number."
            self.headline.show_verdict("stop", sentence, "Nothing was added.")
            return
        try:
            how, name = place
            self._trial = (with_part_added if how == INTO else with_part_instead)(self._trial, name, part)
        except YardDialError as error:
            self.headline.show_verdict("stop", f"{str(error)[:1].upper()}{str(error)[1:]}.", "Nothing was added.")
            return
        self._cost += float(text)
        self._added.append(f"{part.name} {how} {name}")
        self.added.setText(f"Tried: {'; '.join(self._added)}. Together {self._cost:g}.")
        self._fill_places()
        self.add.setEnabled(False)
        self.headline.show_verdict("unknown", "Judging all bands.", "It takes a moment.")
        work = partial(trial, self._yard, self._trial, self._session.desk.outside)
        self._session.background.ask(TOPIC, work, self._show, self._fail)

    def _fail(self, sentence: str) -> None:
        self.add.setEnabled(True)
        self.headline.show_verdict("stop", f"It could not be judged: {sentence}.", "Start again.")

    def _show(self, rows: tuple[TrialRow, ...]) -> None:
        self.add.setEnabled(True)
        self.take.setEnabled(True)
        empty(self._rows)
        counts = {change: sum(row.change == change for row in rows) for change in MARKS}
        parts_of_it = [f"{count} {change}" for change, count in counts.items() if count]
        good = counts["gained"] + counts["better"] > 0 and not counts["lost"]
        if not rows:
            self.headline.show_verdict("look", "No band changes by a decibel.", "It gains nothing that is heard.")
        else:
            sentence = f"{count_of(len(rows), 'band')} change: {', '.join(parts_of_it)}."
            mark = "good" if good else "look"
            self.headline.show_verdict(mark, sentence, f"By what its class usually does; {self._sum}.")
        for number, row in enumerate(rows):
            self._add_row(number, row)

    @property
    def _sum(self) -> str:
        return f"together {self._cost:g}" if self._cost else "no cost was stated"

    def _add_row(self, number: int, row: TrialRow) -> None:
        sign = MarkSign(size=10)
        sign.set_mark(MARKS[row.change])
        hears = row.after if row.after is not None else row.before
        change = row.change if row.better_db is None else f"{row.change} by {abs(row.better_db):.0f} dB"
        over = f"over {hears.route}" if hears is not None else ""
        for column, widget in enumerate(
            (sign, Words(row.band.name, 13, weight=600), Words(change, 13), Words(over, 13, tone="quiet", wrap=True))
        ):
            self._rows.addWidget(widget, 2 * number, column)
        self._rows.addWidget(hairline(), 2 * number + 1, 0, 1, 4)

    def _take(self) -> None:
        """Put all tried parts into the yard, unless it was changed meanwhile."""
        desk = self._session.desk
        if desk.station.parts != self._yard.parts or desk.station.routes != self._yard.routes:
            self.headline.show_verdict("stop", "The yard was changed meanwhile.", "Close this sheet and try again.")
            return
        tried = msgspec.structs.replace(desk.station, parts=self._trial.parts, routes=self._trial.routes)
        desk.edit("a part that was tried", tried)
        self.close()
