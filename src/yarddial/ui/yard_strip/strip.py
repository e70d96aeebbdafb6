"""The strip across the top of the window."""

from collections.abc import Callable
from functools import partial
from typing import assert_never

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QMenu, QSizePolicy, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.yard_strip.gap import GAP_SIZE, Gap
from yarddial.ui.yard_strip.layout import GapSpot, Layout, lay_out
from yarddial.ui.yard_strip.plate import Plate
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import format_bound, shorter_and_shorter
from yarddial.yard.oscillators import Oscillators, crystal_of, oscillator_of, value_text
from yarddial.yard.parts import Antenna, Converter, Isolator, Lnb, Part, Receiver, Transceiver, TwoPort, converters_of
from yarddial.yard.parts.supply import SOURCES
from yarddial.yard.resolved_route import RoutePoint
from yarddial.yard.station import Station


class YardStrip(QWidget):
    """Tracks, plates, points and gaps. A click on a track activates its route; parts are inserted, moved and
    removed in place.
    """

    opened = pyqtSignal(str)
    add_wanted = pyqtSignal(int)
    rename_wanted = pyqtSignal(str)
    export_wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout = Layout((), {})
        self.plates: list[Plate] = []
        self._parts: tuple[tuple[str, tuple[str, ...]], ...] = ()
        self._gaps: list[Gap] = []
        self._said = ""
        self._laid_for = session.desk.station
        self._hush = QTimer(self)
        self._hush.setSingleShot(True)
        # A method rather than a lambda, so that it is released with the strip.
        self._hush.timeout.connect(self._hushed)
        self.setAccessibleName("Yard strip")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(px(150))
        session.desk.on_yard_changed(self._follow_if_new)
        session.desk.on_dial_changed(self._follow_if_new)
        session.calibration.on_calibration_changed(self._catch_up)
        session.hands.on_hands_changed(self.update)
        self._follow()

    def sizeHint(self) -> QSize:
        """Height of the strip."""
        return QSize(px(600), px(150))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out for the new width."""
        self._place()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Activate the route whose track is nearest to the click."""
        if event is None:
            return
        place = event.position()
        for name, corners in self._layout.tracks.items():
            path = _path(corners, self._origin())
            stroke = QPainterPath()
            stroke.addRect(QRectF(place.x() - px(7), place.y() - px(7), px(14), px(14)))
            if path.intersects(stroke):
                self._session.desk.choose_route(name)
                return

    def focus_first_plate(self) -> None:
        """Focus the first plate of the active route, or its gap where there is no plate yet."""
        for plate, spot in zip(self.plates, self._layout.plates, strict=True):
            if self._session.desk.station.route in spot.routes:
                plate.setFocus(Qt.FocusReason.ShortcutFocusReason)
                return
        for gap in self._gaps:
            if gap.isVisibleTo(self):
                gap.setFocus(Qt.FocusReason.ShortcutFocusReason)
                return

    def focus_part(self, name: str) -> None:
        """Focus the plate of a part on the active route."""
        for plate, spot in zip(self.plates, self._layout.plates, strict=True):
            if spot.part == name and self._session.desk.station.route in spot.routes:
                plate.setFocus(Qt.FocusReason.OtherFocusReason)

    def focus_last_gap(self) -> None:
        """Focus the last gap of the active route, where building continues."""
        shown = [gap for gap in self._gaps if gap.isVisibleTo(self)]
        if shown:
            shown[-1].setFocus(Qt.FocusReason.OtherFocusReason)

    def attempt(self, act: Callable[[], object]) -> None:
        """Run an edit; a refusal is shown on the strip."""
        try:
            act()
        except YardDialError as error:
            self.say(str(error)[:1].upper() + str(error)[1:])
        else:
            self.say("")

    def say(self, sentence: str) -> None:
        """Show a message beside the yard's name for a while."""
        self._said = sentence
        self.setAccessibleDescription(sentence)
        if sentence:
            self._hush.start(8_000)
        self.update()

    def _hushed(self) -> None:
        self.say("")

    def _origin(self) -> QPointF:
        return QPointF(px(20), 0)

    def _follow(self) -> None:
        """Update after a change of yard, dial or active route; plates are rebuilt only when they differ."""
        self._lay_out()
        self._laid_for = self._session.desk.station
        parts = tuple((spot.part, spot.routes[:1]) for spot in self._layout.plates)
        if [name for name, _ in parts] != [name for name, _ in self._parts]:
            self._rebuild()
        self._parts = parts
        self._place()
        self._show()

    def _follow_if_new(self) -> None:
        if self._laid_for is not self._session.desk.station:
            self._follow()

    def _catch_up(self) -> None:
        """Update after a change of the oscillators, and perhaps of the yard."""
        if self._laid_for is self._session.desk.station:
            self._show()
        else:
            self._follow()

    def _rebuild(self) -> None:
        focused = next((plate.part for plate in self.plates if plate.hasFocus()), "")
        for plate in self.plates:
            plate.hide()
            plate.deleteLater()
        self.plates = []
        for index, spot in enumerate(self._layout.plates):
            plate = Plate(self, spot.part)
            plate.clicked.connect(partial(self._open, index))
            plate.moved.connect(partial(self._move_focus, plate))
            plate.shifted.connect(partial(self._shift, spot.part))
            plate.asked.connect(partial(self._ask, index))
            plate.dropped.connect(partial(self._drop, index))
            plate.show()
            self.plates.append(plate)
        if focused:
            self.focus_part(focused)

    def _lay_out(self) -> None:
        width = max(self.width() - px(20) - px(28), px(300))
        self._layout = lay_out(self._session.desk.station, width, px(44), px(134), px(100) / 100)

    def _place(self) -> None:
        self._lay_out()
        left = self._origin().x()
        for plate, spot in zip(self.plates, self._layout.plates, strict=True):
            plate.setGeometry(round(left + spot.x), round(spot.y), round(spot.width), round(spot.height))
        self._place_gaps(left)
        self.update()

    def _place_gaps(self, left: float) -> None:
        station = self._session.desk.station
        spots = self._layout.gaps
        if not station.routes:
            spots = (GapSpot(0, "", 0.0, px(86)),)
        while len(self._gaps) < len(spots):
            gap = Gap(self)
            gap.clicked.connect(partial(self._put_in, len(self._gaps)))
            gap.moved.connect(partial(self._move_focus, gap))
            self._gaps.append(gap)
        route = station.active_route()
        for index, gap in enumerate(self._gaps):
            gap.setVisible(index < len(spots))
            if index >= len(spots):
                continue
            spot, last = spots[index], index == len(spots) - 1
            gap.show_place(spot.index, spot.after, _invitation(station) if last and route.missing else "")
            x = left + spot.x - (0 if gap.wanted_width() > px(GAP_SIZE) else px(GAP_SIZE) / 2)
            gap.setGeometry(round(x), round(spot.y - px(GAP_SIZE) / 2), gap.wanted_width(), px(GAP_SIZE))

    def _put_in(self, number: int) -> None:
        self.add_wanted.emit(self._gaps[number].index)

    def _open(self, index: int) -> None:
        desk, spot = self._session.desk, self._layout.plates[index]
        if desk.station.route not in spot.routes:
            desk.choose_route(spot.routes[0])
        else:
            self.opened.emit(spot.part)

    def _shift(self, part: str, step: int) -> None:
        self.attempt(lambda: self._session.building.move(part, step))
        self.focus_part(part)

    def _drop(self, index: int, dragged: float) -> None:
        """A plate was dropped `dragged` pixels along the track: move it by as many columns."""
        columns = sorted({spot.x for spot in self._layout.plates})
        pitch = columns[1] - columns[0] if len(columns) > 1 else self._layout.plates[index].width
        step = round(dragged / pitch)
        if step:
            self._shift(self._layout.plates[index].part, step)

    def _ask(self, index: int, what: str) -> None:
        spot = self._layout.plates[index]
        active = self._session.desk.station.route in spot.routes
        if what == "menu":
            self._menu(index).popup(self.plates[index].mapToGlobal(self.plates[index].rect().bottomLeft()))
        elif what == "rename":
            self.rename_wanted.emit(spot.part)
        elif not active:
            self.say(f"{spot.part} is not on the active route: press Enter to switch to its route first")
        elif what == "add":
            self.add_wanted.emit(self._session.desk.station.route_named().parts.index(spot.part) + 1)
        elif what == "take out":
            self.attempt(lambda: self._session.building.take_out(spot.part))
            self.focus_last_gap()

    def _menu(self, index: int) -> QMenu:
        """Menu of a part: the actions of the keys, and rarer ones."""
        building, spot = self._session.building, self._layout.plates[index]
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        part = spot.part
        acts: tuple[tuple[str, Callable[[], object]], ...] = (
            ("Open\tEnter", partial(self._open, index)),
            ("Put a part in behind it\tA", partial(self._ask, index, "add")),
            ("Move towards the antenna\tAlt+←", partial(self._shift, part, -1)),
            ("Move towards the receiver\tAlt+→", partial(self._shift, part, +1)),
            ("Rename\tF2", partial(self._ask, index, "rename")),
            ("Lay a copy beside it", lambda: building.copy(part)),
            ("Write it to a file…", lambda: self.export_wanted.emit(part)),
            ("Take it out of this route\tDelete", partial(self._ask, index, "take out")),
            ("Discard it from the yard", lambda: building.discard(part)),
        )
        for label, act in (*acts, *self._more_acts(part)):
            action = menu.addAction(label)
            if action is not None:
                action.triggered.connect(partial(self._attempt_action, act))
        return menu

    def _more_acts(self, part_name: str) -> tuple[tuple[str, Callable[[], object]], ...]:
        """Actions of some parts: another antenna before it, and what its supply lead hangs on."""
        building, part = self._session.building, self._session.desk.station.part(part_name)
        acts: list[tuple[str, Callable[[], object]]] = []
        if not isinstance(part, Antenna):
            acts.append(("Another antenna before it…", partial(self._add_antenna, part_name)))
        need = getattr(part, "need", None)
        if need is not None and need.by == "lead":
            acts += [
                (f"It is fed from: {source}", partial(building.feed_by_lead, part_name, source)) for source in SOURCES
            ]
        return tuple(acts)

    def _add_antenna(self, part_name: str) -> None:
        self._session.building.begin_another_antenna(part_name)
        self.add_wanted.emit(0)

    def _attempt_action(self, act: Callable[[], object], _checked: bool = False) -> None:
        self.attempt(act)

    def _move_focus(self, here: QWidget, dx: int, dy: int) -> None:
        """Focus the nearest plate or gap in a direction; gaps only along the track."""
        others: list[QWidget] = [*self.plates, *(gap for gap in self._gaps if gap.isVisibleTo(self) and dx)]
        at = here.geometry().center()
        ahead: list[tuple[float, int]] = []
        for i, other in enumerate(others):
            away = other.geometry().center() - at
            if other is not here and (away.x() * dx > 1 or away.y() * dy > 1):
                # Prefer targets along the track.
                across = away.y() if dx else away.x()
                ahead.append((abs(away.x()) + abs(away.y()) + 2.0 * abs(across), i))
        if ahead:
            others[min(ahead)[1]].setFocus(Qt.FocusReason.TabFocusReason)

    def _show(self) -> None:
        station, oscillators = self._session.desk.station, self._session.calibration.oscillators
        routes = {route.name: route for route in station.resolved_routes()}
        for plate, spot in zip(self.plates, self._layout.plates, strict=True):
            active = station.route in spot.routes
            route = routes[station.route if active else spot.routes[0]]
            if route.missing:
                part = station.part(spot.part)
                plate.show_part([_at_rest(part)], active, part.note, role_of(part))
                continue
            route_point = next(route_point for route_point in route.points() if route_point.part.name == spot.part)
            texts = shorter_and_shorter(route_point.out_hz) if active else [_at_rest(route_point.part)]
            known = (route_point.part.note, _known(route_point, oscillators), self._keep_away(spot.part))
            note = "; ".join(filter(None, known))
            plate.show_part(texts, active, note, role_of(route_point.part))
        self.update()

    def _keep_away(self, name: str) -> str:
        away_m = self._session.inspection.keep_away_m().get(name)
        return f"keep {away_m:.1f} m away" if away_m is not None else ""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the tracks, the active one last and thick, then the notes."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        station = self._session.desk.station
        painter.setFont(font(16, "serif"))
        painter.setPen(c.colour("ink"))
        painter.drawText(QPointF(px(20), px(25)), station.name)
        origin = self._origin()
        for name, corners in self._layout.tracks.items():
            if name != station.route:
                painter.setPen(QPen(c.colour("hairline"), 2))
                painter.drawPath(_path(corners, origin))
        active = self._layout.tracks.get(station.route)
        if active is not None and station.active_route().missing:
            pen = QPen(c.colour("spruce"), px(3), Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawPath(_path(active, origin))
        elif active is not None:
            # Dashed while a plug or switch of the route waits for a hand.
            is_joined = not self._session.live_receiver.why_not_connected(station.route)
            style = Qt.PenStyle.SolidLine if is_joined else Qt.PenStyle.DashLine
            pen = QPen(c.colour("spruce"), px(4), style, join=Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.drawPath(_path((*active, (active[-1][0] + px(24), active[-1][1])), origin))
            self._draw_points(painter, c, active[2], origin)
        self._draw_notes(painter, c)
        self._draw_words(painter, c)

    def _draw_words(self, painter: QPainter, c: Palette) -> None:
        """Draw beside the yard's name: a message, or the active route and whether it is held."""
        station = self._session.desk.station
        painter.setFont(font(16, "serif"))
        x = px(20) + QFontMetricsF(painter.font()).horizontalAdvance(station.name) + px(16)
        painter.setFont(font(12))
        text = self._said or (f"{station.route}, held (R lets go)" if station.held else station.route)
        if self._layout.hidden and not self._said:
            text += f"   ({self._layout.hidden} more routes: see Bench)"
        painter.setPen(c.colour("vermilion" if self._said else "ochre" if station.held else "quiet"))
        room = self.width() - x - px(10)
        shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(x, px(25)), shown)

    def _draw_points(self, painter: QPainter, c: Palette, joint: tuple[float, float], origin: QPointF) -> None:
        x, y, r = joint[0] + origin.x(), joint[1], px(7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("spruce"))
        painter.drawPolygon(QPolygonF([QPointF(x - r, y - r), QPointF(x + r * 1.3, y), QPointF(x - r, y + r)]))

    def _draw_notes(self, painter: QPainter, c: Palette) -> None:
        """Draw errors of the active route's oscillators, inversions, and distances from transmitting antennas."""
        station, oscillators = self._session.desk.station, self._session.calibration.oscillators
        route_points = {route_point.part.name: route_point for route_point in self._session.desk.route.points()}
        painter.setFont(font(11))
        # Between thin lanes there is no room above a plate; its tool tip and Bench have the number too.
        crowded = any(spot.height < px(24) for spot in self._layout.plates)
        sense = 1
        for spot in self._layout.plates:
            if not crowded and (away := self._keep_away(spot.part)):
                painter.setPen(c.colour("ochre"))
                painter.drawText(QPointF(spot.x + self._origin().x() + px(2), spot.y - px(5)), away)
            if station.route not in spot.routes or spot.part not in route_points:
                continue
            route_point, left = route_points[spot.part], spot.x + self._origin().x() + px(2)
            painter.setPen(c.colour("quiet"))
            if route_point.converter is not None:
                if not crowded:
                    painter.drawText(QPointF(left, spot.y - px(5)), "LO " + _error_text(route_point, oscillators))
                sense *= route_point.converter.stage().sense
            elif isinstance(route_point.part, Receiver):
                text = "crystal " + _error_text(route_point, oscillators)
                # The whole text, where the strip ends soon after the plate.
                wide = painter.fontMetrics().horizontalAdvance(text)
                left = min(left, self.width() - px(6) - wide)
                below = QRectF(left - px(2), spot.y + spot.height + px(3), wide + px(4), px(14))
                # Not under a receiver whose thin plate is right below; the tool tip has the text.
                for other in self._layout.plates:
                    there = QRectF(other.x + self._origin().x(), other.y, other.width, other.height)
                    if other is not spot and there.intersects(below):
                        below.moveTop(there.bottom() + px(2))
                if below.bottom() <= self.height():
                    painter.fillRect(below, c.colour("paper"))
                    painter.drawText(QPointF(left, below.top() + px(11)), text)
            if sense < 0:
                painter.setPen(c.colour("ochre"))
                painter.drawText(QPointF(left + spot.width + px(3), spot.middle_y - px(6)), "⇅")


def _error_text(route_point: RoutePoint, oscillators: Oscillators) -> str:
    """Error of the oscillator at a route point; empty without one."""
    if route_point.converter is not None:
        name = oscillator_of(route_point.converter)
    elif isinstance(route_point.part, Receiver):
        name = crystal_of(route_point.part.name)
    else:
        return ""
    return value_text(name, oscillators.value(name), oscillators.sigma(name))


def _known(route_point: RoutePoint, oscillators: Oscillators) -> str:
    text = _error_text(route_point, oscillators)
    return f"{'crystal' if isinstance(route_point.part, Receiver) else 'oscillator'} {text}" if text else ""


def role_of(part: Part) -> str:
    """What a part is, in a word or two: `up-converter`."""
    from yarddial.yard.shelf import kind_of

    return kind_of(part).partition(" (")[0]


def _invitation(station: Station) -> str:
    """Next step for an unfinished route."""
    names = station.route_named().parts if station.routes else ()
    if not names or not isinstance(station.part(names[0]), Antenna):
        return "Put in an antenna"
    return "Next: a receiver, or what stands before it"


def _at_rest(part: Part) -> str:
    """Text on a plate that the active route does not pass."""
    match part:
        case Antenna():
            return f"{part.low_hz / 1e6:g}–{part.high_hz / 1e6:g} MHz"
        case Transceiver():
            return f"IF {format_bound(part.if_hz)}" if part.tap == "if" else "antenna output"
        case Isolator():
            return "isolator"
        case TwoPort():
            return part.what
        case Converter() | Lnb() | Receiver():
            return ", ".join(format_bound(converter.nominal_lo_hz) for converter in converters_of(part)[:1])
        case _:
            assert_never(part)


def _path(corners: tuple[tuple[float, float], ...], origin: QPointF) -> QPainterPath:
    path = QPainterPath(QPointF(corners[0][0] + origin.x(), corners[0][1]))
    for x, y in corners[1:]:
        path.lineTo(x + origin.x(), y)
    return path
