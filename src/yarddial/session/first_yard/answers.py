"""Answers to "What have you got?". All can be left out."""

from typing import Literal

import msgspec

from yarddial.yard.bands import Region
from yarddial.yard.parts import Receiver

Joining = Literal["hand", "switch", "sockets"]
Feeder = Literal["receiver", "injector", "wall plug", "USB"]
Transmitting = Literal["none", "if", "antenna", "beside"]


class Leaflet(msgspec.Struct, frozen=True):
    """What a converter's leaflet or can says; texts as people write frequencies, empty where it does not say.

    lo : its oscillator. heard, comes_out : a frequency at its input, and where that comes out.
    """

    lo: str = ""
    heard: str = ""
    comes_out: str = ""


class BoxAnswers(msgspec.Struct, frozen=True):
    """What the person has got.

    region : of the radio regulations; None where nobody said. country : name in `yard.countries`. receiver : as its
    driver describes it, or a class of the shelf for one that is not here; None where nobody said. antennas,
    between, converter : names on the shelf; an empty converter is none. joining : how the plug of each of several
    antennas gets to the receiver. sockets : antenna and the receiver's socket that its line goes into, where
    stated. feeders : what gives current to parts that need it. transmit_power : of the transceiver at most, as
    written. wishes : keys of `questions.WISHES`. with_usual : add the world's standard frequencies as known
    stations.
    """

    region: Region | None = None
    country: str = ""
    receiver: Receiver | None = None
    antennas: tuple[str, ...] = ()
    joining: Joining = "hand"
    sockets: tuple[tuple[str, str], ...] = ()
    between: tuple[str, ...] = ()
    converter: str = ""
    leaflet: Leaflet = Leaflet()
    feeders: tuple[Feeder, ...] = ()
    transmitting: Transmitting = "none"
    transmit_power: str = "100 W"
    wishes: tuple[str, ...] = ()
    with_usual: bool = True
