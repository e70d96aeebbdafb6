"""PortAudio behind a narrow interface: loaded on first use, and silent on standard error."""

import contextlib
import os
from collections.abc import Iterator
from typing import Any

import msgspec

from yarddial.yard.errors import DeviceNotFound

INSTALL_COMMAND = "sudo apt-get install libportaudio2"
MISSING_LIBRARY = "sound cards are read through PortAudio, which is not installed: this line installs it"
RATES_HZ = (8e3, 11.025e3, 16e3, 22.05e3, 32e3, 44.1e3, 48e3, 64e3, 88.2e3, 96e3, 176.4e3, 192e3, 352.8e3, 384e3)


class SoundInput(msgspec.Struct, frozen=True):
    """A stereo input. name : PortAudio's, with a number where several are equal."""

    name: str
    index: int
    host: str


class PortAudioMissing(DeviceNotFound):
    """The library is missing. `remedy` is the command that installs it."""

    remedy = INSTALL_COMMAND


def load() -> Any:
    """The package sounddevice with its library loaded; raises PortAudioMissing."""
    try:
        with quiet():
            import sounddevice
    except OSError as error:
        raise PortAudioMissing(f"{MISSING_LIBRARY}: {INSTALL_COMMAND}") from error
    return sounddevice


def rescan() -> None:
    """Restart PortAudio, which lists only devices present at its start."""
    sounddevice = load()
    with quiet():
        sounddevice._terminate()
        sounddevice._initialize()


def inputs() -> tuple[SoundInput, ...]:
    """All stereo inputs."""
    sounddevice = load()
    hosts = [host["name"] for host in sounddevice.query_hostapis()]
    sound_inputs: list[SoundInput] = []
    for index, device in enumerate(sounddevice.query_devices()):
        if device["max_input_channels"] < 2:
            continue
        same = sum(other.name.partition(" #")[0] == device["name"] for other in sound_inputs)
        name = f"{device['name']} #{same + 1}" if same else device["name"]
        sound_inputs.append(SoundInput(name, index, hosts[device["hostapi"]]))
    return tuple(sound_inputs)


def rates_of(sound_input: SoundInput) -> tuple[float, ...]:
    """All usual rates that an input accepts, to 384 kHz."""
    sounddevice = load()
    able = []
    for rate_hz in RATES_HZ:
        with quiet(), contextlib.suppress(sounddevice.PortAudioError, ValueError):
            sounddevice.check_input_settings(sound_input.index, 2, "float32", samplerate=rate_hz)
            able.append(rate_hz)
    return tuple(able)


@contextlib.contextmanager
def quiet() -> Iterator[None]:
    """Suppress messages of PortAudio's lower libraries on standard error."""
    stderr_copy, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(stderr_copy, 2)
        os.close(stderr_copy)
        os.close(nowhere)
