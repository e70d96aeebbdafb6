"""Errors of the oscillators, their measurements, and the next measurement."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.calibration.verdict import inseparable_here, lasts_sentence
from yarddial.session.session import Session
from yarddial.ui.places.true.budget_bar import BudgetBar
from yarddial.ui.places.true.carrier_view import CarrierView
from yarddial.ui.places.true.watch_sheet import WatchSheet
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.side_column import side_column
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.oscillators import spoken
from yarddial.yard.plain_text import count_of
from yarddial.yard.reach import reaching

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.correction.next_measurement import NextMeasurement

# With more oscillators than this show only those of the route.
MAX_OSCILLATORS = 12
# Number of observations listed, without and with the last measurement's model beside them.
MAX_ROWS, FEWER_ROWS = 6, 3


class Evidence(QWidget):
    """The right-hand side of True."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._off, self._against = QGridLayout(), QGridLayout()
        for grid in (self._off, self._against):
            grid.setHorizontalSpacing(px(8))
            grid.setVerticalSpacing(px(5))
        self._carrier_view = CarrierView()
        self.next_words = Words("", 12, tone="quiet", wrap=True)
        self.budget = BudgetBar()
        self._lasts = Words("", 12, tone="quiet", wrap=True)
        self._proposal: NextMeasurement | None = None
        self.go = button("Go there", plain=True, tip="Dial the station that would help most, over that route")
        self.go.clicked.connect(self._go_there)
        self.methods = button(
            "Other ways", plain=True, tip="By hand, tone, raster, own transmitter, file; known stations"
        )
        self.methods.clicked.connect(self._show_methods)
        self.history = button("History", plain=True, tip="What each oscillator was, and what it will be")
        self.history.clicked.connect(self._show_history)
        self.watch = button("Watch", plain=True, tip="Warm-up and steadiness of the oscillator")
        self.watch.clicked.connect(lambda: WatchSheet(self, session).show())
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        column, layout = side_column(336)
        page.addWidget(column)
        layout.addWidget(Words("What is off", 14, "serif"))
        layout.addLayout(self._off)
        layout.addSpacing(px(2))
        layout.addWidget(Words("The dial's uncertainty here", 14, "serif"))
        layout.addWidget(self.budget)
        layout.addWidget(self._lasts)
        layout.addSpacing(px(2))
        layout.addWidget(self._carrier_view)
        layout.addWidget(Words("Measure next", 14, "serif"))
        layout.addWidget(self.next_words)
        row = QHBoxLayout()
        for widget in (self.go, self.methods, self.history, self.watch):
            row.addWidget(widget)
        row.addStretch()
        layout.addLayout(row)
        layout.addSpacing(px(10))
        layout.addWidget(Words("Measured against", 14, "serif"))
        layout.addLayout(self._against)
        layout.addStretch()

    def show_state(self) -> None:
        """Show oscillators, observations, and advice."""
        self._show_oscillators()
        calibration = self._session.calibration
        self.budget.show_state(calibration.state())
        outcome = calibration.outcome
        self._carrier_view.show_carrier(None if outcome is None else outcome.carrier)
        self._show_observations()
        self._lasts.setText(lasts_sentence(calibration))
        self._lasts.setVisible(bool(self._lasts.text()))
        self._proposal = calibration.suggestion.latest
        apart = not inseparable_here(calibration)
        if self._proposal is not None and apart and not self._proposal.is_worth_it:
            self._proposal = None
        self.next_words.setText(self._advice())
        self.go.setVisible(self._proposal is not None)

    def _go_there(self) -> None:
        proposal, desk = self._proposal, self._session.desk
        if proposal is not None:
            desk.dial(proposal.reference.frequency_hz)
            desk.choose_mode(proposal.reference.mode)
            if desk.station.route != proposal.route:
                desk.choose_route(proposal.route)

    def _show_methods(self) -> None:
        from yarddial.ui.places.true.methods.sheet import MethodsSheet

        MethodsSheet(self, self._session).show()

    def _show_history(self) -> None:
        from yarddial.ui.places.true.history_sheet import HistorySheet

        HistorySheet(self, self._session).show()

    def _show_oscillators(self) -> None:
        """The same state of each oscillator as in the list of all."""
        empty(self._off)
        calibration, sequence = self._session.calibration, self._session.calibration_sequence
        if calibration.fit is not None:
            sequence.ask_plan()
        states = {row.name: row for row in sequence.rows(every=True)}
        names = self._nearest(calibration.oscillators.names)
        if more := len(calibration.oscillators.names) - len(names):
            self._off.addWidget(Words(f"and {more} of other routes", 12, tone="quiet"), 2 * len(names), 1)
        for at, name in enumerate(names):
            state = states[name]
            quiet = "quiet" if state.mark == "unknown" else ""
            value = Words(
                state.value.removesuffix(" Hz").removesuffix(" ppm"), 13, weight=400 if quiet else 600, tone=quiet
            )
            set_tip(value, f"entered: {state.entered}; next: {state.next_step}")
            name_words = Words(spoken(name).replace("'s", ""), 13)
            self._row(
                self._off, at, [MarkSign(state.mark, 10), name_words, value, Words(state.known_to, 12, tone="quiet")]
            )
        self._off.setColumnStretch(1, 1)

    def _nearest(self, names: Sequence[str]) -> list[str]:
        """Select as many as are readable: all of a usual yard; in a large one the route's, then the measured ones."""
        if len(names) <= MAX_OSCILLATORS:
            return list(names)
        here = {name for name, _ in self._session.calibration.state().slopes}
        measured = self._session.calibration.oscillator_estimates.touched()
        nearest = sorted(names, key=lambda name: (name not in here, name not in measured))[:MAX_OSCILLATORS]
        return [name for name in names if name in nearest]

    def _show_observations(self) -> None:
        empty(self._against)
        fit = self._session.calibration.fit
        if fit is None:
            self._against.addWidget(Words("Nothing yet.", 12, tone="quiet"), 0, 0)
            return
        limit = MAX_ROWS if self._carrier_view.isHidden() else FEWER_ROWS
        shown = list(enumerate(fit.observations))[::-1][:limit]
        for row, (i, seen) in enumerate(shown):
            left_out = i in fit.outliers
            text = "left out: " if left_out else ""
            text += format_hertz(seen.error_hz, seen.total_sigma_hz)
            name = Words(seen.reference_name, 12)
            set_tip(
                name,
                f"{seen.route}: {format_hertz(seen.error_hz, seen.sigma_hz)}, "
                f"uncertainty {format_sigma(seen.total_sigma_hz)}, "
                f"residual {format_hertz(fit.residuals_hz[i], seen.total_sigma_hz)}",
            )
            self._row(
                self._against,
                row,
                [
                    name,
                    Words(format_frequency(seen.reference_hz), 12, tone="quiet"),
                    Words(text, 12, tone="ochre" if left_out else ""),
                ],
            )
        more = len(fit.observations) - len(shown)
        if more > 0:
            self._against.addWidget(Words(f"and {more} before", 12, tone="quiet"), 2 * len(shown), 0)
        self._against.setColumnStretch(0, 1)

    def _row(self, grid: QGridLayout, row: int, cells: list[QWidget]) -> None:
        for column, cell in enumerate(cells):
            right = Qt.AlignmentFlag.AlignRight if column >= len(cells) - 2 and column else Qt.AlignmentFlag(0)
            grid.addWidget(cell, 2 * row, column, right | Qt.AlignmentFlag.AlignVCenter)
        grid.addWidget(hairline(), 2 * row + 1, 0, 1, len(cells))

    def _helps(self) -> str:
        """Describe the most useful measurement, and its expected result."""
        proposal = self._proposal
        if proposal is None:
            return ""
        if inseparable_here(self._session.calibration):
            return f"Most would help: {_route_text(proposal)}."
        return (
            f"Most would help: {_route_text(proposal)}; the uncertainty here would fall from "
            f"{format_sigma(proposal.before_hz)} to {format_sigma(proposal.after_hz)}."
        )

    def _advice(self) -> str:
        calibration, station = self._session.calibration, self._session.desk.station
        helps = self._helps()
        if calibration.fit is None:
            return f"The station at the dial: press M. {helps}" if helps else "The station at the dial: press M."
        if inseparable := inseparable_here(calibration):
            direct = [
                r.name + " " + format_frequency(r.frequency_hz)
                for r in station.references
                if r.sigma_hz < 2e-7 * r.frequency_hz
                and any(not route.converters for route in reaching(station, r.frequency_hz))
            ]
            if helps:
                return f"{inseparable[:1].upper()}{inseparable[1:]}. {helps}"
            where = f", such as {direct[0]}: press ]" if direct else ""
            return inseparable[:1].upper() + inseparable[1:] + where + "."
        if calibration.fit.remarks:
            remark = calibration.fit.remarks[0].sentence
            return f"{remark[:1].upper()}{remark[1:]}. {helps}".rstrip()
        if helps:
            return helps
        return (
            f"{count_of(len(calibration.fit.observations), 'measurement')}, all in agreement "
            f"(χ² {calibration.fit.chi2:.1f}, {calibration.fit.dof} to spare). "
            "Measure again on another day: crystals follow the weather."
        )


def _route_text(proposal: "NextMeasurement") -> str:
    return f"{proposal.reference.name} {format_frequency(proposal.reference.frequency_hz)} over {proposal.route}"
