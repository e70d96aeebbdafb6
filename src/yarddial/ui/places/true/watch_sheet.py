"""Long observation of a carrier: warm-up and stability."""

from PyQt6.QtWidgets import QWidget

from yarddial.session.calibration.carrier_model import model_sentence
from yarddial.session.calibration.carrier_watch import MAX_MISSED, POINTS_S
from yarddial.session.session import Session
from yarddial.session.wording import capital
from yarddial.ui.places.true.watch_picture import AllanPicture, WatchPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.plain_text import count_of


class WatchSheet(Sheet):
    """Starts and stops a run; shows it as it grows."""

    manual_page = "true"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Is the oscillator steady?", 760)
        self._session, self._carrier_watch = session, session.carrier_watch
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
        self.every = ChoiceBox("A point every")
        set_tip(self.every, "Short points follow a fast warm-up; long ones tell more of a steady oscillator")
        for point_s in POINTS_S:
            self.every.addItem(f"{point_s:g} s", point_s)
        self.every.setCurrentIndex(POINTS_S.index(self._carrier_watch.point_s))
        self.every.currentIndexChanged.connect(lambda n: self._carrier_watch.choose_point(POINTS_S[n]))
        self.buttons.insertWidget(0, Words("A point every", 12, tone="quiet"))
        self.buttons.insertWidget(1, self.every)
        self.buttons.insertWidget(3, self.begin)
        show_soon = Soon(self, self._show)
        self.when_left(
            self._carrier_watch.on_watch_changed(show_soon),
            session.calibration.on_calibration_changed(show_soon),
            self._carrier_watch.stop,
        )
        self.resize(px(760), px(640))
        self._show()

    def _begin(self) -> None:
        if self._carrier_watch.running:
            self._carrier_watch.stop()
        else:
            self._carrier_watch.start()

    def _show(self) -> None:
        carrier_watch = self._carrier_watch
        why_not = carrier_watch.why_not()
        self.begin.setText("Stop" if carrier_watch.running else "Watch")
        self.begin.setEnabled(carrier_watch.running or not why_not)
        self.every.setEnabled(not carrier_watch.running)
        self.track.show_track(carrier_watch.points, carrier_watch.warm_up)
        self.curve.show_curve(carrier_watch.curve)
        sentence, under = self._said(why_not)
        self.verdict.setText(sentence)
        self._under.setText(under)

    def _said(self, why_not: str) -> tuple[str, str]:
        from yarddial.analysis.stability.allan import in_words

        carrier_watch = self._carrier_watch
        if carrier_watch.trouble:
            return "The run ended early.", _sentence(carrier_watch.trouble)
        if carrier_watch.warm_up is None:
            if carrier_watch.running:
                if carrier_watch.missed_now:
                    return (
                        f"Watching: {count_of(carrier_watch.missed_now, 'point')} in a row found no carrier.",
                        f"After {MAX_MISSED} the run ends; until then their time is left empty.",
                    )
                last = (
                    "" if carrier_watch.latest is None else f" The last point: {model_sentence(carrier_watch.latest)}."
                )
                return (
                    f"Watching: {len(carrier_watch.points)} points.",
                    f"A first answer comes after eight points.{last}",
                )
            return "Nothing was watched yet.", _sentence(why_not or "cold receivers drift for a quarter of an hour")
        words = ""
        if carrier_watch.curve:
            words = _sentence(
                in_words(
                    carrier_watch.curve, abs(self._session.desk.route.counted_hz(self._session.desk.station.dial_hz))
                )
            )
        if carrier_watch.missed:
            words += f" {capital(count_of(carrier_watch.missed, 'point'))} found no carrier: that time is left empty."
        if carrier_watch.latest is not None and carrier_watch.latest.method != "steady":
            words += f" The last point: {model_sentence(carrier_watch.latest)}."
        return _sentence(carrier_watch.warm_up.sentence()), words.strip()


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:].rstrip('.')}."
