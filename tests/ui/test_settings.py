"""The sheet of settings, by its controls."""

from PyQt6.QtWidgets import QComboBox

from yarddial.session.preferences.keeper import PreferenceKeeper
from yarddial.ui.main_window import MainWindow
from yarddial.ui.settings_sheet import SettingsSheet
from yarddial.ui.theme.palette import NIGHT, palette


def _pick(box: QComboBox, value: object) -> None:
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_each_setting_holds_at_once(window: MainWindow) -> None:
    window.show_settings()
    sheet = window.findChildren(SettingsSheet)[0]
    _pick(sheet.theme, "night")
    assert palette() is NIGHT
    _pick(sheet.region, 2)
    assert window.session.desk.station.region == 2
    _pick(sheet.digits, "plain")
    assert "\u202f" not in " ".join(plate.accessibleName() for plate in window.strip.plates)
    sheet.locator.setText("kl35")
    sheet.locator.setModified(True)
    sheet.locator.read_entry()
    _pick(sheet.size_of_text, 1.5)
    now = window.session.preferences.now
    assert (now.theme, now.region, now.digits, now.locator, now.text_scale) == ("night", 2, "plain", "KL35", 1.5)
    assert "started next" in sheet.said.text()
    sheet.locator.setText("99")
    sheet.locator.setModified(True)
    sheet.locator.read_entry()
    assert "no locator" in sheet.said.text()
    assert window.session.preferences.now.locator == "KL35"
    _pick(sheet.theme, "day")
    sheet.close()
    PreferenceKeeper()
