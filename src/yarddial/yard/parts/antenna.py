"""Antennas."""

from typing import Literal

import msgspec

from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.supply import Need
from yarddial.yard.parts.values import Origins, Value

AntennaKind = Literal["", "wire", "whip", "dipole", "discone", "loop", "dish", "beam", "dummy load"]


class Antenna(msgspec.Struct, frozen=True, omit_defaults=True, tag="antenna"):
    """An antenna and its useful range.

    length_m : the whip's or wire's length, the dish's diameter; 0 when unknown.
    kind : a dummy load stands where an antenna would, and hears nothing.
    dc_short : a direct current finds a short in it, as in many loops and folded dipoles.
    apart_m : from the nearest antenna of one's own that transmits; 0 when unknown.
    directivity_dbi : over all directions' mean, in its best direction; as in its data sheet, losses left out.
    coupling_db : how much weaker than sent a signal of that one comes out here, measured at worst.
    gain_db : what comes out at its socket against what an antenna without loss would deliver.
    nf_db : of an active one, its amplifier's noise against what arrives.
    """

    name: str
    low_hz: float
    high_hz: float
    note: str = ""
    kind: AntennaKind = ""
    length_m: float = 0.0
    outdoors: bool = False
    dc_short: bool = False
    apart_m: float = 0.0
    directivity_dbi: Value | None = None
    coupling_db: Value | None = None
    gain_db: Value | None = None
    nf_db: Value | None = None
    need: Need | None = None
    output: Socket = Socket()
    origins: Origins = {}
