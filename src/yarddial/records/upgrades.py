"""Upgrades of older station files, one step per version, on plain JSON values."""

from collections.abc import Callable
from typing import Any

FORMAT_VERSION = 2

Raw = dict[str, Any]


def upgraded(raw: Raw) -> Raw:
    """Upgrade a file's contents to the present version; invalid contents are left for the reader to refuse."""
    for version in range(int(raw["version"]), FORMAT_VERSION):
        raw = _STEPS[version](raw) | {"version": version + 1}
    return raw


def upgraded_part(part: Any, version: int) -> Any:
    """Upgrade a part that is alone in its file."""
    raw = upgraded({"version": version, "parts": [part]})
    return raw["parts"][0]


def _from_1(raw: Raw) -> Raw:
    """Version 2 describes a receiver's ports, and an LNB's polarisation instead of its voltage."""
    parts, routes = raw.get("parts"), raw.get("routes")
    if not isinstance(parts, list):
        return raw
    ends = [route for route in routes if isinstance(route, dict)] if isinstance(routes, list) else []
    return raw | {"parts": [_part_from_1(part, ends) for part in parts]}


def _part_from_1(part: Any, routes: list[Raw]) -> Any:
    if not isinstance(part, dict):
        return part
    if part.get("type") == "lnb" and "volts" in part:
        fields = {key: value for key, value in part.items() if key != "volts"}
        volts = part["volts"]
        horizontal = isinstance(volts, int | float) and volts > 15
        return fields | ({"polarisation": "horizontal"} if horizontal else {})
    if part.get("type") == "receiver" and "ports" not in part:
        names = [
            route["port"]
            for route in routes
            if isinstance(route.get("parts"), list)
            and route["parts"][-1:] == [part.get("name")]
            and isinstance(route.get("port"), str)
            and route["port"]
        ]
        direct = part.get("direct")
        if isinstance(direct, dict) and isinstance(direct.get("port"), str):
            names.append(direct["port"])
        return part | ({"ports": [{"name": name} for name in dict.fromkeys(names)]} if names else {})
    return part


_STEPS: dict[int, Callable[[Raw], Raw]] = {1: _from_1}
