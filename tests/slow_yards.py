"""The demo yard for tests."""

import msgspec

from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Station


def slow_station() -> Station:
    """The demo yard with Finch at its lowest rate: what is right at one rate is right at another, and nobody waits."""
    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    return station.with_part(msgspec.structs.replace(finch, rate_hz=min(finch.rates_hz)))
