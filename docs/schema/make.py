"""Writes the JSON Schemas of the file formats beside this file: `./yard schema`."""

from pathlib import Path

from yarddial.records.schema import part_schema, schema_text, station_schema


def main() -> None:
    """Both of them."""
    folder = Path(__file__).parent
    for name, schema in (("station.schema.json", station_schema()), ("part.schema.json", part_schema())):
        (folder / name).write_text(schema_text(schema))
        print(folder / name)


if __name__ == "__main__":
    main()
