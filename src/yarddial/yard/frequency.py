"""Reading and writing frequencies.

Text becomes a number only here, through `Decimal`, so that 14.305 MHz is exactly 14 305 000 Hz. Inside the program a
frequency is a float64 in hertz: exact to 1 mHz up to 100 GHz.
"""

import re
from decimal import Decimal
from functools import lru_cache

from yarddial.yard.errors import BadFrequency

THIN_SPACE = "\N{NARROW NO-BREAK SPACE}"
MINUS = "\N{MINUS SIGN}"
_between_groups = THIN_SPACE
LIMIT_HZ = 1e12

_UNITS = {
    "": None,
    "hz": Decimal(1),
    "k": Decimal(10) ** 3,
    "khz": Decimal(10) ** 3,
    "mhz": Decimal(10) ** 6,
    "g": Decimal(10) ** 9,
    "ghz": Decimal(10) ** 9,
}
_FIELD_UNITS = {"Hz": Decimal(1), "kHz": Decimal(10) ** 3, "MHz": Decimal(10) ** 6, "GHz": Decimal(10) ** 9}
_SPACES = re.compile(r"[\s_'’\u00a0\u2007\u2008\u2009\u202f]+")
_BETWEEN = re.compile(r"\s*(?:-|–|—|…|\.\.\.|\bto\b)\s*")
_SHAPE = re.compile(r"([+-]?)([\d.,_'’\s]*\d[\d.,_'’\s]*)(?:[eE]([+-]?\d{1,3}))?\s*([A-Za-zµ]*)")


def parse_frequency(text: str, field_unit: str = "Hz") -> float:
    """Read a frequency the way people write it.

    Parameters
    ----------
    text : str
        Such as `14.305M`, `14,305,000`, `14.305.000`, `14305 kHz`, `-100.000.000`, `1.2e9`.
    field_unit : {"Hz", "kHz", "MHz", "GHz"}
        The unit of a number that carries none. In a kHz, MHz or GHz field a bare number that would lie above
        1 THz is taken as hertz, since nobody means it otherwise.

    Returns
    -------
    float
        Hertz, the float64 nearest to the decimal number written.

    Raises
    ------
    BadFrequency
        Not a frequency, or two readings are possible; the sentence gives both.
    """
    if field_unit not in _FIELD_UNITS:
        raise BadFrequency(f"'{field_unit}' is not a unit for a frequency field: use Hz, kHz, MHz or GHz", field_unit)
    shown = text.strip()
    if len(shown) > 60:
        raise BadFrequency("a frequency has at most 60 characters: this text is longer", shown)
    match = _SHAPE.fullmatch(shown.replace(MINUS, "-").replace("–", "-"))
    if match is None:
        raise BadFrequency(f"'{shown}' is not a frequency: write it like 14.305 MHz, 14305k or 14305000", shown)
    sign, digits, exponent, unit = match.groups()
    scale = _unit_scale(unit, shown)
    suffix = (f"e{exponent}" if exponent else "") + " " + (unit or field_unit)
    bare_hertz = scale is None and field_unit == "Hz" and exponent is None
    number = _read_number(digits, shown, suffix, bare_hertz=bare_hertz)
    number *= Decimal(10) ** int(exponent or 0)
    if scale is None:
        scale = _FIELD_UNITS[field_unit]
        if number * scale > LIMIT_HZ:
            scale = Decimal(1)
    if number * scale > LIMIT_HZ:
        raise BadFrequency(f"'{shown}' lies above 1 THz, which is no radio frequency: check the unit", shown)
    hertz = float(number * scale)
    return -hertz if sign == "-" else hertz


def _unit_scale(unit: str, shown: str) -> Decimal | None:
    if unit == "m":
        raise BadFrequency(f"'{shown}' could mean megahertz or a wavelength in metres: write MHz for the first", shown)
    if unit == "mHz":
        raise BadFrequency(f"'{shown}' could mean millihertz or megahertz: write MHz for the second", shown)
    if unit == "M":
        return _FIELD_UNITS["MHz"]
    if unit.lower() not in _UNITS:
        raise BadFrequency(f"'{unit}' in '{shown}' is not a unit of frequency: use Hz, kHz, MHz or GHz", shown)
    return _UNITS[unit.lower()]


