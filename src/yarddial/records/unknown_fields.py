"""Preservation of unknown fields: they are written back where they were found."""

from typing import Any

import msgspec


def with_unknown(value: Any, raw: Any) -> Any:
    """Merge a struct into the JSON it was read from, keeping keys that the struct does not know.

    List items are matched by their `name`; a part that changed its type keeps nothing.
    """
    if isinstance(value, msgspec.Struct):
        plain = _encoded(value)
        known = {field.encode_name for field in msgspec.structs.fields(value)} | set(plain)
        if not isinstance(raw, dict) or raw.get("type") != plain.get("type"):
            return {key: with_unknown(item, None) for key, item in plain.items()}
        laid = {key: with_unknown(item, raw.get(key)) for key, item in plain.items()}
        return laid | {key: item for key, item in raw.items() if key not in known}
    if isinstance(value, tuple | list):
        named = _by_name(raw)
        return [with_unknown(item, named.get(getattr(item, "name", None))) for item in value]
    if isinstance(value, dict):
        return {key: with_unknown(item, raw.get(key) if isinstance(raw, dict) else None) for key, item in value.items()}
    return value


def _encoded(value: msgspec.Struct) -> dict[str, Any]:
    """The struct's fields under their encoded names, without defaults where the struct omits them."""
    written = msgspec.to_builtins(value)
    unknown = {"type": written["type"]} if "type" in written else {}
    return unknown | {
        field.encode_name: getattr(value, field.name)
        for field in msgspec.structs.fields(value)
        if field.encode_name in written
    }


def _by_name(raw: Any) -> dict[Any, Any]:
    items = raw if isinstance(raw, list) else []
    return {item["name"]: item for item in items if isinstance(item, dict) and isinstance(item.get("name"), str)}
