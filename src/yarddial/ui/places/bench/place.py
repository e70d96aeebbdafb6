"""The place Bench."""

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCursor, QShowEvent
from PyQt6.QtWidgets import QMenu, QScrollArea, QVBoxLayout, QWidget

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.session import Session
from yarddial.session.station.verdict import bench_verdict
from yarddial.ui.places.bench.finding_list import FindingList
from yarddial.ui.places.bench.route_list import ROW_HEIGHT, RouteList
from yarddial.ui.places.bench.route_parts_sheet import RoutePartsSheet
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.turning_columns import TurningColumns
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.card import settings_card
from yarddial.yard.errors import YardDialError
from yarddial.yard.reach import choices


class BenchPlace(QWidget):
    """The active route part by part at the left; all routes and the yard's faults at the right."""

    add_wanted = pyqtSignal()
    stations_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.headline = Headline()
        self.sheet = RoutePartsSheet(session)
        self.routes = RouteList()
        self.findings = FindingList()
        self._lay_out()
        self._join()
        self._show()

    def _lay_out(self) -> None:
        self._add = button("Put a part in", tip="From the shelf, the yard or a file, at the end of the line (A)")
        self._add.clicked.connect(self.add_wanted)
        new_route = button("New route", tip="Begin another route over the yard (N)")
        new_route.clicked.connect(lambda: self._attempt(self._session.building.new_route))
        which = button("Which oscillator?", tip="Leaflets disagree: find the converter's LO from a station or its leak")
        which.clicked.connect(self.show_which_lo)
        card = button("Settings card", tip="What to type into a listening program (C)")
        card.clicked.connect(self.show_card)
        stations = button("Known stations", tip="Carriers whose frequency is known: seen, added, taken out")
        stations.clicked.connect(self.stations_wanted)
        row = FlowRow(self._add, new_route, which, card, stations, spacing=8)
        routes = QScrollArea()
        routes.setWidgetResizable(True)
        routes.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        routes.setWidget(self.routes)
        routes.setMinimumHeight(px(ROW_HEIGHT) + px(8))
        self._routes_room = routes
        beside = QWidget()
        right = QVBoxLayout(beside)
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(px(6))
        right.addWidget(Words("Routes, the best for here first", 15, "serif"))
        right.addWidget(routes, 2)
        right.addWidget(Words("What is wrong with the yard", 15, "serif"))
        right.addWidget(self.findings, 1)
        columns = TurningColumns(720, 18, stacked_height=860)
        columns.row.addWidget(self.sheet, 11)
        columns.row.addWidget(beside, 9)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(14), px(20), px(8))
        layout.setSpacing(px(10))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        layout.addWidget(columns, 1)

    def _join(self) -> None:
        session = self._session
        # Update only while visible, and once for all changes of one edit.
        self._show_soon = Soon(self, lambda: self._show() if self.isVisible() else None)
        for subscribe in (
            session.desk.on_yard_changed,
            session.desk.on_dial_changed,
            session.calibration.on_calibration_changed,
        ):
            subscribe(self._show_soon)
        self.routes.chosen.connect(session.desk.choose_route)
        self.routes.preferred.connect(lambda name, yes: self._attempt(partial(session.building.prefer, name, yes)))
        self.routes.removed.connect(lambda name: self._attempt(partial(session.building.remove_route, name)))
        self.routes.renamed.connect(self.rename_route)
        self.routes.asked.connect(self._route_menu)
        self.findings.mend_wanted.connect(lambda finding: self._attempt(partial(session.building.mend, finding)))
        self.findings.open_wanted.connect(self.open_anywhere)
        self.findings.acknowledged.connect(self._acknowledge)
        self.findings.taken_back.connect(lambda finding: self._attempt(partial(session.building.take_back, finding)))
        self.sheet.origin_wanted.connect(self._ask_origin)
        self.sheet.export_wanted.connect(self.export_part)
        self.sheet.choose_wanted.connect(self.choose_receiver)

    def open_part(self, name: str, key: str = "") -> None:
        """Show and focus a part of the active route."""
        self._show()
        self.sheet.focus_part(name, key)

    def open_anywhere(self, name: str) -> None:
        """Show a part, on a route that contains it."""
        desk = self._session.desk
        passing = [route.name for route in desk.station.routes if name in route.parts]
        if passing and desk.station.route not in passing:
            desk.choose_route(passing[0])
        self.open_part(name)

    def show_card(self) -> None:
        """Open the settings card for the dial frequency over the active route."""
        from pathlib import Path

        from yarddial.ui.places.bench.card_sheet import CardSheet

        desk = self._session.desk
        try:
            card = settings_card(desk.station, desk.route, desk.station.dial_hz, desk.route.receiver.park_hz)
        except YardDialError as error:
            self.headline.show_verdict("look", "There is no card for this place.", f"{error}.")
            return
        sheet = CardSheet(self, card, Path.home(), self._session.calibration_sequence.will_change())
        sheet.saved.connect(self._session.notes.card)
        sheet.show()

    def choose_receiver(self, part_name: str) -> None:
        """Open the choice of device for a receiver of the yard."""
        from yarddial.ui.receiver_picker.sheet import ReceiverPicker

        ReceiverPicker(self, self._session, part_name).show()

    def show_which_lo(self) -> None:
        """Open the search for a converter's real oscillator."""
        from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet

        if not self._session.desk.route.converters:
            self._refuse("there is no converter on this route: choose a route with one")
            return
        WhichLoSheet(self, self._session).show()

    def export_part(self, name: str) -> None:
        """Write a part to a file of its own."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        FileSheet(
            self, f"Write {name} to a file", f"{_slug(name)}.part.json", "Write",
            partial(self._session.building.export_part, name),
        ).show()  # fmt: skip

    def rename_route(self, name: str) -> None:
        """Ask for a new name of a route."""
        from yarddial.ui.widgets.line_sheet import LineSheet

        LineSheet(self, f"Rename route '{name}'", name, partial(self._session.building.rename_route, name)).show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show changes made while hidden."""
        self._show()
        super().showEvent(event)

    def _route_menu(self, name: str) -> None:
        preferred = self._session.desk.station.route_named(name).preferred
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for label, act in (
            ("Switch to this route\tEnter", partial(self._session.desk.choose_route, name)),
            ("No longer the first choice\tP" if preferred else "Make it the first choice\tP",
             partial(self._session.building.prefer, name, not preferred)),
            ("Rename\tF2", partial(self.rename_route, name)),
            ("Begin another like it", partial(self._session.building.new_route, name)),
            ("Take it up\tDelete", partial(self._session.building.remove_route, name)),
        ):  # fmt: skip
            action = menu.addAction(label)
            if action is not None:
                action.triggered.connect(lambda _=False, do=act: self._attempt(do))
        menu.popup(QCursor.pos())

    def _ask_origin(self, part_name: str, key: str) -> None:
        from yarddial.ui.places.bench.origin_sheet import OriginSheet

        OriginSheet(self, self._session, part_name, key).show()

    def _acknowledge(self, finding: BenchFinding, note: str) -> None:
        self._attempt(partial(self._session.building.acknowledge, finding, note))

    def _attempt(self, act: object) -> None:
        assert callable(act)
        try:
            act()
        except YardDialError as error:
            self._refuse(str(error))

    def _refuse(self, sentence: str) -> None:
        self.headline.show_verdict("stop", "That was not done.", sentence[:1].upper() + sentence[1:] + ".")

    def _show(self) -> None:
        session = self._session
        station, route = session.desk.station, session.desk.route
        findings = session.inspection.findings()
        verdict = bench_verdict(session.desk, findings, session.inspection.coverages())
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        order = choices(station, station.dial_hz, lambda other: session.calibration.state(other).sigma_hz)
        coverages = session.inspection.coverages()
        self.routes.show_routes(order, coverages, station.route, station.dial_hz)
        self._routes_room.setMaximumHeight(self.routes.sizeHint().height() + px(2))
        self.findings.show_findings(findings)
        self.sheet.show_line(route, station.dial_hz, session.calibration.state())


def _slug(name: str) -> str:
    return "-".join("".join(c if c.isalnum() else " " for c in name.lower()).split()) or "part"
