"""Address of a sound input: its name, and what the card cannot know of the receiver before it."""

from urllib.parse import parse_qsl, quote, unquote

import msgspec

from yarddial.yard.errors import BadFrequency, DeviceNotFound
from yarddial.yard.frequency import format_plain, parse_frequency

_EXAMPLE = "write it as 'Line in?centre=7.05M', and swap=yes or skew=1 behind a & where they are needed"


class SoundAddress(msgspec.Struct, frozen=True):
    """Name of the input, and the tuned frequency of its receiver.

    swap : the channels are exchanged. skew : samples by which Q is late; None measures it.
    """

    name: str
    centre_hz: float
    swap: bool = False
    skew: int | None = None


def address_text(address: SoundAddress) -> str:
    """Write an address as `parse_address` reads it, without defaults."""
    query = [f"centre={format_plain(address.centre_hz)}"]
    query += ["swap=yes"] if address.swap else []
    query += [f"skew={address.skew}"] if address.skew is not None else []
    return f"{quote(address.name, safe=' ,.:()#')}?{'&'.join(query)}"


def parse_address(text: str) -> SoundAddress:
    """Read `NAME?centre=7.05M&swap=yes&skew=1`; raises DeviceNotFound in one sentence."""
    name, _, query = text.partition("?")
    try:
        given = dict(parse_qsl(query, strict_parsing=True)) if query else {}
    except ValueError:
        raise DeviceNotFound(f"'{query}' tells nothing of a sound card's receiver: {_EXAMPLE}") from None
    strange = set(given) - {"centre", "swap", "skew"}
    if strange:
        raise DeviceNotFound(f"a sound card's receiver has no '{sorted(strange)[0]}': {_EXAMPLE}")
    if given.get("swap", "no") not in ("yes", "no") or given.get("skew", "0") not in ("-1", "0", "1"):
        raise DeviceNotFound(f"swap is yes or no, skew -1, 0 or 1: {_EXAMPLE}")
    if "centre" not in given:
        raise DeviceNotFound(f"what the receiver before the sound card is tuned to must be said: {_EXAMPLE}")
    try:
        centre_hz = parse_frequency(given["centre"])
    except BadFrequency as error:
        raise DeviceNotFound(f"centre= cannot be read ({error}): {_EXAMPLE}") from error
    skew = int(given["skew"]) if "skew" in given else None
    return SoundAddress(unquote(name), centre_hz, given.get("swap") == "yes", skew)
