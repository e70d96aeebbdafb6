"""Raster: no station is known, but transmitters keep to a grid."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QCheckBox, QGridLayout

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.live_page import LivePage
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma

if TYPE_CHECKING:
    from yarddial.analysis.blind.raster_fit import Hypothesis

INTRODUCTION_TEXT = (
    "For when no station is known. Transmitters keep to a grid: medium wave 9 or 10 kHz by region, short-wave "
    "broadcasting 5 kHz, FM 50 to 200 kHz, narrow FM 12.5 or 25 kHz. All carriers of the span are found at once and "
    "weighed together; what remains possible is listed with its odds. Dial the middle of a busy band, by day."
)
MAX_ROWS = 4


class ByRaster(LivePage):
    """Scan, verdict, and remaining hypotheses."""

    method = "raster"
    asks, working = "Scan the span", "Finding every carrier and weighing all rasters…"

    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            "By the raster that stations keep",
            INTRODUCTION_TEXT,
            "Keep 8 s of samples, find every carrier, weigh all rasters",
            "Count it as a measurement",
        )
        self.upright = QCheckBox("I heard a sideband of known side: the spectrum is upright")
        self.upright.toggled.connect(self._show_again)
        self._as_scanned: object = None
        self.buttons(self.hear, self.take)
        self.body.addWidget(self.upright)
        self.odds = QGridLayout()
        self.odds.setHorizontalSpacing(px(18))
        self.odds.setVerticalSpacing(px(4))
        self.evidence.addLayout(self.odds)

    def begin(self) -> None:
        """Record samples for the raster."""
        self.session.live_methods.scan()

    def count(self, answer: object) -> None:
        """Use the dial error at its middle."""
        from yarddial.analysis.blind.raster_fit import BlindAnswer

        assert isinstance(answer, BlindAnswer)
        self.session.other_methods.take_raster(answer)

    def _show_again(self) -> None:
        if self._as_scanned is not None:
            self._show(self._as_scanned)

    def show_told(self, answer: object) -> bool:
        """Show the verdict, and the other hypotheses."""
        from yarddial.analysis.blind.raster_fit import BlindAnswer, heard_upright

        assert isinstance(answer, BlindAnswer)
        self._as_scanned = answer
        if self.upright.isChecked():
            answer = heard_upright(answer)
        self.told = answer
        best = answer.hypotheses[0]
        where = format_frequency(answer.middle_hz, 0)
        raster_words = f"{answer.on_raster} of {answer.carriers} carriers keep {best.raster_hz / 1e3:g} kHz"
        if not best.raster_hz:
            self.tell(f"No raster is kept here ({best.odds:.0%}); {answer.decides}")
        elif answer.decided:
            self.tell(f"The dial reads {_error(best)} at {where}: {raster_words}")
        elif answer.is_likely:
            self.tell(f"Likely {_error(best)} at {where}, not decided: {answer.decides}")
        else:
            self.tell(f"Not decided, {best.odds:.0%} for {_error(best)} at {where}; {answer.decides}")
        empty(self.odds)
        for row, hypothesis in enumerate(answer.hypotheses[:MAX_ROWS]):
            turned = "turned over" if hypothesis.inverted else ""
            cells = (
                f"{hypothesis.odds:.1%}",
                _error(hypothesis),
                f"{hypothesis.raster_hz / 1e3:g} kHz" if hypothesis.raster_hz else "no raster",
                f"LO {hypothesis.lo}",
                turned,
            )
            for column, text in enumerate(cells):
                self.odds.addWidget(Words(text, 12, "mono" if column < 2 else "sans"), row, column)
        self.odds.setColumnStretch(5, 1)
        return answer.is_likely


def _error(hypothesis: "Hypothesis") -> str:
    return f"{format_hertz(hypothesis.offset_hz, hypothesis.sigma_hz)} {format_sigma(hypothesis.sigma_hz)}"
