"""Headline of a place: mark, verdict in one sentence, consequence."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words


class Headline(QWidget):
    """The headline, designed to be seen first."""

    def __init__(self) -> None:
        super().__init__()
        self._mark = MarkSign(size=14)
        self._sentence = Words("", 22, "serif", wrap=True)
        # Room for two lines, so that what stands below stays where it is.
        self._consequence = Words("", 13, tone="quiet", wrap=True).keep_lines(2, in_low_window=1)
        self._sentence.setAccessibleName("Verdict")
        self._consequence.setAccessibleName("What follows from it")
        row = QHBoxLayout()
        row.setSpacing(px(10))
        row.addWidget(self._mark)
        row.addWidget(self._sentence, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(4))
        layout.addLayout(row)
        layout.addWidget(self._consequence)

    def show_verdict(self, mark: str, sentence: str, consequence: str) -> None:
        """Show mark, sentence and consequence."""
        self._mark.set_mark(mark)
        self._sentence.setText(sentence)
        self._consequence.setText(consequence)

    def text(self) -> str:
        """The sentence shown."""
        return self._sentence.text()
