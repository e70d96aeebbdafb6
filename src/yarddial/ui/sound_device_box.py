"""Choice of the audio output device."""

from collections.abc import Callable

from yarddial.ui.sound_out import SoundOut
from yarddial.ui.widgets.choice import ChoiceBox

SYSTEM_CHOICE = "the system's own choice"


class DeviceBox(ChoiceBox):
    """Devices are listed when the box is opened, because the audio library loads slowly."""

    def __init__(self, sound: SoundOut, chosen: Callable[[str], object] = lambda name: None) -> None:
        """`chosen` : called with the name of another device, "" for the system's choice."""
        super().__init__("Sound device", at_left=True)
        self._sound, self._chosen = sound, chosen
        self.addItem(SYSTEM_CHOICE)
        self.activated.connect(self._choose)
        sound.devices_changed.connect(self.fill)
        if sound.wanted:
            self.addItem(sound.wanted)
            self.setCurrentIndex(1)

    def _choose(self, index: int) -> None:
        name = "" if index == 0 else self.itemText(index)
        self._sound.choose(name)
        self._chosen(name)

    def fill(self) -> None:
        """List the present devices; a missing chosen one stays chosen and is used when it returns."""
        wanted = self._sound.wanted
        names = self._sound.names()
        self.clear()
        self.addItems([SYSTEM_CHOICE, *names, *([wanted] if wanted and wanted not in names else [])])
        self.setCurrentIndex(max(self.findText(wanted), 0) if wanted else 0)

    def showPopup(self) -> None:
        """List the present devices before opening."""
        self.fill()
        super().showPopup()
