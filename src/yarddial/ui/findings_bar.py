"""Findings along the bottom: the worst in one line, all of them when opened."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.finding import Finding
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import ElidedWords, button, hairline

# Design pixels: the same height with and without a button, so that a new finding does not move the page.
ROW_HEIGHT = 28


class FindingsBarRow(QWidget):
    """A finding: mark, what, why, and its fix."""

    def __init__(self) -> None:
        super().__init__()
        self._mark = MarkSign(size=10)
        self._what, self._why = ElidedWords("", 13), ElidedWords("", 12, tone="quiet")
        self.fix = button("", plain=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(px(10))
        self.setFixedHeight(px(ROW_HEIGHT))
        row.addWidget(self._mark)
        row.addWidget(self._what)
        row.addWidget(self._why, 1)
        row.addWidget(self.fix)

    def show_finding(self, finding: Finding) -> None:
        """Show a finding."""
        self._mark.set_mark(finding.mark)
        self._what.setText(finding.what)
        set_tip(self._what, finding.what)
        self._why.setText(finding.why)
        set_tip(self._why, finding.why)
        self.fix.setText(finding.fix_label)
        self.fix.setAccessibleName(finding.fix_label)
        self.fix.setVisible(finding.fix is not None)


class FindingsBar(QWidget):
    """One line when closed; the button at the right opens the rest above it."""

    fixed = pyqtSignal(object)
    opened = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.findings: tuple[Finding, ...] = ()
        self._open = False
        self.rows: list[FindingsBarRow] = []
        self._list = QVBoxLayout()
        self._list.setSpacing(px(4))
        self.quiet = ElidedWords("", 13, tone="quiet")
        self.quiet.setFixedHeight(px(ROW_HEIGHT))
        self.toggle = button("", plain=True)
        self.toggle.clicked.connect(self._turn)
        bottom = QHBoxLayout()
        bottom.setContentsMargins(px(14), px(3), px(14), px(4))
        bottom.addLayout(self._list, 1)
        bottom.addWidget(self.toggle)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(hairline())
        layout.addLayout(bottom)
        self._list.addWidget(self.quiet)
        self.setAccessibleName("Findings")

    def show_findings(self, findings: tuple[Finding, ...], quiet: str = "") -> None:
        """Show findings, worst first; `quiet` is shown without any."""
        self.quiet.setText(quiet)
        if findings != self.findings:
            self.findings = findings
            self._draw()

    def _turn(self) -> None:
        self._open = not self._open
        self._draw()

    def _draw(self) -> None:
        shown = self.findings if self._open else self.findings[:1]
        while len(self.rows) < len(shown):
            row = FindingsBarRow()
            row.fix.clicked.connect(partial(self._fix, len(self.rows)))
            self.rows.append(row)
            self._list.addWidget(row)
        for i, row in enumerate(self.rows):
            row.setVisible(i < len(shown))
            if i < len(shown):
                row.show_finding(shown[i])
        self.quiet.setVisible(not shown)
        count = len(self.findings)
        arrow = "▾" if self._open else "▴"
        self.toggle.setText(f"{count} finding{'s' * (count != 1)} {arrow}")
        self.toggle.setAccessibleName("Close findings" if self._open else f"Open all {count} findings")
        self.toggle.setVisible(count > 1)

    def _fix(self, index: int, _checked: bool = False) -> None:
        if index < len(self.findings):
            self.fixed.emit(self.findings[index])
