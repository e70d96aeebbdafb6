"""What is off, what it was measured against, what to measure next."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import Mark
from yarddial.ui.widgets.words import Words, hairline
from yarddial.yard.frequency import format_doubt, format_frequency, format_hertz, format_number
from yarddial.yard.oscillators import stated_oscillators
from yarddial.yard.reach import reaching

MOST_ROWS = 6


class Evidence(QWidget):
    """The right-hand side of True."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._off, self._against = QGridLayout(), QGridLayout()
        for grid in (self._off, self._against):
            grid.setHorizontalSpacing(px(8))
            grid.setVerticalSpacing(px(5))
        self._next = Words("", 12, tone="quiet", wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(6))
        layout.addWidget(Words("What is off", 14, "serif"))
        layout.addLayout(self._off)
        layout.addSpacing(px(12))
        layout.addWidget(Words("Measured against", 14, "serif"))
        layout.addLayout(self._against)
        layout.addSpacing(px(12))
        layout.addWidget(Words("Measure next", 14, "serif"))
        layout.addWidget(self._next)
        layout.addStretch()
        self.setFixedWidth(px(318))

    def show_state(self) -> None:
        """Show oscillators, observations, and advice."""
        self._show_oscillators()
        self._show_observations()
        self._next.setText(self._advice())

    def _show_oscillators(self) -> None:
        _clear(self._off)
        truing, stated = self._session.truing, stated_oscillators(self._session.desk.station)
        for row, name in enumerate(truing.oscillators.names):
            kind, _, part = name.partition(":")
            estimate = truing.fit.estimate(name) if truing.fit else None
            value, sigma = truing.oscillators.value(name), truing.oscillators.sigma(name)
            settled = sigma < stated.sigma(name) / 4
            mark = "good" if settled and (estimate is None or estimate.separate) else "look" if estimate else "unknown"
            if kind == "crystal":
                text = format_number(value, sigma, signed=True)
                doubt = f"± {format_number(sigma, sigma / 3)} ppm"
            else:
                text = format_hertz(value, sigma).removesuffix(" Hz")
                doubt = f"± {format_doubt(sigma)[1:]}"
            said = Words(f"{part} {'crystal' if kind == 'crystal' else 'oscillator'}", 13)
            if estimate is not None and not estimate.separate:
                text = "not apart"
            elif not settled:
                text = "not known"
            quiet = "" if settled and (estimate is None or estimate.separate) else "quiet"
            self._row(
                self._off,
                row,
                [
                    Mark(mark, 10),
                    said,
                    Words(text, 13, weight=600 if not quiet else 400, tone=quiet),
                    Words(doubt, 12, tone="quiet"),
                ],
            )
        self._off.setColumnStretch(1, 1)

    def _show_observations(self) -> None:
        _clear(self._against)
        fit = self._session.truing.fit
        if fit is None:
            self._against.addWidget(Words("Nothing yet.", 12, tone="quiet"), 0, 0)
            return
        shown = list(enumerate(fit.observations))[::-1][:MOST_ROWS]
        for row, (i, seen) in enumerate(shown):
            left_out = i in fit.outliers
            text = "left out: " if left_out else ""
            text += format_hertz(seen.error_hz, seen.total_sigma_hz)
            name = Words(seen.reference_name, 12)
            name.setToolTip(
                f"{seen.route}: {format_hertz(seen.error_hz, seen.sigma_hz)}, "
                f"doubt {format_doubt(seen.total_sigma_hz)}, "
                f"residual {format_hertz(fit.residuals_hz[i], seen.total_sigma_hz)}"
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

    def _advice(self) -> str:
        truing, station = self._session.truing, self._session.desk.station
        if truing.fit is None:
            return "The station at the dial: press M. ] and [ go to other known stations."
        if truing.fit.inseparable:
            direct = [
                r.name + " " + format_frequency(r.frequency_hz)
                for r in station.references
                if r.sigma_hz < 2e-7 * r.frequency_hz
                and any(not line.converters for line in reaching(station, r.frequency_hz))
            ]
            where = f", such as {direct[0]}: press ]" if direct else ""
            return truing.fit.inseparable[0][:1].upper() + truing.fit.inseparable[0][1:] + where + "."
        if truing.fit.remarks:
            remark = truing.fit.remarks[0]
            return remark[:1].upper() + remark[1:] + "."
        return (
            f"All {len(truing.fit.observations)} measurements agree "
            f"(χ² {truing.fit.chi2:.1f}, {truing.fit.dof} to spare). "
            "Measure again on another day: crystals follow the weather."
        )


def _clear(layout: QLayout) -> None:
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            # Out of sight at once: the deletion itself waits for the event loop.
            widget.hide()
            widget.deleteLater()
