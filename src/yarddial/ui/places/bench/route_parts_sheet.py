"""The active route down the page: each part with the frequency after it."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.places.bench.also_in_yard import AlsoInYard
from yarddial.ui.places.bench.route_point_plate import RoutePointPlate
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.words import Words
from yarddial.yard.antenna_lengths import antenna_lengths
from yarddial.yard.frequency import format_frequency
from yarddial.yard.oscillators import DialState
from yarddial.yard.parts import Antenna, Receiver
from yarddial.yard.resolved_route import ResolvedRoute


class RoutePartsSheet(QScrollArea):
    """All parts of the active route; one of them may be open."""

    origin_wanted = pyqtSignal(str, str)
    export_wanted = pyqtSignal(str)
    choose_wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.route_points: dict[str, RoutePointPlate] = {}
        self._open = ""
        self._empty = Words("", 14, tone="quiet", wrap=True)
        self._empty.setContentsMargins(px(38), px(10), 0, 0)
        self._inside = QWidget()
        self._layout = QVBoxLayout(self._inside)
        self._layout.setContentsMargins(0, 0, px(10), 0)
        self._layout.setSpacing(0)
        self._others = AlsoInYard(session)
        self._layout.addWidget(self._empty)
        self._layout.addWidget(self._others)
        self._layout.addStretch()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(self._inside)

    def focus_part(self, name: str, key: str = "") -> None:
        """Open a part and focus one of its values, or its name."""
        route_point = self.route_points.get(name)
        if route_point is None:
            return
        self._open_only(name)
        if route_point.form is not None:
            if key == "name":
                route_point.form.name.setFocus(Qt.FocusReason.OtherFocusReason)
                route_point.form.name.selectAll()
            else:
                route_point.form.focus_value(key)
            self._inside.adjustSize()
            self.ensureWidgetVisible(route_point, 0, px(8))

    def show_line(self, route: ResolvedRoute, dial_hz: float, state: DialState) -> None:
        """Show a route, finished or not; rebuild its plates only when its parts change."""
        station = self._session.desk.station
        names = station.route_named().parts if station.routes else ()
        if names != tuple(self.route_points):
            self._rebuild(names)
        self._others.show_station()
        self._empty.setVisible(bool(route.missing))
        self._empty.setText(_next_step(route.missing))
        if route.missing:
            for name, route_point in self.route_points.items():
                route_point.show_part(station.part(name), "", "", None)
            return
        true_hz, outputs = state.trace.antenna_hz, list(state.trace.out_hz)
        away_m = self._session.inspection.keep_away_m()
        for i, stop in enumerate(route.at(dial_hz).points()):
            note = "the signal itself" if i == 0 else "unchanged"
            if stop.converter is not None:
                true_hz, note = outputs.pop(0), "true, behind the converter"
            if isinstance(stop.part, Receiver):
                fold = route.fold(stop.out_hz)
                true_hz, note = state.trace.shown_hz, "shown by the receiver"
                if fold is not None:
                    true_hz, note = fold.convert(true_hz), "folded by direct sampling"
            lengths = antenna_lengths(dial_hz) if isinstance(stop.part, Antenna) and 0 < dial_hz < 3e9 else None
            caution = f"nobody within {away_m[stop.part.name]:.1f} m" if stop.part.name in away_m else ""
            self.route_points[stop.part.name].show_part(stop.part, format_frequency(true_hz, 0), note, lengths, caution)

    def _open_only(self, name: str) -> None:
        self._open = name
        for route_point in self.route_points.values():
            if route_point.part_name == name:
                route_point.open()
            else:
                route_point.close_form()

    def _toggle(self, name: str) -> None:
        if self.route_points[name].is_open:
            self._open = ""
            self.route_points[name].close_form()
        else:
            self._open_only(name)

    def _rebuild(self, names: tuple[str, ...]) -> None:
        """Keep the plates of parts that stay, so that open ones stay open."""
        station = self._session.desk.station
        renamed = _renamed(tuple(self.route_points), names)
        is_named_here = False
        if renamed and renamed[0] == self._open:
            form = self.route_points[renamed[0]].form
            is_named_here = form is not None and form.name.hasFocus()
            self._open = renamed[1]
        for name in [name for name in self.route_points if name not in names]:
            gone = self.route_points.pop(name)
            gone.hide()
            gone.deleteLater()
        old_points, self.route_points = self.route_points, {}
        for place, name in enumerate(names):
            route_point = old_points.get(name) or self._new_point(name)
            self.route_points[name] = route_point
            self._layout.removeWidget(route_point)
            self._layout.insertWidget(place, route_point)
            route_point.show_part(station.part(name), "", "", None)
        form = self.route_points[self._open].form if is_named_here else None
        if form is not None:
            # The person has just typed its name: the card stays open, and they stay in it.
            form.name.setFocus(Qt.FocusReason.OtherFocusReason)
            form.name.deselect()

    def _new_point(self, name: str) -> RoutePointPlate:
        route_point = RoutePointPlate(self._session, self._session.desk.station.part(name))
        route_point.toggled.connect(self._toggle)
        route_point.origin_wanted.connect(self.origin_wanted)
        route_point.export_wanted.connect(self.export_wanted)
        route_point.choose_wanted.connect(self.choose_wanted)
        if name == self._open:
            route_point.open()
        return route_point


def _renamed(before: tuple[str, ...], now: tuple[str, ...]) -> tuple[str, str] | None:
    """Old and new name where one part in the row has another name, and nothing else has changed."""
    changed = [pair for pair in zip(before, now, strict=False) if pair[0] != pair[1]]
    return changed[0] if len(before) == len(now) and len(changed) == 1 and changed[0][0] not in now else None


def _next_step(missing: str) -> str:
    if not missing:
        return ""
    if "no route" in missing or "an antenna" in missing:
        return (
            "Begin with the antenna: press A, or the plus on the strip above, and choose one from the shelf. "
            "Then what comes behind it, up to the receiver."
        )
    return "Go on with what comes next: press A again. The route is whole when it ends in a receiver."
