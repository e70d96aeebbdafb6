"""Addresses of devices that cannot be discovered, from plain answers of the person."""

from pathlib import Path

from yarddial.drivers.program.child import words_of
from yarddial.drivers.sound.address import SoundAddress
from yarddial.drivers.sound.address import address_text as sound_text
from yarddial.drivers.stream.address import StreamAddress, StreamKind
from yarddial.drivers.stream.address import address_text as stream_text
from yarddial.yard.errors import DeviceNotFound
from yarddial.yard.frequency import parse_frequency


def stream_device(kind: StreamKind, place: str, sample_format: str, rate: str, centre: str) -> str:
    """Samples that another program sends.

    place : host:port of a sender or to be listened at, or the path of a pipe. rate, centre : as people write them.

    Raises
    ------
    DeviceNotFound
        What is missing, in one sentence.
    BadFrequency
        A rate or a centre that cannot be read.
    """
    place = place.strip()
    if kind in ("tcp", "listen"):
        _, _, port = place.rpartition(":")
        if not (port.isascii() and port.isdigit() and 0 < int(port) < 65536):
            raise DeviceNotFound(f"'{place}' is no place on the network: write it as 127.0.0.1:7000")
    if kind == "pipe" and not place.startswith("/"):
        raise DeviceNotFound(f"'{place}' is no whole path: write it from / on, such as /tmp/samples")
    rate_hz = _rate_hz(rate)
    return f"stream:{stream_text(StreamAddress(kind, place, sample_format, rate_hz, parse_frequency(centre)))}"


def sound_device(name: str, centre: str, *, swap: bool = False) -> str:
    """A sound input, with the tuned frequency of its receiver."""
    if not centre.strip():
        raise DeviceNotFound("write what the receiver before the sound card is tuned to, such as 7.05 MHz")
    return f"sound:{sound_text(SoundAddress(name, parse_frequency(centre), swap))}"


def recording_device(path: str, *, again: bool = True) -> str:
    """A recording, played in a loop."""
    place = Path(path.strip()).expanduser()
    if not place.is_file():
        raise DeviceNotFound(f"there is no recording '{path.strip()}': write its whole path")
    return f"recording:{place}?loop=yes" if again else f"recording:{place}"


def program_device(command: str) -> str:
    """Address of a person's own program; raises DeviceNotFound for an invalid one."""
    words_of(command.strip())
    return f"process:{command.strip()}"


def _rate_hz(text: str) -> float:
    plain = text.strip().removesuffix("MS/s").removesuffix("kS/s").strip()
    unit = " MHz" if text.strip().endswith("MS/s") else " kHz" if text.strip().endswith("kS/s") else ""
    return parse_frequency(plain + unit)
