"""Known strong signals that cause ghosts, scanned with the receiver or read from a file."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.spurious.strong_signals import StrongSignals
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.frequency import format_number

# Number of signals named; the others are counted.
MAX_NAMED = 3


class StrongList(QWidget):
    """A sentence and three buttons."""

    def __init__(self, strong: StrongSignals) -> None:
        super().__init__()
        self._strong = strong
        self.said = Words("", 12, tone="quiet", wrap=True)
        self.scan = button("Scan all bands", plain=True, tip="Look through every band that the yard reaches")
        read = button("Read", plain=True, tip="Read them from a CSV file: frequency_hz, level_dbm, name")
        write = button("Write", plain=True, tip="Write all that are known into a CSV file")
        self.scan.clicked.connect(self._scan)
        read.clicked.connect(
            lambda: FileSheet(self, "Read strong signals", "strong-signals.csv", "Read", strong.read, reads=True).show()
        )
        write.clicked.connect(
            lambda: FileSheet(self, "Write strong signals", "strong-signals.csv", "Write", strong.write).show()
        )
        row = QHBoxLayout()
        row.setSpacing(px(12))
        for widget in (self.scan, read, write):
            row.addWidget(widget)
        row.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(2))
        layout.addWidget(self.said)
        layout.addLayout(row)

    def show_known(self) -> None:
        """Show how many, and which are the strongest."""
        strong, known = self._strong, self._strong.known
        why_not = strong.why_not()
        self.scan.setText("Stop" if strong.running else "Scan all bands")
        self.scan.setEnabled(strong.running or not why_not)
        if strong.running:
            self.said.setText(f"Looking {strong.doing}: {strong.fraction:.0%} done.")
            return
        named = [
            f"{signal.name or f'{signal.frequency_hz / 1e6:.6g} MHz'} {format_number(signal.level_dbm, 10.0)} dBm"
            for signal in known[:MAX_NAMED]
        ]
        more = f" and {len(known) - MAX_NAMED} more" if len(known) > MAX_NAMED else ""
        message = (
            f"{', '.join(named)}{more}." if known else "None yet: ghosts of other bands are explained better with them."
        )
        trouble = f" Not all was scanned: {strong.trouble}." if strong.trouble else ""
        self.said.setText(f"{message}{trouble}")

    def _scan(self) -> None:
        if self._strong.running:
            self._strong.cancel()
        else:
            self._strong.scan()
