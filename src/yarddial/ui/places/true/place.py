"""The place True."""

from datetime import UTC, datetime

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.calibration.verdict import true_verdict
from yarddial.session.preferences.sun import sun_sentence
from yarddial.session.session import Session
from yarddial.ui.places.true.error_picture import ErrorPicture
from yarddial.ui.places.true.evidence import Evidence
from yarddial.ui.spectrogram_feed import SpectrogramFeed
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.side_by_side import side_by_side
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.frequency import format_frequency
from yarddial.yard.modes import mode_named
from yarddial.yard.references import kind_named
from yarddial.yard.station import Reference

HOW_LONG = (("as long as it helps", 0.0), ("4 s", 4.0), ("30 s", 30.0), ("2 min", 120.0))


class TruePlace(QWidget):
    """The pen recorder at the left; oscillators and their measurements at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.headline = Headline()
        self.recorder = SpectrogramChart()
        self.measure = button("Measure here", strong=True, tip="Measure the known station at the dial (M)")
        self.apply = button("Apply", tip="Enter the correction (Ctrl+Return); Ctrl+Z takes it back")
        self.verify = button("Verify", tip="Measure again with the correction entered (V)")
        self.everything = button("All oscillators", tip="All of the yard in one list, and a walk that trues them all")
        self.everything.clicked.connect(self.show_all)
        self._beside = Words("", 12, tone="quiet", wrap=True).keep_lines(3, in_low_window=1)
        self._errors = ErrorPicture()
        self._evidence = Evidence(session)
        self.how_long = ChoiceBox("How long to measure", at_left=True)
        for name, seconds_s in HOW_LONG:
            self.how_long.addItem(name, seconds_s)
        set_tip(self.how_long, "As long as it helps: until the station or its path is the limit, not the noise")
        self.how_long.activated.connect(self._choose_how_long)
        self.measure.clicked.connect(self._measure)
        self.verify.clicked.connect(lambda: session.calibration.measure(verifying=True))
        self.apply.clicked.connect(session.calibration.apply)
        self._feed = SpectrogramFeed(self.recorder, session.live_receiver)
        self._lay_out()
        # One key can change dial, mode, route and receiver: update once for all.
        self._show_soon = Soon(self, self._show)
        session.calibration.on_calibration_changed(self._show_soon)
        session.live_receiver.on_receiver_changed(self._show_soon)
        # A new plan changes the oscillators' next steps and marks.
        session.calibration_sequence.on_sequence_changed(self._show_soon)
        session.live_receiver.picture.on_spectrogram_moved(self._feed.draw)
        self._show()

    def _lay_out(self) -> None:
        buttons = FlowRow(self.measure, self.apply, self.verify, self.everything)
        left = QVBoxLayout()
        left.setSpacing(px(8))
        left.addWidget(self.recorder, 3)
        left.addLayout(buttons)
        status_row = QHBoxLayout()
        status_row.setSpacing(px(14))
        status_row.addWidget(self.how_long, 0, Qt.AlignmentFlag.AlignTop)
        status_row.addWidget(self._beside, 1)
        left.addLayout(status_row)
        left.addSpacing(px(4))
        left.addLayout(
            FlowRow(
                Words("Dial error over all routes", 14, "serif"),
                Words("middle: error; thickness: ±1 sigma; logarithmic beyond 1 Hz", 12, tone="quiet"),
            )
        )
        left.addWidget(self._errors, 1)
        side_by_side(self, self.headline, left, self._evidence)

    def show_all(self) -> None:
        """Open the list of all oscillators with the calibration sequence."""
        from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet

        AllOscillatorsSheet(self, self._session).show()

    def _measure(self) -> None:
        self._session.calibration.measure()

    def _choose_how_long(self) -> None:
        self._session.calibration.chosen_s = float(self.how_long.currentData())

    def _show(self) -> None:
        session = self._session
        calibration, station = session.calibration, session.desk.station
        verdict = true_verdict(calibration, mode_named(station.mode))
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        why_not = calibration.why_not_measure()
        proposal = calibration.proposal()
        can_apply = proposal is not None and not proposal.is_nothing
        self.measure.setEnabled(not why_not)
        self.verify.setEnabled(not why_not and calibration.fit is not None)
        self.apply.setEnabled(can_apply)
        self._beside.setText(self._beside_text(why_not))
        self.how_long.setCurrentIndex(max(self.how_long.findData(calibration.chosen_s), 0))
        reference = calibration.reference()
        self.recorder.zero_label = f"{reference.name} stated" if reference else format_frequency(station.dial_hz)
        self.recorder.empty_text = self._empty_text()
        state = calibration.state()
        self.recorder.expect(state.error_hz, state.sigma_hz)
        corrected = proposal.station if can_apply and proposal is not None else None
        self._errors.show_routes(station, calibration.oscillators, mode_named(station.mode), corrected)
        self._evidence.show_state()

    def _beside_text(self, why_not: str) -> str:
        calibration = self._session.calibration
        if calibration.measuring is not None:
            return calibration.measuring.progress()[:1].upper() + calibration.measuring.progress()[1:] + "."
        proposal = calibration.proposal()
        if contradicted := calibration.why_contradicted():
            return f"Nothing to enter yet: {contradicted}."
        if proposal is not None and not proposal.is_nothing:
            return "To enter: " + ", ".join(change.short for change in proposal.changes)
        if why_not:
            return why_not[:1].upper() + why_not[1:] + "."
        reference = calibration.reference()
        if reference is None:
            return ""
        kind = kind_named(reference.kind)
        if kind is None or not kind.wander_hz >= 0.1:
            return _trap(reference)
        sun = sun_sentence(self._session.preferences.now.locator, datetime.now(UTC))
        return f"{_trap(reference)} {sun}".strip()

    def _empty_text(self) -> str:
        live_receiver = self._session.live_receiver
        if live_receiver.trouble:
            return live_receiver.trouble[:1].upper() + live_receiver.trouble[1:] + "."
        if live_receiver.wanted:
            return "The receiver is starting…"
        return "The receiver is off. Space starts it; M measures the station at the dial."

    def showEvent(self, event: QShowEvent | None) -> None:
        """Draw what arrived while hidden."""
        super().showEvent(event)
        self._feed.draw()


def _trap(reference: Reference) -> str:
    """Pitfalls of a station: caution first, then the trap of its kind."""
    kind = kind_named(reference.kind)
    if kind is None:
        return f"{reference.name}, {reference.note or reference.kind}."
    return f"{reference.name}, {reference.kind}: {kind.needs_care or kind.trap + '.'}"
