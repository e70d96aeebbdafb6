"""Parts of a yard as data. Every value names its origin."""

from typing import assert_never

import msgspec

from yarddial.yard.parts.antenna import Antenna
from yarddial.yard.parts.converter import Converter, Lnb, LnbBand
from yarddial.yard.parts.isolator import Isolator
from yarddial.yard.parts.receiver import DeviceCorrections, DirectSampling, GainStage, Port, Receiver
from yarddial.yard.parts.sockets import CONNECTORS, Connector, Socket
from yarddial.yard.parts.supply import Feed, Need
from yarddial.yard.parts.transceiver import Transceiver
from yarddial.yard.parts.two_port import SHAPE_WORDS, TwoPort
from yarddial.yard.parts.values import Origin, Origins, Provenance, Value, origin_of

__all__ = [
    "CONNECTORS",
    "SHAPE_WORDS",
    "Antenna",
    "Connector",
    "Converter",
    "DeviceCorrections",
    "DirectSampling",
    "Feed",
    "GainStage",
    "Inner",
    "Isolator",
    "Lnb",
    "LnbBand",
    "Need",
    "Origin",
    "Origins",
    "Part",
    "Port",
    "Provenance",
    "Receiver",
    "Socket",
    "Transceiver",
    "TwoPort",
    "Value",
    "converters_of",
    "origin_of",
    "with_converter",
]

Inner = Converter | TwoPort | Isolator | Lnb | Transceiver
Part = Antenna | Converter | TwoPort | Isolator | Lnb | Transceiver | Receiver


def converters_of(part: Part) -> tuple[Converter, ...]:
    """All oscillators that a part adds to a path, as plain converters."""
    match part:
        case Converter():
            return (part,)
        case Lnb():
            return tuple(part.as_converter(band) for band in part.bands)
        case Transceiver():
            # A yard may use both outputs, so take the IF output whichever is selected.
            converter = msgspec.structs.replace(part, tap="if").converter_at(part.high_hz) if part.if_hz > 0 else None
            return () if converter is None else (converter,)
        case Antenna() | TwoPort() | Isolator() | Receiver():
            return ()
        case _:
            assert_never(part)


def with_converter(part: Part, changed: Converter) -> Part:
    """Store a changed oscillator in its part; a transceiver's follows the dial and stays as it is."""
    match part:
        case Converter():
            return changed
        case Lnb():
            bands = tuple(
                msgspec.structs.replace(band, lo_hz=changed.lo_hz, entered_lo_hz=changed.entered_lo_hz)
                if part.as_converter(band).name == changed.name
                else band
                for band in part.bands
            )
            return msgspec.structs.replace(part, bands=bands)
        case Transceiver() | Antenna() | TwoPort() | Isolator() | Receiver():
            return part
        case _:
            assert_never(part)
