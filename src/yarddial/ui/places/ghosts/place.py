"""The place Ghosts: which signals are real."""

from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.session.spurious.judged_span import JudgedPeak
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.ui.places.ghosts.antenna_off_sheet import AntennaOffSheet
from yarddial.ui.places.ghosts.expected_list import ExpectedList
from yarddial.ui.places.ghosts.ghosts_picture import GhostsPicture
from yarddial.ui.places.ghosts.interference_sheet import InterferenceSheet
from yarddial.ui.places.ghosts.recordings_sheet import RecordingsSheet
from yarddial.ui.places.ghosts.remedy_list import RemedyList
from yarddial.ui.places.ghosts.remedy_picture import RemedyPicture
from yarddial.ui.places.ghosts.strong_list import StrongList
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.side_by_side import side_by_side
from yarddial.ui.widgets.side_column import side_column
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.work import Work
from yarddial.yard.frequency import format_frequency, format_number
from yarddial.yard.resolved_route import ResolvedRoute

MAX_CAUSES, MAX_PEAKS = 4, 12
MARKS = {"true": "good", "ghost": "stop", "unsure": "look"}
TEST_WORDS = {
    "centre": "the centre was moved", "gain": "gain was taken off", "attenuation": "attenuation was put in",
    "rate": "another rate was tried", "route": "another route was tried", "antenna": "the antenna was taken off",
}  # fmt: skip
MISSING_TEST_WORDS = {
    "centre": "move the centre", "gain": "take gain off", "attenuation": "put attenuation before the receiver",
    "rate": "try another rate", "route": "look over another route", "antenna": "take the antenna off and test again",
}  # fmt: skip


