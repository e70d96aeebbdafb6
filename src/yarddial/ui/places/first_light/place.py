"""The place First light: one run, each check as it is done; sorted worst first at the end."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from yarddial.session.first_light.result import QUESTIONS, CheckResult
from yarddial.session.first_light.verdict import first_light_verdict
from yarddial.session.session import Session
from yarddial.ui.places.first_light.check_row import CheckRow
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.words import Words, button

_ORDER = {"stop": 0, "look": 1, "unknown": 2, "good": 3}


class FirstLightPlace(QWidget):
    """The checks of First light."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[CheckResult, ...] | None = None
        self.headline = Headline()
        self.start = button("Check the receiver", strong=True, tip="Run all checks on the active route's receiver")
        self.start.clicked.connect(session.device_check.start)
        self.cancel = button("Cancel", tip="End the run (Esc)")
        self.cancel.clicked.connect(session.device_check.cancel)
        self.choose = button("Choose the receiver", tip="What is plugged in, and what can be told")
        self.choose.clicked.connect(self._choose)
        self._hint = Words("", 12, tone="quiet")
        self.rows = QVBoxLayout()
        self.rows.setSpacing(0)
        self.rows.addStretch()
        inside = QWidget()
        inside.setLayout(self.rows)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        row = QHBoxLayout()
        row.setSpacing(px(8))
        row.addWidget(self.start)
        row.addWidget(self.cancel)
        row.addWidget(self.choose)
        row.addWidget(self._hint, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(14), px(20), px(8))
        layout.setSpacing(px(10))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        layout.addWidget(scroll, 1)
        session.device_check.on_device_check_changed(self._show)
        session.desk.on_dial_changed(self._show)
        self._show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show changes made while hidden."""
        self._show()
        super().showEvent(event)

    def _choose(self) -> None:
        from yarddial.ui.receiver_picker.sheet import ReceiverPicker

        route = self._session.desk.route
        if not route.missing:
            ReceiverPicker(self, self._session, route.receiver.name).show()

    def _show(self) -> None:
        self.choose.setEnabled(not self._session.desk.route.missing)
        device_check = self._session.device_check
        verdict = first_light_verdict(device_check, self._session.desk)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        why_not = device_check.why_not()
        self.start.setEnabled(not why_not)
        self.cancel.setVisible(device_check.running)
        receiver = self._session.desk.route.receiver.name
        self._hint.setText(
            why_not if why_not and not device_check.running else f"{receiver}; the receiver is stopped for it"
        )
        results = device_check.results if device_check.results or device_check.running else QUESTIONS
        if not device_check.running:
            results = tuple(sorted(results, key=lambda result: _ORDER[result.verdict]))
        if results != self._shown:
            self._fill(results)

    def _fill(self, results: tuple[CheckResult, ...]) -> None:
        """Append new results; rebuild only when the order changes."""
        unchanged = self._shown if self._shown is not None and results[: len(self._shown)] == self._shown else ()
        while self.rows.count() - 1 > len(unchanged):
            item = self.rows.takeAt(len(unchanged))
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for result in results[len(unchanged) :]:
            self.rows.insertWidget(self.rows.count() - 1, CheckRow(result))
        self._shown = results
