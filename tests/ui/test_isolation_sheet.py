"""The sheet that leads through the measurement of the isolation, by its buttons."""

import itertools
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from shack_yard import ShackYard, shack
from yarddial.ui.transceiver.isolation_sheet import IsolationSheet
from yarddial.yard import clock


def test_the_sheet_leads_from_the_attenuator_to_what_full_power_would_do(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    seconds = itertools.count()
    monkeypatch.setattr(clock, "monotonic_s", lambda: next(seconds) * 0.02)
    yard = ShackYard(tmp_path, shack())
    parent = QWidget()
    qtbot.addWidget(parent)
    sheet = IsolationSheet(parent, yard.session)
    sheet.show()
    sheet.attenuator.setText("20")
    sheet.stated.click()
    qtbot.waitUntil(lambda: sheet.headline.text() == "Not so.")
    assert "too little" in yard.session.isolation.trouble
    sheet.attenuator.setText("40")
    sheet.stated.click()
    qtbot.waitUntil(sheet.record.isVisible)
    for is_in in (False, True):
        yard.shack.is_attenuated = is_in
        sheet.record.click()
        yard.until_idle()
        qtbot.wait(1)
    yard.link()
    for on in ("a dummy load", "an antenna"):
        yard.shack.has_antenna = on == "an antenna"
        yard.polls(30)
        qtbot.waitUntil(sheet.is_on.isVisible)
        assert sheet.is_on.text().startswith(on)
        assert not sheet.ready.isEnabled()
        for tick in (sheet.is_on, sheet.lowest):
            if not tick.isChecked():
                tick.click()
        sheet.ready.click()
        yard.until_idle()
        qtbot.waitUntil(sheet.hold.isVisible)
        sheet.hold.pressed.emit()
        while yard.session.isolation.phase:
            yard.polls(1)
        sheet.hold.released.emit()
        qtbot.wait(1)
    assert "100 W would bring" in sheet.headline.text()
    sheet.enter.click()
    assert yard.session.desk.station.part("Hearth").isolation_db.provenance == "measured"  # type: ignore[union-attr]
    sheet.close()
    assert yard.session.isolation.protection is None, "the receiver is protected no more"
    yard.session.close()
