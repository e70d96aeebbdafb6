"""By raster: no station known, but transmitters keep to a grid."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QGridLayout

from yarddial.session.session import Session
from yarddial.ui.places.true.ways.page import WayPage
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.work import Work
from yarddial.yard.frequency import format_doubt, format_frequency, format_hertz

if TYPE_CHECKING:
    from yarddial.analysis.blind.raster_fit import BlindAnswer, Hypothesis

HOW = (
    "For when no station is known. Transmitters keep to a grid: medium wave 9 or 10 kHz by region, short-wave "
    "broadcasting 5 kHz, FM 50 to 200 kHz, narrow FM 12.5 or 25 kHz. All carriers of the span are found at once and "
    "weighed together; what remains possible is listed with its odds. Dial the middle of a busy band, by day."
)
MOST_ROWS = 4


class ByRaster(WayPage):
    """Scan, the verdict, the hypotheses that remain."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "By the raster that stations keep", HOW)
        self.scan = button(
            "Scan the span", strong=True, tip="Keep 8 s of samples, find every carrier, weigh all rasters"
        )
        self.take = button("Take it", tip="Count it as a measurement")
        self.scan.clicked.connect(self.scan_now)
        self.take.clicked.connect(self.take_it)
        self.take.setEnabled(False)
        self.buttons(self.scan, self.take)
        self.odds = QGridLayout()
        self.odds.setHorizontalSpacing(px(18))
        self.odds.setVerticalSpacing(px(4))
        self.evidence.addLayout(self.odds)
        self.told: BlindAnswer | None = None
        self._leave = session.live_ways.on_gathering_changed(self._moved)

    def leave(self) -> None:
        """Stop scanning."""
        if self.session.live_ways.running == "raster":
            self.session.live_ways.cancel()

    def scan_now(self) -> None:
        """With the running receiver; the button stops it meanwhile."""
        live = self.session.live_ways
        if live.running == "raster":
            live.cancel()
        elif why := live.why_not("raster"):
            self.refuse(why)
        else:
            live.scan()

    def take_it(self) -> None:
        """Count it."""
        told = self.told
        if told is not None and self.attempt(lambda: self.session.other_ways.take_raster(told)):
            self.take.setEnabled(False)
            outcome = self.session.truing.outcome
            self.tell(f"taken: {outcome.text}" if outcome is not None else "")

    def _moved(self) -> None:
        live = self.session.live_ways
        self.scan.setText("Stop" if live.running == "raster" else "Scan the span")
        if live.running == "raster":
            self.said.setText("")
            self.answer.setText(f"Keeping samples: {live.fraction:.0%} done.")
        elif live.trouble and self.isVisible():
            self.refuse(live.trouble)
        elif live.work is not None and live.gathered == "raster" and self.isVisible():
            call, live.work = live.work, None
            self.answer.setText("Finding every carrier and weighing all rasters…")
            work = Work(self, call)
            work.done.connect(self._show)
            work.refused.connect(self.refuse)
            work.start()

    def _show(self, told: "BlindAnswer") -> None:
        self.told = told
        self.take.setEnabled(told.decided)
        best = told.hypotheses[0]
        where = format_frequency(told.middle_hz, 0)
        kept = f"{told.on_raster} of {told.carriers} carriers keep {best.raster_hz / 1e3:g} kHz"
        if told.decided:
            self.tell(f"The dial reads {_error(best)} at {where}: {kept}")
        else:
            self.tell(f"Not decided, {best.odds:.0%} for {_error(best)} at {where}; {told.decides}")
        empty(self.odds)
        for row, one in enumerate(told.hypotheses[:MOST_ROWS]):
            turned = "turned over" if one.inverted else ""
            cells = (f"{one.odds:.1%}", _error(one), f"{one.raster_hz / 1e3:g} kHz", f"LO {one.way}", turned)
            for column, text in enumerate(cells):
                self.odds.addWidget(Words(text, 12, "mono" if column < 2 else "sans"), row, column)
        self.odds.setColumnStretch(5, 1)


def _error(one: "Hypothesis") -> str:
    return f"{format_hertz(one.offset_hz, one.sigma_hz)} {format_doubt(one.sigma_hz)}"
