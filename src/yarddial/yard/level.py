"""Levels as people write them: dBm, microvolts, dBuV and S-units. Volts are at the socket unless EMF is written."""

import re
from math import isfinite, log10
from typing import Literal

import msgspec

from yarddial.yard.bounds import LevelDb, Name
from yarddial.yard.errors import BadLevel
from yarddial.yard.frequency import format_number

LevelBand = Literal["hf", "vhf"]
# S9 under and above 30 MHz (IARU Region 1 recommendation R.1); an S-unit is 6 dB.
S9_DBM: dict[LevelBand, float] = {"hf": -73.0, "vhf": -93.0}
S_UNIT_DB = 6.0
LIMIT_HZ = 30e6
# Outside this range nothing is a plausible level at a receiver's socket.
MIN_DBM, MAX_DBM = -250.0, 100.0

_s_units_first = False
_NUMBER = r"([+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?)"
_UNITS = {"dbm": 0.0, "dbw": 30.0}
_VOLTS = {"nv": 1e-9, "uv": 1e-6, "mv": 1e-3, "v": 1.0}
_DB_VOLTS = {"dbuv": 1e-6, "dbmv": 1e-3, "dbv": 1.0}
_WATTS = {"nw": 1e-9, "uw": 1e-6, "mw": 1e-3, "w": 1.0}

# Gains in dB by name of the gain stage.
GainsDb = tuple[tuple[Name, LevelDb], ...]


class Level(msgspec.Struct, frozen=True):
    """A power in dBm at an impedance; other units are derived."""

    dbm: float
    band: LevelBand = "hf"
    ohms: float = 50.0

    @property
    def uv(self) -> float:
        """RMS microvolts across the impedance."""
        return float((10 ** (self.dbm / 10) * 1e-3 * self.ohms) ** 0.5 * 1e6)

    @property
    def emf_uv(self) -> float:
        """Open-circuit microvolts (EMF), as many signal generators read: twice those at the socket."""
        return 2 * self.uv

    @property
    def dbuv(self) -> float:
        """Level in decibels over a microvolt."""
        return 20 * log10(self.uv)

    @property
    def s_meter(self) -> str:
        """S-units to a tenth up to S9, then decibels over it: S7.5, S9+12; below S0 decibels under it."""
        over_db = self.dbm - S9_DBM[self.band]
        if over_db > 0.05:
            return f"S9+{round(over_db):d}" if round(over_db) else "S9"
        units = 9 + over_db / S_UNIT_DB
        if units < 0:
            return f"S0−{-units * S_UNIT_DB:.0f}"
        return f"S{units:.1f}".removesuffix(".0")

    def said(self, sigma_db: float | None = None) -> str:
        """Write the level in the preferred unit, then the other: `−73 dBm, S9`, or `S9, −73 dBm`."""
        dbm = f"{format_number(self.dbm, sigma_db if sigma_db is not None else 1.0)} dBm"
        return f"{self.s_meter}, {dbm}" if _s_units_first else f"{dbm}, {self.s_meter}"


def write_levels(*, s_units_first: bool) -> None:
    """Set which unit comes first."""
    global _s_units_first
    _s_units_first = s_units_first


def band_of(hertz: float) -> LevelBand:
    """S-meter scale for a frequency."""
    return "hf" if hertz < LIMIT_HZ else "vhf"


def parse_level(text: str, band: LevelBand = "hf", ohms: float = 50.0) -> Level:
    """Read `-73 dBm`, `5 uV`, `20 dBuV`, `0.1 pW`, `S9`, `S7+10 dB`; `10 uV emf` for an open source.

    ohms : impedance for levels in volts.

    Raises
    ------
    BadLevel
        The text is unreadable, or no plausible level.
    """
    if not (isfinite(ohms) and 0 < ohms < 1e6):
        raise BadLevel(f"an impedance of {ohms:g} ohms makes no level: give what the receiver has, such as 50")
    plain = text.strip().replace("−", "-").replace("µ", "u").replace("μ", "u").lower()
    if match := re.fullmatch(r"s\s*(\d+(?:[.,]\d+)?)\s*(?:([+-])\s*(\d+(?:[.,]\d+)?)\s*(?:db)?)?", plain):
        units, sign, rest = match.groups()
        dbm = S9_DBM[band] + (_float(units) - 9) * S_UNIT_DB
        dbm += (-1 if sign == "-" else 1) * _float(rest or "0")
        if _float(units) > 9:
            raise BadLevel(f"'{text}': S-units end at S9; write S9+{(_float(units) - 9) * S_UNIT_DB:g} for more")
        return _checked(dbm, text, band, ohms)
    is_emf = plain.endswith("emf")
    match = re.fullmatch(_NUMBER + r"\s*([a-z]+)", plain.removesuffix("emf").strip(" ()"))
    if is_emf and (match is None or match[2] not in _VOLTS | _DB_VOLTS):
        raise BadLevel(f"'{text}': only a voltage is an EMF: write it as 10 uV emf or 20 dBuV emf")
    if match is None:
        raise BadLevel(f"'{text}' is no level: write it as -73 dBm, 5 uV, 20 dBuV or S7")
    number, unit = _float(match[1]), match[2]
    # A matched socket receives half the open-circuit voltage.
    at_socket_db = 20 * log10(2) if is_emf else 0.0
    if unit in _UNITS:
        return _checked(number + _UNITS[unit], text, band, ohms)
    if unit in _DB_VOLTS:
        return _checked(number + 20 * log10(_DB_VOLTS[unit]) - 10 * log10(ohms) + 30 - at_socket_db, text, band, ohms)
    scale = _VOLTS.get(unit) or _WATTS.get(unit) or {"pw": 1e-12, "fw": 1e-15}.get(unit)
    if scale is None:
        raise BadLevel(f"'{match[2]}' in '{text}' is no unit of level: use dBm, uV, dBuV, W or S-units")
    if number <= 0:
        raise BadLevel(f"'{text}': a voltage or power must be above 0")
    watts = (number * scale) ** 2 / ohms if unit in _VOLTS else number * scale
    if watts <= 0:
        raise BadLevel(f"'{text}' is too small to be a level")
    return _checked(10 * log10(watts) + 30 - at_socket_db, text, band, ohms)


def _float(text: str) -> float:
    return float(text.replace(",", "."))


def _checked(dbm: float, text: str, band: LevelBand, ohms: float) -> Level:
    if not MIN_DBM <= dbm <= MAX_DBM:
        raise BadLevel(f"'{text}' is {dbm:.0f} dBm, which no receiver meets: check the number and its unit")
    return Level(dbm, band, ohms)
