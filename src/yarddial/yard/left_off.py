"""Where a person left off in a yard: the place shown, and how they listened."""

import msgspec

from yarddial.yard.bounds import WidthHz
from yarddial.yard.demodulation import DemodulationSettings
from yarddial.yard.places import PLACE_NAMES


class HeardPlace(msgspec.Struct, frozen=True):
    """A dial position with the demodulation and its filter, as heard there."""

    dial_hz: WidthHz
    settings: DemodulationSettings


class LeftOff(msgspec.Struct, frozen=True):
    """What is found again when the yard is opened next; of no use to anyone else, so in a file of its own.

    place : empty for the usual first one. mode, settings : of Listen, None before its first use.
    half_span_hz : half the width of Listen's picture. heard : positions where one has listened, the latest first.
    """

    place: str = ""
    mode: str = ""
    settings: DemodulationSettings | None = None
    half_span_hz: WidthHz = 0.0
    heard: tuple[HeardPlace, ...] = ()

    def __post_init__(self) -> None:
        if self.place and self.place not in PLACE_NAMES:
            raise ValueError(f"there is no place '{self.place}'")
