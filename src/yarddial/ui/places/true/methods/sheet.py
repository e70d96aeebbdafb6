"""Sheet of the other methods: names at the left, one page at the right."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QStackedWidget, QWidget

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.by_hand import ByHand
from yarddial.ui.places.true.methods.by_pilot import ByPilot
from yarddial.ui.places.true.methods.by_raster import ByRaster
from yarddial.ui.places.true.methods.by_tone import ByTone
from yarddial.ui.places.true.methods.from_file import FromFile
from yarddial.ui.places.true.methods.known_stations import KnownStations
from yarddial.ui.places.true.methods.own_transmitter import OwnTransmitter
from yarddial.ui.places.true.methods.page import MethodPage
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.working_sheet import Sheet

PAGES: tuple[tuple[str, Callable[[Session], MethodPage]], ...] = (
    ("By eye, zero beat", ByHand),
    ("By a tone", ByTone),
    ("By raster", ByRaster),
    ("By a stereo pilot", ByPilot),
    ("Own transmitter", OwnTransmitter),
    ("From a file", FromFile),
    ("Known stations", KnownStations),
)


class MethodsSheet(Sheet):
    """Pages are created when first shown."""

    manual_page = "true"

    def __init__(self, parent: QWidget, session: Session, first: str = "") -> None:
        super().__init__(parent, "Other ways to true the dial", 880)
        self._session = session
        self._made: dict[int, MethodPage] = {}
        self.names = QListWidget()
        self.names.setAccessibleName("Ways")
        self.names.setFont(font(13))
        self.names.addItems([name for name, _ in PAGES])
        self.names.setFixedWidth(px(160))
        self.names.setSpacing(px(3))
        self._stack = QStackedWidget()
        row = QHBoxLayout()
        row.addWidget(self.names)
        row.addWidget(self._stack, 1)
        self.body.addLayout(row)
        self.resize(px(880), px(620))
        self.names.currentRowChanged.connect(self._go)
        self.names.setCurrentRow(next((row for row, (name, _) in enumerate(PAGES) if name == first), 0))
        self.when_left(self._leave_pages)

    @property
    def page(self) -> MethodPage:
        """The page shown."""
        return self._made[self.names.currentRow()]

    def _go(self, row: int) -> None:
        if row not in self._made:
            self._made[row] = PAGES[row][1](self._session)
            self._stack.addWidget(self._made[row])
        self._stack.setCurrentWidget(self._made[row])

    def _leave_pages(self) -> None:
        """End whatever runs for the pages."""
        for page in self._made.values():
            page.leave()
