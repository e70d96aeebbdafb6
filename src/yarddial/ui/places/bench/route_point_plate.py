"""Plate of one part: name, frequency, summary; opened, all its values with their origins."""

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.value_field import ValueField
from yarddial.ui.widgets.words import LinkButton, Words, button, hairline
from yarddial.yard.antenna_lengths import AntennaLengths, metres
from yarddial.yard.errors import YardDialError
from yarddial.yard.part_values import PartValue, origin_text, values_of
from yarddial.yard.parts import Antenna, Converter, Part, Receiver, Transceiver, TwoPort

# Fits a window of 1024 pixels; it grows with the room.
FIELD_WIDTH = 118


class RoutePointPlate(QWidget):
    """One part: two lines when closed, all values when opened."""

    toggled = pyqtSignal(str)
    origin_wanted = pyqtSignal(str, str)
    export_wanted = pyqtSignal(str)
    choose_wanted = pyqtSignal(str)

    def __init__(self, session: Session, part: Part) -> None:
        super().__init__()
        self._session, self.part_name = session, part.name
        self._part = part
        self._form: RoutePointForm | None = None
        self._name = button(part.name, plain=True, tip="Show all its values, or close them (Enter)")
        self._name.setObjectName("haltName")
        self._name.setFont(Words("", 16, "serif").font())
        self._name.clicked.connect(lambda: self.toggled.emit(self.part_name))
        self._what = Words("", 12, tone="quiet", wrap=True)
        self._summary = Words("", 12, tone="quiet", wrap=True)
        self._here = Words("", 14, "mono", 500)
        self._here_note = Words("", 12, tone="quiet")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(12))
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(1, 1)
        grid.addWidget(self._name, 0, 0, Qt.AlignmentFlag.AlignLeft)
        grid.addWidget(self._what, 0, 1)
        grid.addWidget(self._here, 0, 2, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(self._summary, 1, 0, 1, 2)
        grid.addWidget(self._here_note, 1, 2, Qt.AlignmentFlag.AlignRight)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(px(38), px(2), 0, px(6))
        self._layout.setSpacing(px(4))
        self._layout.addLayout(grid)
        self._layout.addWidget(hairline())

    @property
    def is_open(self) -> bool:
        """True while all values are shown."""
        return self._form is not None

    @property
    def form(self) -> "RoutePointForm | None":
        """Form of the values, while open."""
        return self._form

    def open(self) -> None:
        """Open the form with all values."""
        if self._form is None:
            self._form = RoutePointForm(self._session, self._part)
            self._form.origin_wanted.connect(lambda key: self.origin_wanted.emit(self.part_name, key))
            self._form.export_wanted.connect(lambda: self.export_wanted.emit(self.part_name))
            self._form.choose_wanted.connect(lambda: self.choose_wanted.emit(self.part_name))
            self._layout.insertWidget(1, self._form)
            self._summary.hide()

    def close_form(self) -> None:
        """Close the form."""
        if self._form is not None:
            self._form.hide()
            self._form.deleteLater()
            self._form = None
            self._summary.show()

    def show_part(self, part: Part, here: str, note: str, lengths: AntennaLengths | None, caution: str = "") -> None:
        """Show the values in force. caution : what people mind beside an antenna that transmits."""
        changed = part is not self._part
        self._part = part
        self._name.setAccessibleName(f"{part.name}: all values")
        self._what.setText(what_is(part))
        self._here.setText(here)
        self._here_note.setText(note)
        if changed or not self._summary.text() or lengths is not None:
            summary = _summary(part, lengths)
            self._summary.setText(f"{caution} while it transmits, {summary}" if caution else summary)
        if lengths is not None:
            set_tip(self._summary, lengths.working().as_text())
        if self._form is not None:
            self._form.show_part(part)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Close the form on Escape."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.is_open:
            self.toggled.emit(self.part_name)
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open or close the values by a click beside them."""
        if event is not None and event.position().y() < px(40):
            self.toggled.emit(self.part_name)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the track with the part."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x, y = px(14), px(15)
        top = y if isinstance(self._part, Antenna) else 0
        bottom = y if isinstance(self._part, Receiver) else self.height()
        painter.setPen(QPen(c.colour("spruce"), px(4), cap=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))
        painter.setBrush(c.colour("spruce" if self.is_open else "card"))
        painter.setPen(QPen(c.colour("spruce"), 2))
        painter.drawRoundedRect(QRectF(x - px(8), y - px(6), px(16), px(12)), px(3), px(3))


class RoutePointForm(QWidget):
    """All values of a part: label, value, origin."""

    origin_wanted = pyqtSignal(str)
    export_wanted = pyqtSignal()
    choose_wanted = pyqtSignal()

    def __init__(self, session: Session, part: Part) -> None:
        super().__init__()
        self._session, self._part = session, part
        self.fields: dict[str, ValueField | ChoiceBox] = {}
        self.origins: dict[str, Words | LinkButton] = {}
        self._trouble = Words("", 12, tone="vermilion", wrap=True)
        self._trouble.hide()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(px(12))
        self._grid.setVerticalSpacing(px(2))
        for column, share in enumerate((8, 6, 7)):
            self._grid.setColumnStretch(column, share)
        self.name = ValueField(f"{part.name}: name", self._rename, FIELD_WIDTH)
        self._add_row("name", self.name, None)
        for value in values_of(part):
            self._add_value(value)
        self._add_route_choices()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, px(2), 0, px(4))
        layout.addWidget(self._trouble)
        if isinstance(part, Receiver):
            choose = button("Choose the receiver", tip="What is plugged in, and what can be told: driver, rates, gains")
            choose.setAccessibleName(f"{part.name}: choose the receiver")
            choose.clicked.connect(self.choose_wanted)
            layout.addWidget(choose, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addLayout(self._grid)
        layout.addLayout(self._foot())
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.show_part(part)

    def show_part(self, part: Part) -> None:
        """Show the values in force."""
        self._part = part
        self.name.show_value(part.name)
        for value in values_of(part):
            field = self.fields.get(value.key)
            if isinstance(field, ChoiceBox):
                field.blockSignals(True)
                if field.findText(value.text) < 0:
                    field.addItem(value.text)
                field.setCurrentIndex(field.findText(value.text))
                field.blockSignals(False)
            elif field is not None:
                field.show_value(value.text)
            if value.key in self.origins:
                self.origins[value.key].setText(origin_text(value.origin))

    def focus_value(self, key: str) -> None:
        """Focus a value."""
        field = self.fields.get(key) or next(iter(self.fields.values()))
        field.setFocus(Qt.FocusReason.OtherFocusReason)
        if isinstance(field, ValueField):
            field.selectAll()

    def _add_value(self, value: PartValue) -> None:
        name = f"{self._part.name}: {value.label}"
        field: ValueField | ChoiceBox
        if value.choices:
            field = ChoiceBox(name)
            field.addItems(list(value.choices))
            field.textActivated.connect(partial(self._choose, value.key))
        else:
            field = ValueField(name, partial(self._submit, value.key), FIELD_WIDTH)
            field.setPlaceholderText(value.hint)
            field.refused.connect(self._show_trouble)
        self.fields[value.key] = field
        self._add_row(value.label, field, value)

    def _add_row(self, label: str, field: QWidget, value: PartValue | None) -> None:
        row = self._grid.rowCount()
        words = Words(label, 13, wrap=True)
        # A long value gets a line of its own.
        wide = value is not None and QFontMetrics(field.font()).horizontalAdvance(value.text) > px(FIELD_WIDTH)
        self._grid.addWidget(words, row, 0, 1, 2 if wide else 1)
        self._grid.addWidget(field, row + wide, 0 if wide else 1, 1, 3 if wide else 1)
        if value is None:
            return
        if value.with_origin is None:
            origin = Words("", 12, tone="quiet", wrap=True)
            self.origins[value.key] = origin
            self._grid.addWidget(origin, row, 2)
            return
        link = LinkButton(f"{self._part.name}: origin of {value.label}")
        set_tip(link, "Where does this value come from? Click to say so.")
        link.clicked.connect(lambda _=False, key=value.key: self.origin_wanted.emit(key))
        self.origins[value.key] = link
        self._grid.addWidget(link, row, 2)

    def _add_route_choices(self) -> None:
        """Add the route's choices for the part: a receiver's port, a transceiver's output."""
        desk, part = self._session.desk, self._part
        route = desk.station.route_named()
        if isinstance(part, Receiver) and part.ports:
            port = ChoiceBox(f"{part.name}: port for this route")
            port.addItems([p.name for p in part.ports])
            port.setCurrentIndex(max(port.findText(route.port), 0))
            port.textActivated.connect(lambda text: self._attempt(lambda: self._session.building.choose_port(text)))
            self._add_row("this route ends in port", port, None)
        if isinstance(part, Transceiver):
            output = ChoiceBox(f"{part.name}: output for this route")
            taps = {tap.name: tap.output for tap in route.taps}
            words = {"if": "IF output", "antenna": "receive-antenna output"}
            for key, text in words.items():
                output.addItem(text, key)
            output.setCurrentIndex(output.findData(taps.get(part.name, part.tap)))
            output.activated.connect(
                lambda i: self._attempt(lambda: self._session.building.choose_tap(part.name, output.itemData(i)))
            )
            self._add_row("this route takes its", output, None)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addStretch()
        for text, act in (
            ("Write to a file", self.export_wanted.emit),
            ("Lay a copy beside it", lambda: self._attempt(lambda: self._session.building.copy(self._part.name))),
            ("Take out", lambda: self._attempt(lambda: self._session.building.take_out(self._part.name))),
        ):
            link = button(text, plain=True)
            link.setAccessibleName(f"{self._part.name}: {text.lower()}")
            link.clicked.connect(act)
            row.addWidget(link)
        return row

    def _submit(self, key: str, text: str) -> None:
        self._session.building.set_value(self._part.name, key, text)

    def _choose(self, key: str, text: str) -> None:
        self._attempt(lambda: self._submit(key, text))

    def _rename(self, text: str) -> None:
        self._session.building.rename(self._part.name, text)

    def _attempt(self, act: object) -> None:
        assert callable(act)
        try:
            act()
        except YardDialError as error:
            self._show_trouble(str(error))

    def _show_trouble(self, sentence: str) -> None:
        self._trouble.setText(sentence[:1].upper() + sentence[1:])
        self._trouble.setVisible(bool(sentence))


def what_is(part: Part) -> str:
    """Class and function of a part, in a few words."""
    from yarddial.yard.shelf import kind_of

    words = [kind_of(part)]
    if part.note and part.note != words[0]:
        words.append(part.note)
    if isinstance(part, Converter):
        words.append({"sum": "gives f + L", "low": "gives f − L", "high": "gives L − f, inverted"}[part.kind])
    return "; ".join(words)


def _summary(part: Part, lengths: AntennaLengths | None) -> str:
    """Main values, and beside an antenna the length of a plain one for the dial frequency."""
    pieces = [f"{value.label} {value.text}" for value in values_of(part) if value.main and value.text]
    if isinstance(part, TwoPort) and part.need is not None:
        pieces.append(f"needs {part.need.text}")
    if isinstance(part, Antenna):
        pieces = [f"{part.low_hz / 1e6:g} to {part.high_hz / 1e6:g} MHz"]
    if lengths is not None:
        size = metres(lengths.dipole_arm_m)
        pieces.append(f"for here: dipole arms of {size}, or a whip of {size}")
    return ", ".join(pieces)
