"""Receivers found, a row each, with the remedy for what prevents use, ready to copy."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.usb_bus import DRIVER_NAME
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.mark import Mark
from yarddial.yard.plain_text import one_line

STATES: dict[str, tuple[Mark, str]] = {
    "ready": ("good", "ready"),
    "claimed": ("look", "held by the kernel's own driver"),
    "denied": ("stop", "you may not open it"),
    "busy": ("look", "in use by another program"),
    "missing": ("look", "something is not installed"),
    "module not loaded": ("look", "a module of the kernel is not loaded"),
    "no driver": ("unknown", "nothing knows it"),
}


class FoundList(QWidget):
    """`chosen` carries driver and address together."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(px(12))
        self._grid.setVerticalSpacing(px(4))
        self._grid.setColumnStretch(1, 3)
        self._grid.setColumnStretch(2, 4)
        self._shown: tuple[object, ...] | None = None

    def show_receivers(self, receivers: Sequence[tuple[str, FoundReceiver]], now: str) -> None:
        """Show receivers; mark the one in use by its device."""
        state = (tuple(receivers), now)
        if state == self._shown:
            return
        self._shown = state
        empty(self._grid)
        row = 0
        for driver, receiver in receivers:
            device = f"{driver}:{receiver.address}"
            self._add(row, driver, receiver, device == now.partition("?")[0])
            row += 3

    def _add(self, row: int, driver: str, receiver: FoundReceiver, is_now: bool) -> None:
        name, device = one_line(receiver.name) or receiver.address, f"{driver}:{receiver.address}"
        mark, state = STATES[receiver.state]
        sign = MarkSign(size=10)
        sign.set_mark(mark)
        where = ", ".join(filter(None, (driver, receiver.bus, speed_text(receiver.speed_mbps), state)))
        self._grid.addWidget(sign, row, 0)
        self._grid.addWidget(Words(name, 14, weight=600, wrap=True), row, 1)
        self._grid.addWidget(Words(where, 12, tone="quiet", wrap=True), row, 2)
        tip = f"{device}: ask it what it can, and take that over"
        choose = button("It is this one" if is_now else "Choose", tip=tip)
        choose.setAccessibleName(f"Choose {name}")
        # A device that stands on the bus and that no driver opens cannot be chosen, only freed.
        choose.setEnabled(receiver.state == "ready" and driver != DRIVER_NAME)
        choose.clicked.connect(lambda: self.chosen.emit(device))
        self._grid.addWidget(choose, row, 3)
        if receiver.why:
            self._grid.addWidget(Cure(receiver.why, receiver.cure, name), row + 1, 1, 1, 3)
        self._grid.addWidget(hairline(), row + 2, 0, 1, 4)


class Cure(QWidget):
    """The obstacle, and the command that removes it; the program never runs it."""

    def __init__(self, why: str, cure: str, name: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, px(2))
        layout.setSpacing(px(2))
        if why:
            layout.addWidget(Words(f"{why[:1].upper()}{why[1:]}.", 12, tone="quiet", wrap=True))
        if not cure:
            return
        line = QHBoxLayout()
        text = Words(cure, 12, "mono", wrap=True)
        text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        copy = button("Copy the line", plain=True, tip="For a terminal: read it, then run it yourself")
        copy.setAccessibleName(f"{name}: copy the line that cures it")
        copy.clicked.connect(lambda: _copy(cure))
        line.addWidget(text, 1)
        line.addWidget(copy, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(line)


def speed_text(speed_mbps: float) -> str:
    """Link speed as people say it; empty where unknown."""
    if not speed_mbps:
        return ""
    return f"{speed_mbps / 1000:g} Gb/s" if speed_mbps >= 1000 else f"{speed_mbps:g} Mb/s"


def _copy(text: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
