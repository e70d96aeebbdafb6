"""Remedies for the spurious signal at the dial, each with its expected result and a button to try it."""

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.spurious.mitigation import Mitigation
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.tip import set_tip, tip_of
from yarddial.ui.widgets.words import Words, button, hairline


class RemedyList(QWidget):
    """Rows of remedies, then the result of the last trial, to be kept or dropped."""

    def __init__(self, mitigation: Mitigation) -> None:
        super().__init__()
        self._mitigation = mitigation
        self._shown: object = None
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(px(8))
        self._rows.setVerticalSpacing(px(4))
        self._said = Words("", 12, tone="quiet", wrap=True)
        self._mark = MarkSign(size=11)
        self.verdict = Words("", 13, wrap=True)
        self._what = Words("", 12, tone="quiet", wrap=True)
        self.keep = button("Keep it", strong=True, tip="Set it in the yard; Ctrl+Z takes it back")
        self.leave = button("Leave it", tip="Back to how it was")
        self.keep.clicked.connect(mitigation.keep)
        self.leave.clicked.connect(mitigation.leave)
        self._tried = QWidget()
        verdict = QHBoxLayout()
        verdict.addWidget(self._mark)
        verdict.addWidget(self.verdict, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.keep)
        buttons.addWidget(self.leave)
        buttons.addStretch()
        tried = QVBoxLayout(self._tried)
        tried.setContentsMargins(0, px(4), 0, 0)
        tried.addLayout(verdict)
        tried.addWidget(self._what)
        tried.addLayout(buttons)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(4))
        layout.addWidget(self._tried)
        layout.addLayout(self._rows)
        layout.addWidget(self._said)

    def show_cures(self, advice: str) -> None:
        """Show the plan for the dial; `advice` is shown where nothing can be tried."""
        mitigation = self._mitigation
        remedies = mitigation.remedies if mitigation.is_current else ()
        trial = mitigation.trial if mitigation.is_current else None
        self._tried.setVisible(trial is not None)
        if trial is not None:
            self._mark.set_mark(trial.verdict)
            self.verdict.setText(f"{trial.sentence}.")
            self._what.setText(f"Tried: {trial.remedy.words}.")
            back = "the route is chosen by hand again" if trial.remedy.route else "Ctrl+Z takes it back"
            set_tip(self.keep, f"Set it in the yard; {back}")
        if remedies is None:
            message = "Working out what helps…"
        elif mitigation.running:
            message = f"Trying: {mitigation.doing}…"
        else:
            message = (
                f"It did not go: {mitigation.trouble}.\n{advice}"
                if mitigation.trouble
                else ("" if remedies else advice)
            )
        self._said.setText(message)
        self._said.setVisible(bool(message))
        state = (remedies, [mitigation.why_not_try(candidate) for candidate in remedies or ()])
        if state == self._shown:
            return
        self._shown = state
        empty(self._rows)
        for row, remedy in enumerate(remedies or ()):
            words = QVBoxLayout()
            words.setSpacing(0)
            words.addWidget(Words(f"{remedy.words[:1].upper()}{remedy.words[1:]}", 12, wrap=True))
            words.addWidget(Words(f"Predicted: {remedy.prediction()}", 11, tone="quiet", wrap=True))
            beside = QWidget()
            beside.setLayout(words)
            words.setContentsMargins(0, 0, 0, 0)
            attempt = button("Try it", tip=f"Try it on the receiver: {remedy.words}")
            attempt.setAccessibleName(f"Try it: {remedy.words}")
            why_not = mitigation.why_not_try(remedy)
            attempt.setEnabled(not why_not)
            set_tip(attempt, why_not or tip_of(attempt))
            attempt.clicked.connect(lambda _=False, candidate=remedy: mitigation.try_it(candidate))
            self._rows.addWidget(beside, 2 * row, 0)
            self._rows.addWidget(attempt, 2 * row, 1)
            self._rows.addWidget(hairline(), 2 * row + 1, 0, 1, 2)
        self._rows.setColumnStretch(0, 1)