def _read_number(digits: str, shown: str, suffix: str, *, bare_hertz: bool) -> Decimal:
    """Decide which marks group digits and which one is the decimal mark."""
    digits = digits.strip()
    spaced = _SPACES.search(digits) is not None
    marks = [c for c in digits if c in ".,"]
    if len(set(marks)) == 2:
        group, decimal = ("," if marks[-1] == "." else "."), marks[-1]
        if marks.count(decimal) > 1 or (spaced and marks.count(group) > 0):
            raise BadFrequency(
                f"'{shown}' mixes points and commas in a way that cannot be read: use one of them", shown
            )
    elif len(marks) > 1:
        group, decimal = marks[0], ""
    elif len(marks) == 1:
        group, decimal = "", marks[0]
        if not spaced:
            _refuse_if_ambiguous(digits, marks[0], shown, suffix, bare_hertz=bare_hertz)
    else:
        group, decimal = "", ""
    whole, _, fraction = digits.partition(decimal) if decimal else (digits, "", "")
    return Decimal(_join_groups(whole, group, shown) + "." + _join_fraction(fraction, shown))


def _refuse_if_ambiguous(digits: str, mark: str, shown: str, suffix: str, *, bare_hertz: bool) -> None:
    """Refuse `14,305 MHz`, which may be 14.305 or 14 305 MHz. A point is ambiguous only in a bare number of hertz."""
    whole, _, fraction = digits.partition(mark)
    could_group = len(fraction) == 3 and 1 <= len(whole) <= 3 and not whole.startswith("0")
    if could_group and (mark == "," or bare_hertz):
        readings = f"{whole}.{fraction}{suffix}", f"{whole}{fraction}{suffix}"
        raise BadFrequency(
            f"'{shown}' can be read as {readings[0]} or as {readings[1]}: write a point and a unit, or no mark at all",
            shown,
            tuple(parse_frequency(reading) for reading in readings),
        )


def _join_groups(whole: str, mark: str, shown: str) -> str:
    parts = [p for p in _SPACES.split(whole.strip()) if p]
    if mark:
        parts = whole.split(mark)
    if len(parts) > 1 and not (1 <= len(parts[0]) <= 3 and all(len(p) == 3 for p in parts[1:])):
        raise BadFrequency(f"'{shown}' has digit groups that are not of three: check for a missing digit", shown)
    if any(not p.isdigit() for p in parts):
        raise BadFrequency(f"'{shown}' is not a frequency: write it like 14.305 MHz, 14305k or 14305000", shown)
    return "".join(parts) or "0"


def _join_fraction(fraction: str, shown: str) -> str:
    parts = [p for p in _SPACES.split(fraction.strip()) if p]
    if any(len(p) != 3 for p in parts[:-1]) or any(not p.isdigit() for p in parts):
        raise BadFrequency(f"'{shown}' has digit groups that are not of three: check for a missing digit", shown)
    return "".join(parts) or "0"


def parse_range(text: str, field_unit: str = "MHz") -> tuple[float, float] | None:
    """Read a range such as `9.4-9.9 MHz`, `526.5 to 1606.5 kHz` or `9400k … 9.9M`; None for what is no range.

    A unit at the end holds for both ends where the first carries none. Returns hertz, rising. Raises BadFrequency where
    an end is no frequency, or both are the same.
    """
    ends = _BETWEEN.split(text.strip())
    if len(ends) != 2 or not all(end.strip() for end in ends):
        return None
    unit = re.search(r"[A-Za-zµ]+\s*$", ends[1])
    first = ends[0] if re.search(r"[A-Za-zµ]\s*$", ends[0]) or unit is None else f"{ends[0]} {unit.group().strip()}"
    low_hz, high_hz = sorted((parse_frequency(first, field_unit), parse_frequency(ends[1], field_unit)))
    if low_hz < 0 or low_hz == high_hz:
        raise BadFrequency(f"'{text.strip()}' is no range: write it like 9.4-9.9 MHz", text)
    return low_hz, high_hz


@lru_cache(maxsize=8192)
def format_frequency(hertz: float, decimals_hz: int = 3) -> str:
    """Write a frequency in its natural unit, digits in thin-space groups, exact to `decimals_hz` places of hertz.

    >>> format_frequency(14305000.0)
    '14.305 MHz'
    """
    if not abs(hertz) < 1e15:
        # Too large to dial; this text only appears in the refusal.
        return f"{hertz:.3g} Hz"
    number = Decimal(repr(float(hertz))).quantize(Decimal(1).scaleb(-decimals_hz))
    size = abs(number)
    unit = "GHz" if size >= 10**9 else "MHz" if size >= 10**6 else "kHz" if size >= 10**3 else "Hz"
    whole, _, fraction = f"{size / _FIELD_UNITS[unit]:f}".partition(".")
    fraction = fraction.rstrip("0")
    if unit == "MHz" and len(fraction) < 3:
        fraction = fraction.ljust(3, "0")
    text = group_digits(whole) + ("." + group_fraction(fraction) if fraction else "")
    return f"{MINUS if number < 0 else ''}{text} {unit}"