class GhostsPlace(QWidget):
    """The span as a dial scale at the left; the signal at the dial with its remedies at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._span_test = session, session.span_test
        self.headline = Headline()
        self.picture = GhostsPicture(session.span_test, session.expected_products)
        self.picture.dialled.connect(session.desk.dial)
        self.test = button("Test the span", strong=True, tip="Look under one change after the other, judge each peak")
        self.test.clicked.connect(self._test)
        self.without = button(
            "Look without antenna", tip="Take it off, then look again: what stays, the receiver makes"
        )
        self.without.clicked.connect(self.test_without)
        self.recordings = button("Recordings", plain=True, tip="Judge by recordings that were made at two centres")
        self.recordings.clicked.connect(lambda: RecordingsSheet(self, session).show())
        self.search = button("Hunt interference", plain=True, tip="Find what in the house disturbs, step by step")
        self.search.clicked.connect(lambda: InterferenceSheet(self, session).show())
        self._beside = Words("", 12, tone="quiet", wrap=True)
        self._causes, self._peaks = QGridLayout(), QGridLayout()
        for grid in (self._causes, self._peaks):
            grid.setHorizontalSpacing(px(8))
            grid.setVerticalSpacing(px(4))
        self._tested = Words("", 12, tone="quiet", wrap=True)
        self.strong = StrongList(session.strong)
        self.expected = ExpectedList(session.expected_products)
        self.expected.dialled.connect(session.desk.dial)
        self.cures, self.cured = RemedyList(session.mitigation), RemedyPicture()
        self._against = Words()
        self._lay_out()
        self._show_soon = Soon(self, self._show)
        session.span_test.on_span_test_changed(self._show_soon)
        session.mitigation.on_mitigation_changed(self._show_soon)
        session.strong.on_strong_changed(self._show_soon)
        session.expected_products.on_expected_changed(self._show_soon)
        session.desk.on_dial_changed(self._show_soon)
        session.desk.on_yard_changed(self._show_soon)
        session.live_receiver.on_receiver_changed(self._show_soon)
        self._show()

    def _lay_out(self) -> None:
        row = FlowRow(self.test, self.without, self.recordings, self.search, spacing=12)
        left = QVBoxLayout()
        left.setSpacing(px(8))
        left.addWidget(self.picture, 1)
        left.addWidget(self.cured, 1)
        left.addLayout(row)
        left.addWidget(self._beside)
        beside, right = side_column(330)
        for title, part in (
            ("What stands at the dial", self._causes), ("", self._tested), ("What would remove it", self.cures),
            ("All that stands out", self._peaks), ("To be expected here", self.expected),
            ("Signals known to be strong", self.strong),
        ):  # fmt: skip
            if title:
                heading = Words(title, 14, "serif")
                right.addSpacing(px(4))
                right.addWidget(heading)
                # Without a spurious signal there is nothing below the heading.
                self._against = heading if part is self.cures else self._against
            if isinstance(part, QGridLayout):
                right.addLayout(part)
            else:
                right.addWidget(part)
        right.addStretch()
        side_by_side(self, self.headline, left, beside)

    def test_without(self) -> None:
        """Open the test without the antenna."""
        AntennaOffSheet(self, self._session).show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show changes made while hidden."""
        super().showEvent(event)
        self._show()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Release the receiver, unless all bands are being proven."""
        if not self._session.band_run.running:
            self._span_test.cancel()
        self._session.mitigation.cancel()
        self._session.strong.cancel()
        super().hideEvent(event)

    def _test(self) -> None:
        if self._span_test.running:
            self._span_test.cancel()
        else:
            self._span_test.test()

    def _show(self) -> None:
        span_test, desk = self._span_test, self._session.desk
        verdict = ghosts_verdict(span_test, desk)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        why_not = span_test.why_not()
        self.test.setText("Stop" if span_test.running else "Test the span")
        self.test.setEnabled(span_test.running or not why_not)
        can_be_off = span_test.route is not None and "antenna" not in span_test.changes
        self.without.setVisible(bool(span_test.judged) and can_be_off)
        self.without.setEnabled(not span_test.why_not_without())
        if span_test.running:
            self._beside.setText(f"Looking {span_test.doing}: {span_test.fraction:.0%} done.")
        else:
            message = why_not or span_test.not_off
            self._beside.setText(f"{message[:1].upper()}{message[1:]}." if message else "")
        self.picture.show_dial(desk.station.dial_hz)
        self._plan()
        self.strong.show_known()
        self.expected.show_expected()
        self.picture.update()
        self._show_dial(span_test.at_dial())
        self._show_peaks()

    def _show_dial(self, here: JudgedPeak | None) -> None:
        empty(self._causes)
        if here is None:
            text = "Nothing stands out at the dial." if self._span_test.judged else "Not tested yet."
            self._causes.addWidget(Words(text, 12, tone="quiet"), 0, 0)
            self._tested.setText("")
            self._show_cures("")
            return
        for row, (cause, share) in enumerate(here.judgement.odds[:MAX_CAUSES]):
            if row and share < 0.001:
                break
            words = Words(f"{cause.words[:1].upper()}{cause.words[1:]}", 12, wrap=True)
            self._causes.addWidget(words, 2 * row, 0)
            self._causes.addWidget(Words(_percent(share), 12, "mono", tone="quiet"), 2 * row, 1)
            self._causes.addWidget(hairline(), 2 * row + 1, 0, 1, 2)
        self._causes.setColumnStretch(0, 1)
        changes = list(dict.fromkeys(TEST_WORDS[change] for change in self._span_test.changes))
        evidence_words = f"Judged by what it did when {_listed(changes)}." if changes else ""
        if here.judgement.missing is not None:
            again = "; as it was tried, it could not have been seen here"
            is_blind = here.judgement.missing in here.judgement.blind
            evidence_words += f" Not sure yet: {MISSING_TEST_WORDS[here.judgement.missing]}{again if is_blind else ''}."
        self._tested.setText(evidence_words.strip())
        self._show_cures(self._cure_text(here, self._span_test.route))

    def _plan(self) -> None:
        """Request the expected signals and remedies, computed in threads."""
        mitigation, expected_products = self._session.mitigation, self._session.expected_products
        if self.isVisible() and (asked := expected_products.needed()) is not None:
            expected = Work(self, asked.work_out)
            expected.done.connect(lambda found: expected_products.take(asked, found))
            expected.start()
        if self.isVisible() and (request := mitigation.needed()) is not None:
            work = Work(self, request.plan)
            work.done.connect(lambda found: mitigation.take_plan(request, found))
            work.refused.connect(lambda sentence: mitigation.refuse_plan(request, sentence))
            work.start()

    def _show_cures(self, advice: str) -> None:
        mitigation = self._session.mitigation
        self.cures.show_cures(advice)
        self._against.setVisible(bool(advice) or (mitigation.is_current and mitigation.request is not None))
        trial = mitigation.trial if mitigation.is_current else None
        self.cured.setVisible(trial is not None)
        self.cured.show_trial(trial)

    def _cure_text(self, here: JudgedPeak, route: ResolvedRoute | None) -> str:
        from yarddial.analysis.ghosts.cure import cures

        span = self._span_test.before
        if route is None and here.judgement.verdict != "true":
            return "What helps is worked out when the receiver tests the span."
        if here.judgement.verdict == "true" or span is None or route is None:
            return "Nothing is needed." if here.judgement.verdict == "true" else ""
        lo_hz = route.at(here.peak.dial_hz).points()[-1].out_hz - here.peak.dial_hz if route.stages else 0.0
        texts = [text for cause in here.judgement.likely for text in cures(cause, here.peak, span, lo_hz)]
        return "\n".join(f"– {text[:1].upper()}{text[1:]}." for text in dict.fromkeys(texts))

    def _show_peaks(self) -> None:
        empty(self._peaks)
        ranked = sorted(self._span_test.judged, key=lambda j: -j.peak.level_dbm)[:MAX_PEAKS]
        for row, judged in enumerate(sorted(ranked, key=lambda j: j.peak.dial_hz)):
            mark = MarkSign(MARKS[judged.judgement.verdict], 10)
            go = button(format_frequency(judged.peak.dial_hz, 0), plain=True, tip="Put the dial there")
            go.clicked.connect(lambda _=False, hz=judged.peak.dial_hz: self._session.desk.dial(hz))
            kind = judged.judgement.kinds if judged.judgement.verdict == "ghost" else judged.judgement.verdict
            unit = "dBm" if self._span_test.route is not None else "dBFS"
            level = Words(f"{format_number(judged.peak.level_dbm, 1.0)} {unit}", 12, tone="quiet")
            for column, cell in enumerate((mark, go, Words(kind, 12, wrap=True), level)):
                self._peaks.addWidget(cell, row, column)
        self._peaks.setColumnStretch(2, 1)
        if not ranked:
            self._peaks.addWidget(Words("Nothing yet.", 12, tone="quiet"), 0, 0)


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %" if share < 0.9995 else "sure"


def _listed(texts: list[str]) -> str:
    return texts[0] if len(texts) == 1 else f"{', '.join(texts[:-1])} and {texts[-1]}"
