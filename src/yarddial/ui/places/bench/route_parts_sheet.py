"""The active route as a line down the page: each part a halt with the frequency there."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.places.bench.also_in_yard import AlsoInYard
from yarddial.ui.places.bench.halt_plate import HaltPlate
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.words import Words
from yarddial.yard.antenna_lengths import antenna_lengths
from yarddial.yard.frequency import format_frequency
from yarddial.yard.line import Line
from yarddial.yard.oscillators import DialState
from yarddial.yard.parts import Antenna, Receiver


class RoutePartsSheet(QScrollArea):
    """All halts of the active route; one of them may be open."""

    origin_wanted = pyqtSignal(str, str)
    export_wanted = pyqtSignal(str)
    choose_wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.halts: dict[str, HaltPlate] = {}
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
        """Open a part and give one of its values the focus: its first, or its name."""
        halt = self.halts.get(name)
        if halt is None:
            return
        self._open_only(name)
        if halt.form is not None:
            if key == "name":
                halt.form.name.setFocus(Qt.FocusReason.OtherFocusReason)
                halt.form.name.selectAll()
            else:
                halt.form.focus_value(key)
            self._inside.adjustSize()
            self.ensureWidgetVisible(halt, 0, px(8))

    def show_line(self, line: Line, dial_hz: float, state: DialState) -> None:
        """Show a route, finished or not; its halts are made anew only when it runs over other parts."""
        station = self._session.desk.station
        names = station.route_named().parts if station.routes else ()
        if names != tuple(self.halts):
            self._rebuild(names)
        self._others.show_station()
        self._empty.setVisible(bool(line.missing))
        self._empty.setText(_next_step(line.missing))
        if line.missing:
            for name, halt in self.halts.items():
                halt.show_part(station.part(name), "", "", None)
            return
        true_hz, outputs = state.trace.antenna_hz, list(state.trace.out_hz)
        for i, stop in enumerate(line.at(dial_hz).walk()):
            note = "the signal itself" if i == 0 else "unchanged"
            if stop.converter is not None:
                true_hz, note = outputs.pop(0), "true, behind the converter"
            if isinstance(stop.part, Receiver):
                fold = line.fold(stop.out_hz)
                true_hz, note = state.trace.shown_hz, "shown by the receiver"
                if fold is not None:
                    true_hz, note = fold.convert(true_hz), "folded by direct sampling"
            lengths = antenna_lengths(dial_hz) if isinstance(stop.part, Antenna) and 0 < dial_hz < 3e9 else None
            self.halts[stop.part.name].show_part(stop.part, format_frequency(true_hz, 0), note, lengths)

    def _open_only(self, name: str) -> None:
        self._open = name
        for halt in self.halts.values():
            if halt.part_name == name:
                halt.open()
            else:
                halt.close_form()

    def _toggle(self, name: str) -> None:
        if self.halts[name].is_open:
            self._open = ""
            self.halts[name].close_form()
        else:
            self._open_only(name)

    def _rebuild(self, names: tuple[str, ...]) -> None:
        """Keep the halts of parts that stay, so that what is open stays open."""
        station = self._session.desk.station
        for name in [name for name in self.halts if name not in names]:
            gone = self.halts.pop(name)
            gone.hide()
            gone.deleteLater()
        old_halts, self.halts = self.halts, {}
        for place, name in enumerate(names):
            halt = old_halts.get(name) or self._new_halt(name)
            self.halts[name] = halt
            self._layout.removeWidget(halt)
            self._layout.insertWidget(place, halt)
            halt.show_part(station.part(name), "", "", None)

    def _new_halt(self, name: str) -> HaltPlate:
        halt = HaltPlate(self._session, self._session.desk.station.part(name))
        halt.toggled.connect(self._toggle)
        halt.origin_wanted.connect(self.origin_wanted)
        halt.export_wanted.connect(self.export_wanted)
        halt.choose_wanted.connect(self.choose_wanted)
        if name == self._open:
            halt.open()
        return halt


def _next_step(missing: str) -> str:
    if not missing:
        return ""
    if "no route" in missing or "an antenna" in missing:
        return (
            "Begin with the antenna: press A, or the plus on the strip above, and choose one from the shelf. "
            "Then what comes behind it, up to the receiver."
        )
    return "Go on with what comes next: press A again. The route is whole when it ends in a receiver."
