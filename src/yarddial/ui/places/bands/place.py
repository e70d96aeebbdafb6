"""The place Bands: every band at a glance."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.analysis.board.row import BandRow
from yarddial.records.whole_file import write_whole
from yarddial.session.bands.band_board import worst_first
from yarddial.session.bands.verdict import bands_verdict
from yarddial.session.session import Session
from yarddial.ui.places.bands.band_row import ROW_HEIGHT, BandRowWidget
from yarddial.ui.places.bands.own_bands_sheet import OwnBandsSheet
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.pdf import write_pdf
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.whole_rows import WholeRows
from yarddial.ui.widgets.words import Words, button

# Place where each next step is done.
PLACE_OF_STEP = {
    "": "Listen",
    "bench": "Bench",
    "measure": "True",
    "apply": "True",
    "ghosts": "Ghosts",
    "listen": "Listen",
}
SORT_ORDERS = (("by frequency", False), ("worst first", True))


class BandsPlace(QWidget):
    """Rows of dial scales; a click goes into the band and opens the place of the next step."""

    wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.headline = Headline()
        self.region = ChoiceBox("Region of the radio regulations", at_left=True)
        self.order = ChoiceBox("Order", at_left=True)
        for number in (1, 2, 3):
            self.region.addItem(f"region {number}", number)
        for name, worst in SORT_ORDERS:
            self.order.addItem(name, worst)
        self.region.activated.connect(lambda: session.board.choose_region(self.region.currentData()))
        self.order.activated.connect(self._reorder)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(0)
        inside = QWidget()
        page = QVBoxLayout(inside)
        page.setContentsMargins(0, 0, px(8), 0)
        page.addLayout(self._rows)
        page.addStretch()
        self.list_area = scroll = WholeRows(ROW_HEIGHT)
        scroll.setWidget(inside)
        row = FlowRow(spacing=12)
        row.addWidget(self.region)
        row.addWidget(self.order)
        self.prove = button(
            "Prove all", tip="Measure and test in every band in turn; it can be stopped and gone on with"
        )
        self.prove.clicked.connect(self._prove)
        self._run = Words("", 12, tone="quiet", wrap=True)
        self.read = button("Own bands", plain=True, tip="Bands of your own: typed, or read from a CSV or JSON file")
        self.write = button("Write", plain=True, tip="Write all bands into a CSV or JSON file")
        self.read.clicked.connect(self._own)
        self.write.clicked.connect(self._write)
        self.report = button(
            "Report", plain=True, tip="Write a report as PDF, HTML, Markdown or CSV, by the file's ending"
        )
        self.report.clicked.connect(self._report)
        row.addWidget(self.report)
        row.addWidget(self.read)
        row.addWidget(self.write)
        row.addWidget(Words("as the radio regulations have them: check local rules", 12, tone="quiet"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(16), px(24), px(10))
        layout.setSpacing(px(8))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        run = QHBoxLayout()
        run.setSpacing(px(12))
        run.addWidget(self.prove)
        run.addWidget(self._run, 1)
        layout.addWidget(scroll, 1)
        layout.addLayout(run)
        self._shown: tuple[BandRow, ...] = ()
        self._show_soon = Soon(self, self._show_if_seen)
        self._update_soon = Soon(self, self._update_if_seen)
        session.band_run.on_run_changed(self._show_soon)
        for subscribe in (
            session.desk.on_yard_changed, session.calibration.on_calibration_changed, session.log.on_log_changed,
            session.span_test.on_span_test_changed,
        ):  # fmt: skip
            subscribe(self._update_soon)
        session.board.on_board_changed(self._show_soon)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Request the overview."""
        super().showEvent(event)
        self._session.board.refresh()
        self._show()

    def _prove(self) -> None:
        run = self._session.band_run
        if run.running:
            run.cancel()
        else:
            run.start()

    def _show_run(self) -> None:
        run = self._session.band_run
        why_not = run.why_not()
        again = "Go on with the run" if run.unfinished() else "Prove all"
        self.prove.setText("Stop" if run.running else again)
        self.prove.setEnabled(run.running or not why_not)
        message = run.doing or run.trouble or why_not
        self._run.setText(f"{message[:1].upper()}{message[1:]}." if message else "")

    def _own(self) -> None:
        OwnBandsSheet(self, self._session.board).show()

    def _write(self) -> None:
        FileSheet(self, "Write all bands", "bands.csv", "Write", self._session.board.write_bands).show()

    def _report(self) -> None:
        FileSheet(self, "Write a report: .pdf, .html, .md or .csv", "bands.pdf", "Write", self.write_report).show()

    def write_report(self, path: Path) -> None:
        """Write the report of all bands, in the format of the file's ending; raises NotWritten."""
        from yarddial.analysis.board.report import report_html, report_text

        report = self._session.board.report()
        if path.suffix.lower() == ".pdf":
            write_pdf(path, report_html(report), across=True, size=9)
        else:
            write_whole(path, report_text(report, path.name).encode())

    def _reorder(self) -> None:
        self._show()

    def _update_if_seen(self) -> None:
        if self.isVisible():
            self._session.board.refresh()
            self._show_run()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        session = self._session
        rows = worst_first(session.board.last) if self.order.currentData() else session.board.last
        verdict = bands_verdict(rows)
        self._show_run()
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        self.region.setCurrentIndex(self.region.findData(session.desk.station.region))
        if rows == self._shown:
            return
        self._shown = rows
        empty(self._rows)
        for row in rows:
            row_widget = BandRowWidget(row)
            row_widget.chosen.connect(self._go)
            self._rows.addWidget(row_widget)

    def _go(self, row: BandRow) -> None:
        self._session.board.go(row)
        self.wanted.emit(PLACE_OF_STEP[row.todo])
