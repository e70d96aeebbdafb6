"""Link of a transceiver: model, kind of link and port, with choices read from the computer where possible."""

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.work import Work
from yarddial.yard.errors import YardDialError
from yarddial.yard.parts import Transceiver

KINDS = {
    "tcp": "a control daemon that runs already",
    "daemon": "the control daemon, started with the program",
    "table": "a serial line, by a table of its commands",
    "simulated": "the made-up transceiver, to try it",
}
USUAL_SPEED = "usual speed"


class LinkRows(QWidget):
    """Fields for each kind of link; Link stores the address in the part and links it."""

    def __init__(self, session: Session, say: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._say = session, say
        self.which = ChoiceBox("Transceiver", at_left=True)
        self.kind = ChoiceBox("Linked by", at_left=True)
        for kind, kind_words in KINDS.items():
            self.kind.addItem(kind_words, kind)
        self.host = _entry("Daemon", "127.0.0.1:4532")
        self.model = QComboBox()
        self.model.setEditable(True)
        self.model.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.model.setAccessibleName("Model")
        self.model.setFont(font(13))
        if (completer := self.model.completer()) is not None:
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.table = _entry("Table of commands", "template, or the path of a .json file")
        self.device = QComboBox()
        self.device.setEditable(True)
        self.device.setAccessibleName("Serial line")
        self.device.setFont(font(13))
        self.speed = ChoiceBox("Speed", at_left=True)
        self.link = button("Link", strong=True, tip="Keep this with the yard, and link it now")
        self.link.clicked.connect(self._link)
        self.kind.activated.connect(lambda _: self._show_rows())
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(px(14))
        self._grid.setVerticalSpacing(px(8))
        self._grid.setColumnStretch(1, 1)
        self._rows: dict[str, tuple[Words, QWidget]] = {}
        rows: tuple[tuple[str, QWidget, str], ...] = (
            ("Transceiver", self.which, "which"), ("Linked by", self.kind, "kind"), ("Daemon at", self.host, "host"),
            ("Model", self.model, "model"), ("Table", self.table, "table"), ("Serial line", self.device, "device"),
            ("Speed", self.speed, "speed"),
        )  # fmt: skip
        for label, field, key in rows:
            words = Words(label, 13)
            row = self._grid.rowCount()
            self._grid.addWidget(words, row, 0)
            self._grid.addWidget(field, row, 1)
            self._rows[key] = (words, field)
        self._grid.addWidget(self.link, self._grid.rowCount(), 1, Qt.AlignmentFlag.AlignLeft)
        self._fill()

    def _fill(self) -> None:
        from yarddial.drivers.rig.daemon_process import SPEEDS, is_installed, serial_ports

        for part in self._session.desk.station.parts:
            if isinstance(part, Transceiver):
                self.which.addItem(part.name, part.name)
        self.speed.addItem(USUAL_SPEED, 0)
        for speed in SPEEDS:
            self.speed.addItem(f"{speed} baud", speed)
        self.device.addItems(serial_ports())
        self._take_address()
        self.which.activated.connect(lambda _: self._take_address())
        if is_installed():
            self._ask_models()
        else:
            self.model.setPlaceholderText("install Debian's package libhamlib-utils first")
        self._show_rows()

    def _ask_models(self) -> None:
        """Read the daemon's model list in a thread."""
        from yarddial.drivers.rig.daemon_process import RigModel, models

        def show(rig_models: tuple[RigModel, ...]) -> None:
            wanted = self.model.currentText()
            self.model.clear()
            for port in rig_models:
                self.model.addItem(f"{port.name} ({port.state.lower()}), model {port.number}", port.number)
            at = next((i for i in range(self.model.count()) if str(self.model.itemData(i)) == wanted), -1)
            self.model.setCurrentIndex(at)
            if at < 0:
                self.model.setEditText(wanted)

        work = Work(self, models)
        work.done.connect(show)
        work.refused.connect(self._say)
        work.start()

    def _part(self) -> Transceiver | None:
        name = self.which.currentData()
        parts = (p for p in self._session.desk.station.parts if isinstance(p, Transceiver) and p.name == name)
        return next(parts, None)

    def _take_address(self) -> None:
        """Show the chosen transceiver's former link."""
        from yarddial.drivers.rig.opening import RigAddress, parse_rig_address

        part = self._part()
        try:
            address = parse_rig_address(part.link) if part is not None and part.link else RigAddress("tcp")
        except YardDialError:
            address = RigAddress("tcp")
        simulated = part is not None and not part.link and _is_simulated(self._session)
        self.kind.setCurrentIndex(self.kind.findData("simulated" if simulated else address.kind))
        self.host.setText(f"{address.host}:{address.port}" if address.port else "127.0.0.1:4532")
        if address.model:
            self.model.setEditText(str(address.model))
        self.table.setText(address.table)
        self.device.setEditText(address.device)
        self.speed.setCurrentIndex(max(self.speed.findData(address.speed), 0))
        self._show_rows()

    def _show_rows(self) -> None:
        kind = self.kind.currentData()
        wanted = {"tcp": ("host",), "daemon": ("model", "device", "speed"), "table": ("table", "device", "speed")}
        for key, widgets in self._rows.items():
            for widget in widgets:
                widget.setVisible(key in ("which", "kind", *wanted.get(kind, ())))

    def show_link(self) -> None:
        """Disable linking without a transceiver in the yard."""
        self.link.setEnabled(self.which.count() > 0)
        self.link.setText("Link" if self._session.rig.status == "off" else "Link it anew")
        if not self.which.count():
            self._say("the yard has no transceiver: put one in from the shelf (A)")

    def address(self) -> str:
        """Address from the fields."""
        device, speed = self.device.currentText().strip(), self.speed.currentData()
        line = f"@{device}{f':{speed}' if speed else ''}" if device else ""
        match self.kind.currentData():
            case "tcp":
                return f"rig:tcp://{self.host.text().strip()}"
            case "daemon":
                at = self.model.findText(self.model.currentText())
                number = self.model.itemData(at) if at >= 0 else self.model.currentText().strip()
                return f"rig:daemon:{number}{line}"
            case "table":
                return f"rig:{self.table.text().strip() or 'template'}{line}"
            case _:
                return "rig:simulated"

    def _link(self) -> None:
        from yarddial.drivers.rig.opening import parse_rig_address

        part, desk = self._part(), self._session.desk
        if part is None:
            return
        address = self.address()
        try:
            parse_rig_address(address)
            if part.link != address:
                linked = msgspec.structs.replace(part, link=address)
                desk.edit(f"how {part.name} is linked", desk.station.with_part(linked))
            self._session.rig.link(part.name)
            self._say("")
        except YardDialError as error:
            self._say(str(error))


def _entry(name: str, hint: str) -> QLineEdit:
    field = QLineEdit()
    field.setAccessibleName(name)
    field.setPlaceholderText(hint)
    field.setFont(font(13))
    return field


def _is_simulated(session: Session) -> bool:
    """True for a yard with only simulated receivers, whose transceiver is simulated as well."""
    devices = [route.receiver.device for route in session.desk.station.resolved_routes() if not route.missing]
    return bool(devices) and all(device.startswith("simulated:") for device in devices)
