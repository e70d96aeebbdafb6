"""Single parts as files: `*.part.json`, to copy between yards; and filters from a measured Touchstone file."""

import json
from pathlib import Path

import msgspec

from yarddial.records import reading
from yarddial.records.reading import cut, one_line_of
from yarddial.records.station_file import read_json
from yarddial.records.upgrades import FORMAT_VERSION, upgraded_part
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation
from yarddial.yard.parts import Part
from yarddial.yard.plain_text import shown
from yarddial.yard.station import Station, checked

FORMAT = "yard-dial-part"


def save_part(path: Path, part: Part) -> None:
    """Write one part; raises NotWritten."""
    content = {"format": FORMAT, "version": FORMAT_VERSION, "part": msgspec.to_builtins(part)}
    write_whole(path, (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode())


def load_part(path: Path) -> Part:
    """Read one part from `*.part.json` or, as a filter, from `*.s2p`; raises BadStation in one sentence."""
    if path.suffix.lower() == ".s2p":
        from yarddial.records.touchstone import load_filter

        return load_filter(path)
    raw = read_json(path, FORMAT, reading.PART)
    try:
        part: Part = msgspec.convert(upgraded_part(raw.get("part"), raw["version"]), Part)
        checked(Station("one part", parts=(part,)))
    except (msgspec.ValidationError, RecursionError, OverflowError, BadStation) as error:
        raise BadStation(cut(f"{shown(path.name)}: {one_line_of(error)}")) from error
    return part
