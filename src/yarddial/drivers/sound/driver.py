"""Driver of receivers on the sound card: `NAME?centre=7.05M&swap=yes`."""

from yarddial.drivers.protocol import FoundReceiver, TimeSource
from yarddial.drivers.sound.address import parse_address
from yarddial.drivers.sound.portaudio import INSTALL_COMMAND, MISSING_LIBRARY, PortAudioMissing, inputs, rescan
from yarddial.drivers.sound.receiver import SoundReceiver
from yarddial.yard.errors import DeviceNotFound


class SoundDriver:
    """Finds stereo inputs; where PortAudio is missing, says how to install it."""

    name = "sound"

    def __init__(self) -> None:
        self._has_listed = False

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Stereo inputs of the system, as of now."""
        try:
            if self._has_listed:
                rescan()
            sound_inputs = inputs()
        except PortAudioMissing:
            return (FoundReceiver("", "Sound card", "", 0.0, "missing", MISSING_LIBRARY, INSTALL_COMMAND),)
        self._has_listed = True
        return tuple(
            FoundReceiver(sound_input.name, sound_input.name, f"sound card, {sound_input.host}")
            for sound_input in sound_inputs
        )

    def open(self, address: str, time: TimeSource) -> SoundReceiver:
        """Open an input; raises DeviceNotFound, PortAudioMissing or DeviceBusy in one sentence."""
        asked = parse_address(address)
        there = inputs()
        sound_input = next((sound_input for sound_input in there if sound_input.name == asked.name), None)
        if sound_input is None:
            names = ", ".join(f"'{other.name}'" for other in there) or "none"
            raise DeviceNotFound(f"there is no sound input '{asked.name}' with two sides: there are {names}")
        return SoundReceiver(asked, sound_input, time)
