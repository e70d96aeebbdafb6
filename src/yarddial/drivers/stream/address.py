"""Address of a stream: its source, format, rate and centre."""

from typing import Literal
from urllib.parse import parse_qsl

import msgspec

from yarddial.dsp.sample_formats import FORMATS
from yarddial.yard.errors import BadFrequency, DeviceNotFound
from yarddial.yard.frequency import format_plain, parse_frequency

StreamKind = Literal["tcp", "listen", "pipe", "stdin"]
_EXAMPLE = "write it as tcp://127.0.0.1:7000?format=cu8&rate=2.048M&centre=130M"
# Without a host, listen on this computer only.
LOOPBACK = "127.0.0.1"


class StreamAddress(msgspec.Struct, frozen=True):
    """Source and format of samples: place is host:port, a path, or empty for standard input."""

    kind: StreamKind
    place: str
    sample_format: str
    rate_hz: float
    centre_hz: float

    @property
    def host_port(self) -> tuple[str, int]:
        """Host and port of a network address."""
        host, _, port = self.place.rpartition(":")
        return host or LOOPBACK, int(port)


def parse_address(text: str) -> StreamAddress:
    """Read `tcp://host:port?...`, `listen://:port?...`, `pipe:/path?...` or `stdin?...`.

    Raises
    ------
    DeviceNotFound
        One sentence: what is missing or cannot be read.
    """
    where, _, query = text.partition("?")
    kind, place = _where(where)
    try:
        given = dict(parse_qsl(query, strict_parsing=True)) if query else {}
    except ValueError:
        raise DeviceNotFound(f"'{query}' does not tell format and rate of the stream: {_EXAMPLE}") from None
    strange = set(given) - {"format", "rate", "centre"}
    if strange:
        raise DeviceNotFound(f"a stream has no '{sorted(strange)[0]}': it has format, rate and centre; {_EXAMPLE}")
    sample_format = given.get("format", "")
    if sample_format not in FORMATS:
        raise DeviceNotFound(f"the stream's format must be stated, one of {', '.join(FORMATS)}: {_EXAMPLE}")
    try:
        rate_hz = parse_frequency(given.get("rate", ""))
        centre_hz = parse_frequency(given.get("centre", "0"))
    except BadFrequency as error:
        raise DeviceNotFound(f"rate or centre of the stream cannot be read ({error}): {_EXAMPLE}") from error
    if not 1.0 <= rate_hz <= 1e9:
        raise DeviceNotFound(f"a sample rate of {rate_hz:g} Hz cannot be: {_EXAMPLE}")
    return StreamAddress(kind, place, sample_format, rate_hz, centre_hz)


def address_text(address: StreamAddress) -> str:
    """Write an address as `parse_address` reads it."""
    where = {"tcp": f"tcp://{address.place}", "listen": f"listen://{address.place}", "pipe": f"pipe:{address.place}"}
    base = where.get(address.kind, "stdin")
    rate, centre = format_plain(address.rate_hz), format_plain(address.centre_hz)
    return f"{base}?format={address.sample_format}&rate={rate}&centre={centre}"


def _where(text: str) -> tuple[StreamKind, str]:
    if text in ("stdin", "-"):
        return "stdin", ""
    if text.startswith("pipe:") and len(text) > 5:
        return "pipe", text.removeprefix("pipe:").removeprefix("//")
    for kind in ("tcp", "listen"):
        place = text.removeprefix(f"{kind}://")
        if place != text:
            _, _, port = place.rpartition(":")
            if not (port.isascii() and port.isdigit() and 0 < int(port) < 65536):
                raise DeviceNotFound(f"'{place}' names no port: {_EXAMPLE}")
            return kind, place
    raise DeviceNotFound(f"'{text}' tells no way for samples to come: tcp://, listen://, pipe: or stdin; {_EXAMPLE}")
