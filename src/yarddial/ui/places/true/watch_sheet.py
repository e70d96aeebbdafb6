"""Watching a carrier: warm-up and steadiness."""

from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QWidget

from yarddial.session.session import Session
from yarddial.session.watching import POINTS_S
from yarddial.ui.places.true.watch_picture import AllanPicture, WatchPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import Choice
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet


class WatchSheet(Sheet):
    """Begins and ends a run; shows it as it grows."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Is the oscillator steady?", 760)
        self._session, self._watching = session, session.watching
        self.verdict = Words("", 17, "serif", wrap=True)
        self.verdict.setAccessibleName("Verdict")
        self._under = Words("", 13, tone="quiet", wrap=True)
        self.track, self.curve = WatchPicture(), AllanPicture()
        self.begin = button("Watch", strong=True, tip="Measure the carrier at the dial again and again, for an hour")
        self.begin.clicked.connect(self._begin)
        for widget in (self.verdict, self._under):
            self.body.addWidget(widget)
        self.body.addWidget(self.track, 3)
        self.body.addWidget(self.curve, 2)
        self.every = Choice("A point every")
        self.every.setToolTip("Short points follow a fast warm-up; long ones tell more of a steady oscillator")
        for point_s in POINTS_S:
            self.every.addItem(f"{point_s:g} s", point_s)
        self.every.setCurrentIndex(POINTS_S.index(self._watching.point_s))
        self.every.currentIndexChanged.connect(lambda n: self._watching.choose_point(POINTS_S[n]))
        self.buttons.insertWidget(0, Words("A point every", 12, tone="quiet"))
        self.buttons.insertWidget(1, self.every)
        self.buttons.insertWidget(3, self.begin)
        show_soon = Soon(self, self._show)
        self._leave = (
            self._watching.on_watching_changed(show_soon), session.truing.on_truing_changed(show_soon),
        )  # fmt: skip
        self.resize(px(760), px(640))
        self._show()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """End the run; it is in the log."""
        for leave in self._leave:
            leave()
        self._watching.stop()
        super().closeEvent(event)

    def _begin(self) -> None:
        if self._watching.running:
            self._watching.stop()
        else:
            self._watching.start()

    def _show(self) -> None:
        watching = self._watching
        why_not = watching.why_not()
        self.begin.setText("Stop" if watching.running else "Watch")
        self.begin.setEnabled(watching.running or not why_not)
        self.every.setEnabled(not watching.running)
        self.track.show_track(watching.points, watching.warm_up)
        self.curve.show_curve(watching.curve)
        sentence, under = self._said(why_not)
        self.verdict.setText(sentence)
        self._under.setText(under)

    def _said(self, why_not: str) -> tuple[str, str]:
        from yarddial.analysis.stability.allan import in_words

        watching = self._watching
        if watching.trouble:
            return "The run ended early.", _sentence(watching.trouble)
        if watching.warm_up is None:
            if watching.running:
                return f"Watching: {len(watching.points)} points.", "A first answer comes after eight points."
            return "Nothing was watched yet.", _sentence(why_not or "cold receivers drift for a quarter of an hour")
        words = ""
        if watching.curve:
            words = _sentence(
                in_words(watching.curve, abs(self._session.desk.line.counted_hz(self._session.desk.station.dial_hz)))
            )
        return _sentence(watching.warm_up.sentence()), words


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:].rstrip('.')}."
