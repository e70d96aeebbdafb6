"""IARU locator: fields of 20 by 10 degrees, squares of 2 by 1, and finer subdivisions."""

import re

from yarddial.yard.errors import BadStation

_FORM = re.compile(r"([A-R]{2})(\d{2})?([A-X]{2})?")


def read_locator(text: str) -> str:
    """Normalise a locator, capitals first; "" for an empty text. Raises BadStation when it is invalid."""
    plain = text.strip().upper()
    if plain and (not _FORM.fullmatch(plain) or len(plain) not in (2, 4, 6)):
        raise BadStation(f"'{text.strip()}' is no locator: write two letters A to R, two digits, two letters A to X")
    return plain[:4] + plain[4:].lower()


def middle_of(locator: str) -> tuple[float, float]:
    """Latitude and longitude of the middle of a locator's square, degrees, north and east positive."""
    match = _FORM.fullmatch(locator.upper())
    if match is None:
        raise BadStation(f"'{locator}' is no locator")
    field, square, finer = match.groups()
    east, north, wide, high = (ord(field[0]) - 65) * 20.0, (ord(field[1]) - 65) * 10.0, 20.0, 10.0
    if square:
        east, north, wide, high = east + 2.0 * int(square[0]), north + int(square[1]), 2.0, 1.0
    if finer:
        east, north = east + (ord(finer[0]) - 65) / 12, north + (ord(finer[1]) - 65) / 24
        wide, high = 1 / 12, 1 / 24
    return north + high / 2 - 90.0, east + wide / 2 - 180.0
