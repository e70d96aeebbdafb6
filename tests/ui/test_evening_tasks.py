"""An evening's tasks by the visible controls, where they used to run aground.

All oscillators: test_all_oscillators; bands proven, a report saved: test_bands_place; a recording played, a signal
compared: test_listen; ghosts and the antenna taken off: test_ghosts_place. What is here are the others.
"""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet
from yarddial.ui.places.listen.comparison_sheet import ComparisonSheet
from yarddial.ui.places.listen.place import ListenPlace
from yarddial.ui.places_list import PlaceButton
from yarddial.ui.widgets.value_field import ValueField
from yarddial.ui.widgets.words import PressButton
from yarddial.yard.demo import VIA_HEARTH
from yarddial.yard.parts import Converter

LEFT = Qt.MouseButton.LeftButton


def _open_place(qtbot: QtBot, window: MainWindow, name: str) -> None:
    button = next(b for b in window.places.findChildren(PlaceButton) if b.accessibleName().startswith(name))
    qtbot.mouseClick(button, LEFT)


def test_nothing_on_the_air_is_said_to_be_nothing_by_compare(qtbot: QtBot, window: MainWindow) -> None:
    """A made-up band without a station: both sides hear noise, and there is no verdict on decibels."""
    window.focus_dial()
    qtbot.keyClicks(window.dial.entry, "2.9 MHz")
    qtbot.keyClick(window.dial.entry, Qt.Key.Key_Return)
    _open_place(qtbot, window, "Listen")
    listen = window.stack.currentWidget()
    assert isinstance(listen, ListenPlace)
    qtbot.mouseClick(window.places.owner.start, LEFT)
    qtbot.waitUntil(lambda: listen.chart.column_count > 10, timeout=60_000)
    qtbot.mouseClick(listen.compare, LEFT)
    sheet = listen.findChildren(ComparisonSheet)[0]
    qtbot.waitUntil(sheet.begin.isEnabled, timeout=20_000)
    qtbot.mouseClick(sheet.begin, LEFT)
    qtbot.waitUntil(lambda: "No signal here" in sheet.verdict.text(), timeout=110_000)
    assert "better" not in sheet.verdict.text()
    # It names where there is one.
    assert "MHz" in sheet.under.text()
    sheet.close()
    assert not window.session.comparison.running


def test_with_the_antenna_on_which_oscillator_stays_open_and_nothing_can_be_entered(
    qtbot: QtBot, window: MainWindow
) -> None:
    before = window.session.desk.station
    _open_place(qtbot, window, "Bench")
    which = next(b for b in window.bench.findChildren(PressButton) if b.text() == "Which oscillator?")
    qtbot.mouseClick(which, LEFT)
    sheet = window.findChildren(WhichLoSheet)[-1]
    qtbot.mouseClick(sheet.scan_button, LEFT)
    qtbot.waitUntil(lambda: not window.session.lo_leak_scan.running and bool(sheet.verdict.text()), timeout=110_000)
    said = " ".join(label.text() for label in sheet.findChildren(QLabel))
    assert "ndecided" in said or "antenna" in said
    assert not sheet.use_button.isEnabled()
    sheet.close()
    assert window.session.desk.station.parts == before.parts


def test_where_the_oscillator_follows_the_dial_there_is_none_to_be_told_apart(qtbot: QtBot, window: MainWindow) -> None:
    window.session.desk.choose_route(VIA_HEARTH)
    sheet = WhichLoSheet(window, window.session)
    qtbot.addWidget(sheet)
    sheet.weigh()
    assert "follows the dial" in sheet.said.text()


@pytest.mark.parametrize(
    ("typed", "source"), [("5 V, 90 mA from wall plug 5 V 1 A on", "wall plug"), ("5 V, 90 mA from USB", "USB")]
)
def test_what_feeds_a_converter_is_typed_at_its_part_and_shown(
    qtbot: QtBot, window: MainWindow, typed: str, source: str
) -> None:
    _open_place(qtbot, window, "Bench")
    plate = next(p for p in window.bench.findChildren(PressButton) if p.text() == "Ladder")
    qtbot.mouseClick(plate, LEFT)
    field = next(f for f in window.bench.findChildren(ValueField) if f.accessibleName() == "Ladder: needs")
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, typed)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    ladder = window.session.desk.station.part("Ladder")
    assert isinstance(ladder, Converter)
    assert ladder.need is not None
    assert ladder.need.lead is not None
    assert ladder.need.lead.source == source
    assert source in field.text()
    # Text that makes no sense stays, with a sentence; nothing is dropped.
    qtbot.keyClicks(field, " and a spoon")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.text().endswith("and a spoon")
    assert window.session.desk.station.part("Ladder") == ladder
