"""History of an oscillator: past, forecast, time for the next measurement; temperature notes."""

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.calibration.outlook import corrected_s, corrections, outlook, since_last_correction
from yarddial.session.calibration.verdict import lasts_sentence
from yarddial.session.session import Session
from yarddial.ui.places.true.history_picture import HistoryPicture
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import BadObservations
from yarddial.yard.oscillators import spoken
from yarddial.yard.plain_text import count_of

# Number of corrections marked in the picture.
MAX_READ = 500
MAX_CORRECTIONS = 4


class HistorySheet(Sheet):
    """One oscillator at a time, the receiver's crystal first."""

    manual_page = "true"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "History", 780)
        self._session = session
        self.which = ChoiceBox("Oscillator", at_left=True)
        self.which.setFont(font(13))
        self.verdict = Words("", 18, "serif", wrap=True)
        self.verdict.setAccessibleName("Verdict")
        self.more = Words("", 13, tone="quiet", wrap=True)
        self.picture = HistoryPicture()
        self.lasts = Words("", 13, wrap=True)
        self.entered = Words("", 12, tone="quiet", wrap=True)
        self.warmth = QLineEdit()
        self.warmth.setFont(font(13, "mono"))
        self.warmth.setAccessibleName("Temperature beside the receiver, degrees Celsius")
        self.warmth.setPlaceholderText("such as 21.5; noted with every measurement")
        self.warmth.editingFinished.connect(self.note_warmth)
        row = QHBoxLayout()
        row.addWidget(Words("Temperature beside the receiver, °C", 13))
        row.addWidget(self.warmth, 1)
        top = QHBoxLayout()
        top.addWidget(self.which)
        top.addStretch()
        self.body.addLayout(top)
        for widget in (self.verdict, self.more):
            self.body.addWidget(widget)
        self.body.addWidget(self.picture, 1)
        self.body.addWidget(self.lasts)
        self.body.addWidget(hairline())
        self.body.addWidget(self.entered)
        self.body.addLayout(row)
        self._names = sorted(
            session.calibration.oscillator_estimates.histories, key=lambda name: not name.startswith("crystal")
        )
        for name in self._names:
            self.which.addItem(spoken(name)[:1].upper() + spoken(name)[1:])
        self.which.activated.connect(self._show)
        show_soon = Soon(self, self._show)
        self.when_left(session.calibration.on_calibration_changed(show_soon))
        self.resize(px(780), px(700))
        self._show()

    def note_warmth(self) -> None:
        try:
            sentence = self._session.calibration.note_temperature(self.warmth.text())
        except BadObservations as refused:
            self.more.setText(f"{str(refused)[:1].upper()}{str(refused)[1:]}.")
        else:
            self.more.setText(f"{sentence}.")

    def _show(self) -> None:
        session, station = self._session, self._session.desk.station
        known = session.calibration.oscillator_estimates
        entries = session.log.entries("correction", station.name, limit=MAX_READ)
        self.lasts.setText(lasts_sentence(session.calibration))
        correction_words = [
            f"{entry.at_utc[:10]}: {entry.text}" for entry in corrections(entries, station.name)[:MAX_CORRECTIONS]
        ]
        if compared := since_last_correction(entries, station.name):
            correction_words.insert(0, f"{compared[:1].upper()}{compared[1:]}.")
        self.entered.setText("\n".join(correction_words) or "No correction was entered yet.")
        if not self._names:
            count = len(session.calibration.observations)
            some = f"{count_of(count, 'measurement')} so far: no oscillator is told apart from the others yet."
            self.verdict.setText(some if count else "Nothing was measured yet.")
            self.more.setText("Measure two stations on two routes; from then on this shows how the oscillators go.")
            return
        history = known.histories[self._names[max(self.which.currentIndex(), 0)]]
        now_s = seconds_of("")
        outlook_now = outlook(history, now_s)
        self.verdict.setText(outlook_now.verdict)
        self.more.setText(outlook_now.more)
        self.picture.show_history(history.points, outlook_now.ahead, corrected_s(entries, station.name), now_s)
