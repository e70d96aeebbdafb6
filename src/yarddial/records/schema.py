"""JSON Schema of station and part files, generated from the structs; `docs/` holds it as files."""

import json
from typing import Any

import msgspec

from yarddial.records import part_file, station_file
from yarddial.records.upgrades import FORMAT_VERSION
from yarddial.yard.parts import Part
from yarddial.yard.station import Station

_DIALECT = "https://json-schema.org/draft/2020-12/schema"


def station_schema() -> dict[str, Any]:
    """Schema of `*.yard.json`; unknown fields are allowed and kept."""
    (schema,), components = msgspec.json.schema_components([Station], ref_template="#/$defs/{name}")
    body = components.pop(schema["$ref"].rsplit("/", 1)[1])
    return _schema(
        "A yard: its parts, the routes over them, and where the dial stands", station_file.FORMAT, body, components
    )


def part_schema() -> dict[str, Any]:
    """Schema of `*.part.json`."""
    (schema,), components = msgspec.json.schema_components([Part], ref_template="#/$defs/{name}")
    body = {"type": "object", "properties": {"part": schema}, "required": ["part"]}
    return _schema("One part of a yard", part_file.FORMAT, body, components)


def schema_text(schema: dict[str, Any]) -> str:
    """The schema as written to a file."""
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"


def _schema(title: str, name: str, body: dict[str, Any], components: dict[str, Any]) -> dict[str, Any]:
    head = {"format": {"const": name}, "version": {"const": FORMAT_VERSION}}
    return {
        "$schema": _DIALECT,
        "title": title,
        "type": "object",
        "properties": head | body["properties"],
        "required": ["format", "version", *body.get("required", [])],
        "$defs": components,
    }
