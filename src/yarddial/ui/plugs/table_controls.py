"""The demo's table: where a person turns the switch and pulls leads of the simulated receivers."""

import contextlib
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from yarddial.drivers.simulated.table import ANTENNAS, OUTPUT_OF_PORT
from yarddial.session.station.demo_table import DemoTable
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.words import Words

SAYING = "Your hand in the demo. Move something here first, then say that it is done; the program is not told."


class TableControls(QWidget):
    """One switch, and a tick for each lead that is plugged in."""

    def __init__(self, table: DemoTable) -> None:
        super().__init__()
        self._table = table
        self.switch = ChoiceBox("Patch really stands at", at_left=True)
        self.switch.addItems(dict.fromkeys(OUTPUT_OF_PORT.values()))
        self.switch.setCurrentText(table.state.patch)
        self.switch.activated.connect(lambda _: table.turn(self.switch.currentText()))
        self.leads: dict[str, QCheckBox] = {}
        rows = QGridLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setHorizontalSpacing(px(18))
        rows.addWidget(Words("The demo's table", 15, "serif"), 0, 0, 1, 6)
        rows.addWidget(Words(SAYING, 12, tone="quiet", wrap=True), 1, 0, 1, 6)
        rows.addWidget(Words("Patch stands at", 13), 2, 0)
        rows.addWidget(self.switch, 2, 1)
        for column, name in enumerate(ANTENNAS, 2):
            lead = self.leads[name] = QCheckBox(f"{name} in")
            lead.setAccessibleName(f"{name} is plugged in")
            lead.setFont(font(13))
            lead.setChecked(name not in table.state.pulled)
            lead.toggled.connect(partial(self._plug, name))
            rows.addWidget(lead, 2, column)
        self.menu = QLineEdit(f"{table.state.menu_hz:g}")
        self.menu.setAccessibleName("Hearth's menu, hertz at 10 MHz")
        self.menu.setFixedWidth(px(70))
        self.menu.editingFinished.connect(self._set_menu)
        rows.addWidget(Words("Hearth's menu, Hz at 10 MHz", 13), 3, 0)
        rows.addWidget(self.menu, 3, 1)
        rows.setColumnStretch(5, 1)

    def _set_menu(self) -> None:
        with contextlib.suppress(ValueError):
            self._table.set_menu(float(self.menu.text().replace("\u2212", "-").replace(",", ".")))
        self.menu.setText(f"{self._table.state.menu_hz:g}".replace("-", "\u2212"))

    def _plug(self, name: str, is_in: bool) -> None:
        self._table.pull(name, out=not is_in)
