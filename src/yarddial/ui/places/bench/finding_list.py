"""Findings of the bench: fault, reason, remedy. They can be acknowledged but not hidden."""

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words, button, hairline


class FindingList(QScrollArea):
    """All findings; a row is rebuilt only when its finding changes."""

    mend_wanted = pyqtSignal(object)
    open_wanted = pyqtSignal(str)
    acknowledged = pyqtSignal(object, str)
    taken_back = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._rows: dict[tuple[str, ...], FindingRow] = {}
        inside = QWidget()
        self._layout = QVBoxLayout(inside)
        self._layout.setContentsMargins(0, 0, px(8), 0)
        self._layout.setSpacing(px(6))
        self._good = Words("", 12, tone="quiet", wrap=True)
        self._layout.addWidget(self._good)
        self._layout.addStretch()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(inside)
        self.setAccessibleName("Findings of the bench")

    def show_findings(self, findings: tuple[BenchFinding, ...]) -> None:
        """Show them in their order."""
        wanted = {_identity(finding): finding for finding in findings}
        for identity in [identity for identity in self._rows if identity not in wanted]:
            row = self._rows.pop(identity)
            row.hide()
            row.deleteLater()
        for place, (identity, finding) in enumerate(wanted.items()):
            row = self._rows.get(identity) or self._new_row(finding)
            self._rows[identity] = row
            row.finding = finding
            if self._layout.indexOf(row) != place:
                self._layout.removeWidget(row)
                self._layout.insertWidget(place, row)
        self._good.setText("" if findings else "Nothing is wrong with the yard that its values could tell.")
        self._good.setVisible(not findings)

    def _new_row(self, finding: BenchFinding) -> "FindingRow":
        row = FindingRow(finding)
        row.mend_wanted.connect(lambda: self.mend_wanted.emit(row.finding))
        row.open_wanted.connect(self.open_wanted)
        row.acknowledged.connect(lambda note: self.acknowledged.emit(row.finding, note))
        row.taken_back.connect(lambda: self.taken_back.emit(row.finding))
        return row


class FindingRow(QWidget):
    """One finding with its buttons; the note of an acknowledgement is typed in place."""

    mend_wanted = pyqtSignal()
    open_wanted = pyqtSignal(str)
    acknowledged = pyqtSignal(str)
    taken_back = pyqtSignal()

    def __init__(self, finding: BenchFinding) -> None:
        super().__init__()
        self.finding = finding
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(px(10))
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(1, 1)
        quiet = finding.seen is not None or finding.mark == "good"
        mark = MarkSign(size=11)
        mark.set_mark(finding.mark)
        grid.addWidget(mark, 0, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(Words(f"{finding.what}.", 13, tone="quiet" if quiet else "", wrap=True), 0, 1)
        why = finding.why
        if finding.seen is not None:
            why = f"Acknowledged {finding.seen.date}: {finding.seen.note}"
        grid.addWidget(Words(why[:1].upper() + why[1:] + ".", 12, tone="quiet", wrap=True), 1, 1)
        grid.addLayout(self._buttons(finding), 2, 1)
        self._note = QLineEdit()
        self._note.setFont(font(12))
        self._note.setPlaceholderText("what was done about it; Enter keeps the note")
        self._note.setAccessibleName(f"Note on: {finding.what}")
        self._note.returnPressed.connect(lambda: self.acknowledged.emit(self._note.text()))
        self._note.hide()
        grid.addWidget(self._note, 3, 1)
        grid.addWidget(hairline(), 4, 0, 1, 2)

    def _buttons(self, finding: BenchFinding) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(px(4))
        acts = []
        if finding.mend is not None:
            acts.append((finding.mend_label, self.mend_wanted.emit))
        if finding.part:
            acts.append((f"Open {finding.part}", partial(self.open_wanted.emit, finding.part)))
        if finding.seen is not None:
            acts.append(("Take back", self.taken_back.emit))
        elif finding.mark != "good":
            acts.append(("Acknowledge", self._ask_note))
        for text, act in acts:
            link = button(text, plain=True)
            link.setAccessibleName(f"{text}: {finding.what}")
            link.clicked.connect(lambda _=False, do=act: do())
            row.addWidget(link)
        row.addStretch()
        return row

    def _ask_note(self) -> None:
        self._note.show()
        self._note.setFocus(Qt.FocusReason.OtherFocusReason)


def _identity(finding: BenchFinding) -> tuple[str, ...]:
    return (finding.key, finding.what, finding.why, finding.mark, finding.seen.note if finding.seen else "\0")
