"""The demo yard for tests."""

import msgspec

from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Station

# What is right at one rate is right at another, and nobody waits.
LOW_RATE_HZ = 512e3


def slow_station() -> Station:
    """The demo yard with Finch at a rate so low that a second of it is soon made."""
    low = f"low_rate={LOW_RATE_HZ / 1e3:g}k"
    station = with_finch(f"simulated:finch?{low}", LOW_RATE_HZ)
    return with_rate(station, "Heron", f"simulated:heron?{low}", LOW_RATE_HZ)


def wide_station() -> Station:
    """With Finch at the lowest of its own rates: for what needs the width of its span."""
    return with_finch("simulated:finch", 1.024e6)


def with_finch(device: str, rate_hz: float) -> Station:
    """The demo yard with its stick so."""
    return with_rate(demo_station(), "Finch", device, rate_hz)


def with_rate(station: Station, name: str, device: str, rate_hz: float) -> Station:
    """The station with one of its receivers so."""
    receiver = station.part(name)
    assert isinstance(receiver, Receiver)
    rates_hz = tuple(sorted({rate_hz, *receiver.rates_hz}))
    return station.with_part(msgspec.structs.replace(receiver, device=device, rates_hz=rates_hz, rate_hz=rate_hz))
