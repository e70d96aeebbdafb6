"""The place Span: rate and centre for the band around the dial, with the figures of every rate."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from yarddial.analysis.span.rates import RateFigures, recommended
from yarddial.session.sampling.span_planner import SpanAnswer
from yarddial.session.sampling.verdict import span_verdict
from yarddial.session.session import Session
from yarddial.session.spurious.known_spurs import known_spur
from yarddial.ui.places.span.span_picture import SpanPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.flow_row import FlowRow, together
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.turning_columns import TurningColumns
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.frequency import format_bound, format_frequency
from yarddial.yard.plain_text import count_of


class SpanPlace(QWidget):
    """The band, the picture, the five best proposals, and the rates."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._wanted = ""
        self.headline = Headline()
        self.picture = SpanPicture()
        self.picture.tuned.connect(session.desk.dial)
        self.band = ChoiceBox("Band to cover")
        self.band.textActivated.connect(self._choose_band)
        self.use = button("Use this rate", strong=True, tip="Set the sample rate to that of the best way")
        self.use.clicked.connect(self._use)
        self._choices, self._rates = QGridLayout(), QGridLayout()
        self._lay_out()
        for subscribe in (
            session.desk.on_yard_changed,
            session.desk.on_dial_changed,
            session.device_check.on_device_check_changed,
        ):
            subscribe(lambda: self._show() if self.isVisible() else None)
        session.live_receiver.picture.on_span_moved(self._show_live)
        session.live_receiver.on_receiver_changed(self._show_live)
        self._show()

    def _show_live(self) -> None:
        if self.isVisible():
            self.picture.show_live(self._session.live_receiver.picture.span)

    def _lay_out(self) -> None:
        row = FlowRow(together(Words("Band to cover", 13, tone="quiet"), self.band), self.use)
        columns = TurningColumns(900, 26)
        columns.row.setContentsMargins(0, 0, px(8), 0)
        for title, grid, share in (("The best ways", self._choices, 5), ("What each rate gives", self._rates, 6)):
            column = QVBoxLayout()
            column.addWidget(Words(title, 15, "serif"))
            grid.setHorizontalSpacing(px(14))
            grid.setVerticalSpacing(px(4))
            column.addLayout(grid)
            column.addStretch()
            columns.row.addLayout(column, share)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(14), px(20), px(8))
        layout.setSpacing(px(10))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        columns.page.insertWidget(0, self.picture)
        layout.addWidget(columns, 1)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show changes made while hidden."""
        self._show()
        super().showEvent(event)

    def _choose_band(self, name: str) -> None:
        self._wanted = name
        self._show()

    def _use(self) -> None:
        answer = self._answer()
        if answer is not None and answer.covers:
            self._session.span_planner.use_rate(answer.covers[0].rate_hz)

    def _answer(self) -> SpanAnswer | None:
        bands = self._session.span_planner.bands()
        band = next((band for band in bands if band.name == self._wanted), bands[0])
        return self._session.span_planner.answer(band)

    def _show(self) -> None:
        bands = [band.name for band in self._session.span_planner.bands()]
        if bands != [self.band.itemText(i) for i in range(self.band.count())]:
            self.band.clear()
            self.band.addItems(bands)
        answer = self._answer()
        if answer is not None:
            self.band.setCurrentText(answer.band.name)
        verdict = span_verdict(answer, self._session.desk, known_spur(self._session.log, self._session.desk))
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        self.picture.show_answer(answer)
        self.picture.setVisible(answer is not None and bool(answer.covers or answer.steps))
        can = answer is not None and bool(answer.covers)
        self.use.setEnabled(
            can and answer is not None and answer.covers[0].rate_hz != self._session.desk.route.receiver.rate_hz
        )
        self._fill_choices(answer)
        self._fill_rates(answer.rates if answer is not None else ())

    def _fill_choices(self, answer: SpanAnswer | None) -> None:
        empty(self._choices)
        self._choices.setColumnStretch(2, 1)
        for row, cover in enumerate(answer.covers if answer is not None else ()):
            self._choices.addWidget(Words(f"{cover.rate_hz / 1e6:g} MS/s", 13, "mono", 500), 2 * row, 0)
            self._choices.addWidget(Words(format_frequency(cover.centre_hz), 13, "mono", 500), 2 * row, 1)
            self._choices.addWidget(Words(cover.why(), 12, tone="quiet", wrap=True), 2 * row, 2)
            self._choices.addWidget(hairline(), 2 * row + 1, 0, 1, 3)
        if answer is not None and answer.steps:
            centres = ",  ".join(format_frequency(hertz, -3) for hertz in answer.steps[:12])
            more = f" and {len(answer.steps) - 12} more" if len(answer.steps) > 12 else ""
            count = count_of(len(answer.steps), "step")
            text = f"{count} at {answer.step_rate_hz / 1e6:g} MS/s, centres at {centres}{more}"
            self._choices.addWidget(Words(text, 13, wrap=True), 0, 0, 1, 3)

    def _fill_rates(self, rates: tuple[RateFigures, ...]) -> None:
        empty(self._rates)
        heads = ("rate", "clean", "MB/s", "USB 2", "bin", "bits", "GB an hour", "", "lost")
        for column, text in enumerate(heads):
            self._rates.addWidget(Words(text, 11, tone="quiet"), 0, column, Qt.AlignmentFlag.AlignRight)
        highest, with_room = recommended(rates)
        for row, figure in enumerate(rates, 1):
            # A rate not checked yet may lose samples; First light checks it.
            untried = " if clean" if figure.lost is None else ""
            note = f"highest{untried}" if figure is highest else "head-room" if figure is with_room else ""
            lost = "not watched" if figure.lost is None else "none" if not figure.lost else f"{100 * figure.lost:.2g} %"
            cells = (
                f"{figure.rate_hz / 1e6:g}", format_bound(figure.clean_hz), f"{figure.bytes_per_s / 1e6:.3g}",
                f"{100 * figure.usb_share:.0f} %", f"{figure.bin_hz:.0f} Hz", f"{figure.effective_bits:.1f}",
                f"{figure.gigabytes_per_hour:.3g}", figure.heat, lost,
            )  # fmt: skip
            for column, text in enumerate(cells):
                bad = column == 8 and bool(figure.lost)
                words = Words(text, 12, "mono", 500 if note else 400, tone="ochre" if bad else "")
                self._rates.addWidget(words, row, column, Qt.AlignmentFlag.AlignRight)
            self._rates.addWidget(Words(note, 12, tone="spruce"), row, len(cells))
