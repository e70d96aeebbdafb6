"""Findings along the bottom: the worst in one line, all of them when opened."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.finding import Finding
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import ElidedWords, button, hairline

# Design pixels: as high with a button as without, so that a finding that comes does not move the page.
ROW = 28


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
        self.setFixedHeight(px(ROW))
        row.addWidget(self._mark)
        row.addWidget(self._what)
        row.addWidget(self._why, 1)
        row.addWidget(self.fix)

    def show_finding(self, finding: Finding) -> None:
        """Show it."""
        self._mark.set_mark(finding.mark)
        self._what.setText(finding.what)
        set_tip(self._what, finding.what)
        self._why.setText(finding.why)
        set_tip(self._why, finding.why)
        self.fix.setText(finding.fix_label)
        self.fix.setAccessibleName(finding.fix_label)
        self.fix.setVisible(finding.fix is not None)


class FindingsBar(QWidget):
    """Closed it is one line; the button at the right opens the rest above it."""

    fixed = pyqtSignal(object)
    opened = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._findings: tuple[Finding, ...] = ()
        self._open = False
        self._rows: list[FindingsBarRow] = []
        self._list = QVBoxLayout()
        self._list.setSpacing(px(4))
        self._quiet = ElidedWords("", 13, tone="quiet")
        self._quiet.setFixedHeight(px(ROW))
        self._toggle = button("", plain=True)
        self._toggle.clicked.connect(self._turn)
        bottom = QHBoxLayout()
        bottom.setContentsMargins(px(14), px(3), px(14), px(4))
        bottom.addLayout(self._list, 1)
        bottom.addWidget(self._toggle)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(hairline())
        layout.addLayout(bottom)
        self._list.addWidget(self._quiet)
        self.setAccessibleName("Findings")

    def show_findings(self, findings: tuple[Finding, ...], quiet: str = "") -> None:
        """Show them, worst first; `quiet` is said where there are none."""
        self._quiet.setText(quiet)
        if findings != self._findings:
            self._findings = findings
            self._draw()

    def _turn(self) -> None:
        self._open = not self._open
        self._draw()

    def _draw(self) -> None:
        shown = self._findings if self._open else self._findings[:1]
        while len(self._rows) < len(shown):
            row = FindingsBarRow()
            row.fix.clicked.connect(partial(self._fix, len(self._rows)))
            self._rows.append(row)
            self._list.addWidget(row)
        for i, row in enumerate(self._rows):
            row.setVisible(i < len(shown))
            if i < len(shown):
                row.show_finding(shown[i])
        self._quiet.setVisible(not shown)
        count = len(self._findings)
        arrow = "▾" if self._open else "▴"
        self._toggle.setText(f"{count} finding{'s' * (count != 1)} {arrow}")
        self._toggle.setAccessibleName("Close findings" if self._open else f"Open all {count} findings")
        self._toggle.setVisible(count > 1)

    def _fix(self, index: int, _checked: bool = False) -> None:
        if index < len(self._findings):
            self.fixed.emit(self._findings[index])
