"""One check as a row: mark, name, evidence, advice."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QGridLayout, QWidget

from yarddial.session.first_light.result import CheckResult
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words, button, hairline


class CheckRow(QWidget):
    """Shows a result; a command can be copied, and is never run by the program."""

    def __init__(self, result: CheckResult) -> None:
        super().__init__()
        wrong = result.verdict in ("stop", "look")
        grid = QGridLayout(self)
        grid.setContentsMargins(0, px(2), 0, px(2))
        grid.setHorizontalSpacing(px(12))
        grid.setVerticalSpacing(px(1))
        grid.setColumnMinimumWidth(1, px(150))
        grid.setColumnStretch(2, 1)
        mark = MarkSign(size=11)
        mark.set_mark(result.verdict)
        top = Qt.AlignmentFlag.AlignTop
        grid.addWidget(mark, 0, 0, top)
        grid.addWidget(Words(result.name, 13, weight=600 if wrong else 500), 0, 1, top)
        grid.addWidget(Words(_sentence(result.detail), 13, tone="" if wrong else "quiet", wrap=True), 0, 2)
        if result.fix:
            grid.addWidget(Words(_sentence(result.fix), 12, tone="quiet", wrap=True), 1, 2)
        if result.remedy:
            line = Words(result.remedy, 12, "mono", wrap=True)
            line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            line.setAccessibleName("Line to read and to run yourself")
            copy = button("copy", plain=True)
            copy.setAccessibleName(f"Copy the line for: {result.name}")
            copy.clicked.connect(lambda: _copy(result.remedy))
            grid.addWidget(line, 2, 2)
            grid.addWidget(copy, 2, 3, top)
        grid.addWidget(hairline(), 3, 0, 1, 4)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".") + ("" if text.endswith("?") else ".")


def _copy(text: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
