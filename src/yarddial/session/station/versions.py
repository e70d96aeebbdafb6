"""Comparison and merging of two versions of a station, part by part."""

from collections.abc import Mapping
from typing import Any, Literal

import msgspec

from yarddial.yard.frequency import format_frequency
from yarddial.yard.station import Station, checked

Side = Literal["here", "file"]
# Lists whose items have names, with the word for one item.
_LISTS = {
    "parts": "part", "routes": "route", "references": "known station", "own_bands": "band", "kept_gains": "gains of",
    "acknowledged": "acknowledged",
}  # fmt: skip
_VALUES = {
    "name": "name of the yard",
    "surroundings": "surroundings",
    "atmospherics": "thunderstorms",
    "region": "region",
    "country": "country",
}
# The dial's state is no edit and stays as it is here.
_DIAL_FIELDS = ("dial_hz", "mode", "route", "held")


class VersionDifference(msgspec.Struct, frozen=True):
    """A difference: what, its value here and in the file, and who changed it.

    key : (field, item). changed_by : `both` where each side has changed it since it was read.
    """

    key: tuple[str, str]
    what: str
    here: str
    file: str
    changed_by: Literal["here", "file", "both"]

    @property
    def usual(self) -> Side:
        """The side that changed it; for both, the one here."""
        return "file" if self.changed_by == "file" else "here"


def differences(base: Station, here: Station, file: Station) -> tuple[VersionDifference, ...]:
    """All differences. `base` : before either side's changes."""
    changes = []
    for key in _keys(here, file):
        was, mine, theirs = _item(base, key), _item(here, key), _item(file, key)
        if mine == theirs:
            continue
        changed_by: Literal["here", "file", "both"] = "file" if mine == was else "here" if theirs == was else "both"
        mine_said, theirs_said = _said(mine, theirs)
        changes.append(VersionDifference(key, _what(key), mine_said, theirs_said, changed_by))
    return tuple(changes)


def merged(here: Station, file: Station, chosen: Mapping[tuple[str, str], Side]) -> Station:
    """Merge both versions; raises BadStation where the result is inconsistent."""
    station = file
    for field in _LISTS:
        names = list(dict.fromkeys(name for (_, name) in _keys(here, file, field)))
        items = [_item(here if chosen.get((field, name)) == "here" else file, (field, name)) for name in names]
        station = msgspec.structs.replace(station, **{field: tuple(item for item in items if item is not None)})
    for field in _VALUES:
        if chosen.get((field, "")) == "here":
            station = msgspec.structs.replace(station, **{field: getattr(here, field)})
    moved = {field: getattr(here, field) for field in _DIAL_FIELDS}
    if moved["route"] not in {route.name for route in station.routes}:
        moved["route"] = file.route if any(r.name == file.route for r in station.routes) else ""
        moved["route"] = moved["route"] or (station.routes[0].name if station.routes else "")
    return checked(msgspec.structs.replace(station, **moved))


def without_dial(station: Station) -> Station:
    """The yard without the dial's state."""
    return msgspec.structs.replace(station, dial_hz=0.0, mode="am", route="", held=False)


def _keys(here: Station, file: Station, only: str = "") -> list[tuple[str, str]]:
    """Keys in the file's order, then those that exist only here."""
    keys = [] if only else [(field, "") for field in _VALUES]
    for field in (only,) if only else _LISTS:
        names = [_name(item) for side in (file, here) for item in getattr(side, field)]
        keys += [(field, name) for name in dict.fromkeys(names)]
    return keys


def _item(station: Station, key: tuple[str, str]) -> Any:
    field, name = key
    if field in _VALUES:
        return getattr(station, field)
    return next((item for item in getattr(station, field) if _name(item) == name), None)


def _name(item: Any) -> str:
    if hasattr(item, "gains_db") and hasattr(item, "band"):
        return f"{item.band} over {item.route}"
    return str(getattr(item, "key", "") or item.name)


def _what(key: tuple[str, str]) -> str:
    field, name = key
    return _VALUES.get(field) or f"{_LISTS[field]} {name}"


def _said(mine: Any, theirs: Any) -> tuple[str, str]:
    """Differing fields of two items, in words."""
    if mine is None or theirs is None or not isinstance(mine, msgspec.Struct) or type(mine) is not type(theirs):
        return _whole(mine), _whole(theirs)
    names = [n for n in mine.__struct_fields__ if getattr(mine, n) != getattr(theirs, n)]
    return tuple("; ".join(_field(side, name) for name in names) for side in (mine, theirs))  # type: ignore[return-value]


def _whole(item: Any) -> str:
    if item is None:
        return "not there"
    return "there" if isinstance(item, msgspec.Struct) else str(item)


def _field(item: Any, name: str) -> str:
    value = getattr(item, name)
    words = name.removesuffix("_hz").removesuffix("_db").removesuffix("_ppm").replace("_", " ")
    if isinstance(value, float) and name.endswith("_hz"):
        return f"{words}: {format_frequency(value)}"
    if isinstance(value, msgspec.Struct):
        inner = getattr(value, "value", None)
        return f"{words}: {inner:g}" if isinstance(inner, float) else f"another {words}"
    if isinstance(value, tuple):
        return f"{words}: {', '.join(map(str, value))}" if all(isinstance(v, str) for v in value) else f"other {words}"
    return f"{words}: {value if value != '' else 'empty'}"
