"""Preferences that belong to no yard: appearance, number format, location."""

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.sound_device_box import DeviceBox
from yarddial.ui.sound_out import SoundOut
from yarddial.ui.theme.lettering import px, scale
from yarddial.ui.theme.palette import DAY, palette
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.value_field import ValueField
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.countries import countries
from yarddial.yard.locator import read_locator

SIZES = (1.0, 1.1, 1.25, 1.5, 1.75, 2.0)


class SettingsSheet(Sheet):
    """Each takes effect and is saved at once; the font size needs a new window."""

    def __init__(
        self, parent: QWidget, session: Session, change_theme: Callable[[], None], reopen: Callable[[], None] | None
    ) -> None:
        super().__init__(parent, "Settings", 700)
        self._session, self._change_theme, self._reopen = session, change_theme, reopen
        self.said = Words(session.preferences.trouble, 12, tone="vermilion", wrap=True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(px(18))
        self._grid.setVerticalSpacing(px(10))
        self._grid.setColumnStretch(2, 1)
        now, region = session.preferences.now, session.desk.station.region
        self.theme = self._choice(
            "Colours", {"day": "day", "night": "night"}, self._set_theme, "Ctrl+T turns day to night and back."
        )
        self.theme.setCurrentIndex(0 if palette() is DAY else 1)
        self.size_of_text = self._choice(
            "Text", {share: f"{share:.0%}" for share in SIZES}, self._set_size, "Everything grows with it."
        )
        self.size_of_text.setCurrentIndex(self.size_of_text.findData(now.text_scale))
        self.country = self._choice(
            "Country", {"": "not said", **{country.name: country.name for country in countries()}}, self._set_country,
            "It decides region, de-emphasis and the mains' frequency; of this yard and of those begun later.",
        )  # fmt: skip
        self.country.setCurrentIndex(max(self.country.findData(session.desk.station.country), 0))
        self.region = self._choice(
            "Region", {1: "1", 2: "2", 3: "3"}, self._set_region,
            "Of the radio regulations: 1 Europe, Africa, north of Asia; 2 the Americas; 3 the rest of Asia, Oceania. "
            "It decides bands and rasters; where no country is said, de-emphasis too.",
        )  # fmt: skip
        self.region.setCurrentIndex(self.region.findData(region))
        self.digits = self._choice(
            "Numbers", {"grouped": "14.305 250 MHz", "plain": "14.305250 MHz"}, self._set_digits,
            "Digits in groups of three, or together. Both can always be typed.",
        )  # fmt: skip
        self.digits.setCurrentIndex(self.digits.findData(now.digits))
        self.level_unit = self._choice(
            "Levels", {"dBm": "dBm first", "S": "S-units first"}, self._set_level_unit,
            "In Listen, once a level at the socket was stated. S9 is −73 dBm up to 30 MHz, −93 dBm above; 6 dB a step.",
        )  # fmt: skip
        self.level_unit.setCurrentIndex(self.level_unit.findData(now.level_unit))
        sound = SoundOut(self)
        sound.choose(now.sound_device)
        self.sound = DeviceBox(sound, lambda name: self._change(sound_device=name))
        self._row("Sound", self.sound, "Where Listen plays; taken again when it is plugged in again.")
        self.locator = ValueField("Locator of the station", self._set_locator, 110)
        self.locator.setPlaceholderText("such as KL35")
        self.locator.refused.connect(self._say)
        self._row(
            "Place", self.locator,
            "The station's square in the amateurs' grid, two to six signs: from it sunrise and sunset, around which a "
            "sky-wave wanders most. It stays on this computer.",
        )  # fmt: skip
        self.locator.show_value(now.locator)
        self.body.addLayout(self._grid)
        self.body.addWidget(self.said)
        self.body.addStretch()
        self.anew = button("Open the window anew", tip="The same yard with the lettering chosen; the receiver stops")
        self.anew.clicked.connect(self._open_anew)
        self.buttons.insertWidget(1, self.anew)
        self._show_anew()
        self.resize(self.width(), px(510))

    def _row(self, label: str, field: QWidget, meaning: str) -> None:
        row = self._grid.rowCount()
        top = Qt.AlignmentFlag.AlignTop
        words = Words(label, 13, weight=500), Words(meaning, 12, tone="quiet", wrap=True)
        self._grid.addWidget(words[0], row, 0, top)
        self._grid.addWidget(field, row, 1, top | Qt.AlignmentFlag.AlignLeft)
        self._grid.addWidget(words[1], row, 2, top)
        # All three stand on one base line: a field has a margin above its text.
        base = field.sizeHint().height() - (field.sizeHint().height() - field.fontMetrics().height()) // 2
        for text in words:
            metrics = text.fontMetrics()
            text.setContentsMargins(0, max(base - field.fontMetrics().descent() - metrics.ascent(), 0), 0, 0)

    def _choice(
        self, label: str, choices: Mapping[Any, str], chosen: Callable[[object], None], meaning: str
    ) -> ChoiceBox:
        box = ChoiceBox(label, at_left=True)
        for value, text in choices.items():
            box.addItem(text, value)
        box.activated.connect(lambda _: chosen(box.currentData()))
        self._row(label, box, meaning)
        return box

    def _change(self, **changed: object) -> None:
        self._session.preferences.change(**changed)
        self._say(self._session.preferences.trouble)

    def _say(self, sentence: str, tone: str = "vermilion") -> None:
        self.said.set_tone(tone)
        self.said.setText(sentence[:1].upper() + sentence[1:])

    def _set_theme(self, theme: object) -> None:
        if theme != ("day" if palette() is DAY else "night"):
            self._change_theme()
        self._say(self._session.preferences.trouble)

    def _set_size(self, share: object) -> None:
        self._change(text_scale=share)
        self._show_anew()

    def _show_anew(self) -> None:
        """Reopen the window when the font size differs from the one shown."""
        differs = abs(self._session.preferences.now.text_scale - scale()) > 0.01
        self.anew.setVisible(differs and self._reopen is not None)
        if differs and self._reopen is None:
            self._say("The lettering changes when the program is started next.", "quiet")

    def _open_anew(self) -> None:
        reopen = self._reopen
        self.close()
        if reopen is not None:
            reopen()

    def _set_region(self, region: object) -> None:
        if region in (1, 2, 3):
            self._session.board.choose_region(region)
            station = self._session.desk.station
            self.country.setCurrentIndex(max(self.country.findData(station.country), 0))
            self._change(region=region, country=station.country)

    def _set_country(self, name: object) -> None:
        if not isinstance(name, str):
            return
        sentence = self._session.board.choose_country(name)
        station = self._session.desk.station
        self.region.setCurrentIndex(self.region.findData(station.region))
        self._change(region=station.region, country=name)
        if not self._session.preferences.trouble:
            self._say(sentence, "quiet")

    def _set_digits(self, digits: object) -> None:
        self._change(digits=digits)

    def _set_level_unit(self, unit: object) -> None:
        self._change(level_unit=unit)

    def _set_locator(self, text: str) -> None:
        read = read_locator(text)
        self._change(locator=read)
        self.locator.show_value(read)
