"""All oscillators as one list, the calibration sequence, and the effect of entering on each route."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.session.calibration.oscillator_list import OscillatorRow
from yarddial.session.calibration.verdict import oscillators_verdict
from yarddial.session.session import Session
from yarddial.ui.plugs.sheet import PlugsSheet
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline, keep_width
from yarddial.ui.widgets.working_sheet import Sheet

COLUMNS = ("", "oscillator", "off by", "known to", "entered", "next")
ENTERED_TONES = {"yes": "", "not needed": "", "as stated": "quiet", "not yet": "ochre", "cannot be": "ochre"}
TONES = {"better": "spruce", "worse": "vermilion", "unchanged": "quiet"}


class AllOscillatorsSheet(Sheet):
    """Shows and starts the calibration sequence, which continues when the sheet is closed."""

    manual_page = "true"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "All oscillators of the yard", 900)
        self._session, self._sequence = session, session.calibration_sequence
        self.headline = Headline()
        self.go = button(
            "Measure what is left",
            strong=True,
            tip="One measurement after the other; nothing is entered before you press Enter all",
        )
        self.go.clicked.connect(self._go)
        self.skip = button("Skip this one", tip="Leave out the measurement that is under way, or the next one")
        self.skip.clicked.connect(self._sequence.skip)
        self.plug = button("Show the plug", tip="Which plug or switch a hand has to move, with a picture")
        self.plug.clicked.connect(self._show_plug)
        self.enter = button("Enter all", tip="What is most likely of each, all at once; Ctrl+Z takes it back")
        self.enter.clicked.connect(session.calibration.apply)
        self._doing = Words("", 13, tone="quiet", wrap=True).keep_lines(1)
        self._table, self._effects = QGridLayout(), QGridLayout()
        self._effects_title = Words("What entering does to each route", 15, "serif")
        self._lay_out()
        self._show_soon = Soon(self, self._show)
        self.when_left(
            self._sequence.on_sequence_changed(self._show_soon), session.desk.on_yard_changed(self._show_soon),
            session.hands.on_hands_changed(self._show_soon),
        )  # fmt: skip
        self._show()

    def _lay_out(self) -> None:
        self.body.addWidget(self.headline)
        # The actions keep their place at the foot, whatever the headline says.
        keep_width(self.go, "Measure what is left", "Stop")
        for at, widget in enumerate((self.go, self.skip, self.plug, self.enter), 1):
            self.buttons.insertWidget(at, widget)
        self.body.addWidget(self._doing)
        for grid in (self._table, self._effects):
            grid.setHorizontalSpacing(px(14))
            grid.setVerticalSpacing(px(3))
        self._table.setColumnStretch(5, 1)
        self._effects.setColumnStretch(2, 1)
        self.body.addLayout(self._table)
        self.body.addWidget(self._effects_title)
        self.body.addLayout(self._effects)
        self.body.addStretch()
        self.resize(px(900), px(700))

    def _go(self) -> None:
        if self._sequence.running:
            self._sequence.cancel()
        else:
            self._sequence.start()

    def _show_plug(self) -> None:
        PlugsSheet(self, self._session).show()

    def _show(self) -> None:
        sequence = self._sequence
        self.plug.setEnabled(sequence.awaited_move is not None)
        sequence.ask_plan()
        rows = sequence.rows()
        verdict = oscillators_verdict(rows, sequence)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        why_not = "" if sequence.running else sequence.why_not()
        left = len(sequence.plan.measurements) if sequence.plan is not None else 0
        self.go.setText("Stop" if sequence.running else "Measure what is left")
        self.go.setEnabled(sequence.running or (not why_not and bool(left)))
        self.skip.setEnabled(bool(left))
        effects = sequence.effects()
        self.enter.setEnabled(bool(effects) and not sequence.running)
        message = sequence.doing or sequence.trouble or why_not
        self._doing.setText(f"{message[:1].upper()}{message[1:]}." if message else "")
        self._fill(rows)
        empty(self._effects)
        self._effects_title.setVisible(bool(effects))
        for at, effect in enumerate(effects):
            self._effects.addWidget(Words(effect.route, 13), at, 0)
            self._effects.addWidget(Words(effect.effect, 13, tone=TONES[effect.effect]), at, 1)
            self._effects.addWidget(Words(effect.change, 13, "mono"), at, 2)

    def _show_sequence(self, part_name: str, _checked: bool = False) -> None:
        self._sequence.menu_was_set(part_name)

    def _fill(self, rows: tuple[OscillatorRow, ...]) -> None:
        empty(self._table)
        for column, text in enumerate(COLUMNS):
            self._table.addWidget(Words(text, 12, tone="quiet"), 0, column, _side(column))
        for number, row in enumerate(rows):
            at = 3 * number + 2
            self._table.addWidget(hairline(), at - 1, 0, 1, len(COLUMNS))
            entered = Words(row.entered, 13, tone=ENTERED_TONES[row.entered])
            cells: tuple[QWidget, ...] = (
                MarkSign(row.mark, 10),
                Words(row.title, 14, weight=600),
                Words(row.value, 13, weight=600, tone="quiet" if row.mark == "unknown" else ""),
                Words(row.known_to, 12, tone="quiet"),
                entered,
                Words(row.next_step, 13, wrap=True),
            )
            for column, cell in enumerate(cells):
                self._table.addWidget(cell, at, column, _side(column))
            self._table.addWidget(Words(row.about, 12, tone="quiet"), at + 1, 1)
            if row.own_menu:
                done = button("I have set it", tip="It counts as true from now on; measure it again to be sure")
                done.setAccessibleName(f"{row.own_menu}: I have set it in its menu")
                done.clicked.connect(partial(self._show_sequence, row.own_menu))
                self._table.addWidget(done, at + 1, 5, Qt.AlignmentFlag.AlignLeft)


def _side(column: int) -> Qt.AlignmentFlag:
    return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter if column in (2, 3) else Qt.AlignmentFlag(0)
