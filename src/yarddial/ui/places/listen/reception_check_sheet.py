"""Reception check by steps: the change of each step, and its result."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.session.listening.reception_check import STEPS
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet


class ReceptionCheckSheet(Sheet):
    """Starts the check and shows each step's mark and sentence."""

    manual_page = "listen"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Proof by steps: something strong first, then one change at a time", 760)
        self._reception_check = session.reception_check
        self.verdict = Words("", 17, "serif", wrap=True)
        self.verdict.setAccessibleName("Verdict")
        self.body.addWidget(self.verdict)
        self._marks: list[MarkSign] = []
        self.said: list[Words] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(14))
        grid.setVerticalSpacing(px(4))
        grid.setColumnStretch(1, 1)
        for row, step in enumerate(STEPS):
            mark, sentence = MarkSign(), Words("", 13, wrap=True)
            self._marks.append(mark)
            self.said.append(sentence)
            grid.addWidget(mark, 4 * row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(Words(step.name[:1].upper() + step.name[1:], 14, weight=600), 4 * row, 1)
            grid.addWidget(Words(f"Changed: {step.changes}.", 12, tone="quiet", wrap=True), 4 * row + 1, 1)
            grid.addWidget(sentence, 4 * row + 2, 1)
            grid.addWidget(hairline(), 4 * row + 3, 0, 1, 2)
        self.body.addLayout(grid)
        self.body.addStretch()
        self.begin = button("Begin", strong=True, tip="The dial, the mode and the route are turned for each step")
        self.begin.clicked.connect(self._begin)
        self.buttons.insertWidget(1, self.begin)
        show_soon = Soon(self, self._show)
        self.when_left(
            self._reception_check.on_reception_check_changed(show_soon),
            session.live_receiver.on_receiver_changed(show_soon),
            self._reception_check.cancel,
        )
        self.resize(px(760), px(540))
        self._show()

    def _begin(self) -> None:
        if self._reception_check.running:
            self._reception_check.cancel()
        else:
            self._reception_check.start()

    def _show(self) -> None:
        reception_check = self._reception_check
        results = {result.step.name: result for result in reception_check.results}
        why_not = reception_check.why_not()
        for step, mark, sentence in zip(STEPS, self._marks, self.said, strict=True):
            result = results.get(step.name)
            mark.set_mark(result.mark if result is not None else "unknown")
            text = result.sentence if result is not None else "listening…" if reception_check.at == step else ""
            sentence.setText(text[:1].upper() + text[1:] + ("." if result is not None else ""))
            sentence.setVisible(bool(text))
        self.begin.setText("Cancel" if reception_check.running else "Begin" if not results else "Again")
        self.begin.setEnabled(reception_check.running or not why_not)
        self.verdict.setText(
            _verdict([result.mark for result in reception_check.results], reception_check.running, why_not)
        )


def _verdict(marks: list[str], running: bool, why_not: str) -> str:
    good = marks.count("good")
    if running:
        return f"Step {len(marks) + 1} of {len(STEPS)}."
    if not marks:
        return f"{why_not[:1].upper()}{why_not[1:]}." if why_not else "Nothing was proved yet."
    if "stop" in marks:
        return "It fails where it should be easiest: mend that first."
    asked = len(marks) - marks.count("unknown")
    if good == asked:
        return f"Proved: all {good} steps that the yard can make are heard."
    return f"{good} of {asked} steps are heard; the first that is not shows what to look at."