def shorter_and_shorter(hertz: float) -> list[str]:
    """List texts of a frequency, exact to the hertz first, then with fewer and fewer digits.

    >>> shorter_and_shorter(130_000_461.0)[2:] ['130.000 MHz', '130 MHz']
    """
    exact = format_frequency(hertz, 0)
    texts = [exact, *(format_frequency(hertz, -places) for places in (2, 3)), format_bound(round(hertz, -3))]
    return list(dict.fromkeys(texts))


@lru_cache(maxsize=4096)
def format_bound(hertz: float) -> str:
    """Write the end of a range without idle decimals: `30 MHz`, `526.5 kHz`."""
    text = format_frequency(hertz, 0)
    number, _, unit = text.partition(" ")
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {unit}"


def format_hertz(value_hz: float, sigma_hz: float | None = None, *, signed: bool = True) -> str:
    """Write a small difference such as `+37 Hz` with the digits that its one-sigma uncertainty justifies.

    Differences of 10 kHz and more are written in kHz, of 10 MHz and more in MHz.
    """
    if value_hz != value_hz or value_hz in (float("inf"), float("-inf")):
        return "unknown"
    scale, unit = (1e6, "MHz") if abs(value_hz) >= 1e7 else (1e3, "kHz") if abs(value_hz) >= 1e4 else (1.0, "Hz")
    text = format_number(value_hz / scale, None if sigma_hz is None else sigma_hz / scale, signed=signed)
    return f"{text} {unit}"


def format_number(value: float, sigma: float | None = None, *, signed: bool = False) -> str:
    """Write a number with a true minus sign, thin-space groups and as many decimals as `sigma` can bear."""
    places = decimals_for(sigma if sigma is not None else abs(value) / 100 or 0.01)
    rounded = round(value, places) + 0.0
    text = f"{abs(rounded):.{places}f}"
    whole, _, fraction = text.partition(".")
    body = group_digits(whole) + ("." + fraction if fraction else "")
    sign = MINUS if rounded < 0 else "+" if signed and rounded > 0 else ""
    return sign + body


def format_sigma(sigma_hz: float) -> str:
    """Write a one-sigma uncertainty in hertz with two digits, such as `±0.32 Hz` or `±8.1 kHz`.

    The least is 1 mHz: a smaller unit could be misread as megahertz.
    """
    if not sigma_hz < float("inf"):
        return "unknown"
    scale, unit = (1e6, "MHz") if sigma_hz >= 1e6 else (1e3, "kHz") if sigma_hz >= 1e3 else (1.0, "Hz")
    value = max(sigma_hz, 1e-3 if sigma_hz > 0 else 0.0) / scale
    places = 0 if value >= 10 else 1 if value >= 1 else 2 if value >= 0.1 else 3
    return f"±{value:.{places}f} {unit}"


def decimals_for(sigma: float) -> int:
    """Count the decimals worth writing for a value with this sigma (two digits of uncertainty below 3)."""
    if sigma >= 3 or sigma != sigma:
        return 0
    if sigma >= 0.3:
        return 1
    if sigma >= 0.03:
        return 2
    return 3


def write_digits(*, grouped: bool) -> None:
    """Set how all numbers are written: thousands separated by a thin space, or not."""
    global _between_groups
    _between_groups = THIN_SPACE if grouped else ""


def group_digits(whole: str) -> str:
    """Insert thin spaces between groups of three digits, counted from the right, where grouping is on."""
    return f"{int(whole):,}".replace(",", _between_groups)


def group_fraction(fraction: str) -> str:
    """Insert thin spaces between groups of three digits, counted from the decimal point, where grouping is on."""
    return _between_groups.join(fraction[i : i + 3] for i in range(0, len(fraction), 3))


def format_plain(hertz: float) -> str:
    """Write a frequency for a file or an address: plain hertz, as `parse_frequency` reads it."""
    whole, _, part = f"{hertz:.6f}".partition(".")
    part = part.rstrip("0")
    return f"{whole}.{part}Hz" if part else whole
