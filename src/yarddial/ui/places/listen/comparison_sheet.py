"""Comparison of two set-ups in turn: choice, measurement, verdict."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.analysis.comparison.difference import Difference
from yarddial.session.listening.comparison import Setup
from yarddial.session.session import Session
from yarddial.ui.places.listen.comparison_picture import ComparisonPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.frequency import MINUS, format_frequency

# A smaller difference is inaudible.
ALIKE_DB = 1.0
# Beyond this a bound counts as unlimited.
FURTHEST_DB = 90.0


class ComparisonSheet(Sheet):
    """Chooses first and second, starts, and shows the difference as it settles."""

    manual_page = "listen"

    def __init__(self, parent: QWidget, session: Session) -> None:
        where = format_frequency(session.desk.station.dial_hz)
        super().__init__(parent, f"Which hears {where} better?", 760)
        self._session, self._comparison = session, session.comparison
        self._setups: tuple[Setup, ...] = ()
        self.verdict = Words("", 17, "serif", wrap=True)
        self.verdict.setAccessibleName("Verdict")
        self.under = Words("", 13, tone="quiet", wrap=True)
        self.first, self.second = ChoiceBox("First set-up"), ChoiceBox("Second set-up")
        self.keep = button("Keep the present setting", plain=True, tip="So that it can be compared with other gains")
        self.keep.clicked.connect(self._comparison.keep)
        self.picture = ComparisonPicture()
        self._rows = QGridLayout()
        self.begin = button("Compare", strong=True, tip="Measure both in turn; the order is drawn by lot")
        self.begin.clicked.connect(self._begin)
        self.confirm = button("Done", strong=True, tip="Say that the plug or switch is so now")
        self.confirm.clicked.connect(self._confirm)
        self._lay_out()
        self.when_left(self._comparison.on_comparison_changed(Soon(self, self._show)), self._comparison.cancel)
        self._show()

    def _lay_out(self) -> None:
        self.body.addWidget(self.verdict)
        self.body.addWidget(self.under)
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(12))
        grid.setColumnStretch(1, 1)
        for place, (label, choice) in enumerate((("First", self.first), ("Second", self.second))):
            grid.addWidget(Words(label, 13), place, 0)
            grid.addWidget(choice, place, 1)
            choice.activated.connect(lambda _: self._show())
        self.body.addLayout(grid)
        grid.addWidget(self.keep, 2, 1, Qt.AlignmentFlag.AlignRight)
        self.body.addWidget(self.picture, 1)
        self._rows.setHorizontalSpacing(px(16))
        self._rows.setColumnStretch(0, 1)
        self.body.addLayout(self._rows)
        self.buttons.insertWidget(1, self.confirm)
        self.buttons.insertWidget(2, self.begin)
        self.resize(px(760), px(660))

    def _begin(self) -> None:
        if self._comparison.running:
            self._comparison.cancel()
            return
        first, second = self._chosen(self.first), self._chosen(self.second)
        if first is not None and second is not None:
            self._comparison.start(first, second)

    def _confirm(self) -> None:
        for move in self._session.hands.asked_moves()[:1]:
            self._session.hands.confirm(move)

    def _chosen(self, choice: ChoiceBox) -> Setup | None:
        at = choice.currentIndex()
        return self._setups[at] if 0 <= at < len(self._setups) else None

    def _show(self) -> None:
        comparison = self._comparison
        self._fill_choices()
        why_not = comparison.why_not(self._chosen(self.first), self._chosen(self.second))
        running = comparison.running
        self.begin.setText("Cancel" if running else "Compare")
        self.begin.setEnabled(running or not why_not)
        self.confirm.setVisible(running and comparison.by_hand)
        self.confirm.setEnabled(comparison.waits_for_hand and not self._session.plug_check.running)
        for widget in (self.first, self.second, self.keep):
            widget.setEnabled(not running)
        compared = comparison.compared()
        self.picture.show_pairs(comparison.pairs, comparison.pair_count, None if compared is None else compared.over)
        sentence, under = self._said(None if compared is None else compared.over, why_not)
        self.verdict.setText(sentence)
        self.under.setText(under)
        while self._rows.count():
            if (item := self._rows.takeAt(0)) is not None and (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        if compared is None:
            return
        plane = "at the sockets, dBm" if compared.in_dbm else "as it reaches the ADCs"
        rows = (
            ("signal over noise", compared.over),
            (f"signal {plane}", compared.signal),
            ("noise beside it", compared.noise),
        )
        for number, (name, difference) in enumerate(rows):
            self._rows.addWidget(Words(name, 13, tone="quiet"), 2 * number, 0)
            self._rows.addWidget(Words(_db(difference.db), 13, "mono", 500), 2 * number, 1)
            between = f"{_db(difference.low_db)} to {_db(difference.high_db)}"
            self._rows.addWidget(Words(between, 13, "mono", tone="quiet"), 2 * number, 2)
            self._rows.addWidget(hairline(), 2 * number + 1, 0, 1, 3)

    def _said(self, over: Difference | None, why_not: str) -> tuple[str, str]:
        comparison = self._comparison
        count = len(comparison.pairs)
        if comparison.trouble:
            return "It could not be compared.", _sentence(comparison.trouble)
        if comparison.running and comparison.waits_for_hand:
            move = next(iter(self._session.hands.asked_moves()), None)
            left = f"Pair {count + 1} of {comparison.pair_count}. Press Done when it is so."
            if move is None or move.check == "checking":
                return "A moment: the move is being checked.", left
            return _sentence(move.sentence), f"{left} {self._session.plug_check.sentence}"
        if over is None:
            if comparison.running:
                return (
                    f"Measuring both in turn: {count} of {comparison.pair_count} pairs.",
                    "A range is stated from six pairs on.",
                )
            return "Nothing was compared yet.", _sentence(
                why_not
            ) if why_not else "Both are measured in turn, so it fades alike for both."
        first, second = comparison.first, comparison.second
        assert first is not None
        assert second is not None
        better = second if over.db > 0 else first
        other = first if better is second else second
        name = better.label if better.route.name == other.route.name else better.route.name
        low_db, high_db = sorted((abs(over.low_db), abs(over.high_db)))
        so_far = f"{count} of {comparison.pair_count} pairs. " if comparison.running else f"{count} pairs. "
        if not over.has_signal:
            near = comparison.nearest()
            where = f"{near.name} on {format_frequency(near.frequency_hz)} is the nearest known" if near else "dial one"
            return "No signal here.", f"{so_far}Over neither does a station stand out of the noise: {where}."
        if not over.is_settled:
            under = f"{so_far}It fades so slowly that only {over.independent:.0f} of them count."
            return f"Not settled: {_db(over.db)} so far ({_db(over.low_db)} to {_db(over.high_db)}).", under
        under = f"{so_far}The range holds the true difference 19 times in 20."
        if max(abs(over.low_db), abs(over.high_db)) < ALIKE_DB:
            return f"Both hear it alike, within {ALIKE_DB:g} dB: {_db(over.db)}.", under
        if over.is_sure and max(abs(over.low_db), abs(over.high_db)) >= FURTHEST_DB:
            return (
                f"{name} hears it, at least {low_db:.1f} dB better.",
                f"{so_far}Nothing is sure to stand out over the other.",
            )
        if over.is_sure:
            return f"{name} hears it {abs(over.db):.1f} dB better ({low_db:.1f} to {high_db:.1f}).", under
        return f"No difference is sure: {_db(over.db)} ({_db(over.low_db)} to {_db(over.high_db)}).", under

    def _fill_choices(self) -> None:
        setups = self._comparison.setups()
        if setups == self._setups:
            return
        chosen = [self._chosen(choice) for choice in (self.first, self.second)]
        self._setups = setups
        for choice, was, usual in zip((self.first, self.second), chosen, (0, 1), strict=True):
            choice.clear()
            choice.addItems([setup.label for setup in setups])
            at = setups.index(was) if was in setups else min(usual, len(setups) - 1)
            choice.setCurrentIndex(at)


def _db(value_db: float) -> str:
    if abs(value_db) >= FURTHEST_DB:
        return "no limit"
    return f"{round(value_db, 1) + 0.0:+.1f} dB".replace("-", MINUS)


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}."
