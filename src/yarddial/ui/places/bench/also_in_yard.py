"""Parts of the yard outside the active route; a click opens a route that contains the part."""

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.shelf import kind_of


class AlsoInYard(QWidget):
    """Rebuilt only when the parts have changed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[tuple[str, str], ...] = ()
        self._row = FlowRow(spacing=4)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(38), px(18), 0, 0)
        layout.setSpacing(px(4))
        layout.addWidget(Words("Also in the yard", 14, "serif"))
        layout.addLayout(self._row)

    def show_station(self) -> None:
        """Show parts outside the active route."""
        station = self._session.desk.station
        used = station.route_named().parts if station.routes else ()
        others = tuple((part.name, kind_of(part).partition(" (")[0]) for part in station.parts if part.name not in used)
        self.setVisible(bool(others))
        if others == self._shown:
            return
        self._shown = others
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for name, kind in others:
            switch = button(f"{name}, {kind}", plain=True, tip=f"Switch to a route over {name}")
            switch.clicked.connect(partial(self._go_to, name))
            self._row.addWidget(switch)

    def _go_to(self, name: str, _checked: bool = False) -> None:
        station = self._session.desk.station
        route = next((route.name for route in station.routes if name in route.parts), None)
        if route is not None:
            self._session.desk.choose_route(route)
