"""The demo yard for tests."""

import msgspec

from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver
from yarddial.yard.plugs import SocketKey
from yarddial.yard.shared_sockets import with_switching
from yarddial.yard.station import Station

# What is right at one rate is right at another, and nobody waits.
LOW_RATE_HZ = 256e3


def low_rate(rate_hz: float = LOW_RATE_HZ) -> str:
    """What is added to the address of a simulated receiver for such a rate."""
    return f"low_rate={rate_hz / 1e3:g}k"


def slow_station(rate_hz: float = LOW_RATE_HZ) -> Station:
    """The demo yard with its receivers at a rate so low that a second of it is soon made."""
    station = with_finch(f"simulated:finch?{low_rate(rate_hz)}", rate_hz)
    return with_rate(station, "Heron", f"simulated:heron?{low_rate(rate_hz)}", rate_hz)


def wide_station() -> Station:
    """With Finch at the lowest of its own rates: for what needs the width of its span."""
    return with_finch("simulated:finch", 1.024e6)


def with_finch(device: str, rate_hz: float) -> Station:
    """The demo yard with its stick so, and with a switch that the program turns; `tests/hand.py` has one for a hand."""
    station = with_switching(demo_station(), SocketKey("Patch", "output"), "program")
    return with_rate(station, "Finch", device, rate_hz)


def with_rate(station: Station, name: str, device: str, rate_hz: float) -> Station:
    """The station with one of its receivers so."""
    receiver = station.part(name)
    assert isinstance(receiver, Receiver)
    rates_hz = tuple(sorted({rate_hz, *receiver.rates_hz}))
    return station.with_part(msgspec.structs.replace(receiver, device=device, rates_hz=rates_hz, rate_hz=rate_hz))
