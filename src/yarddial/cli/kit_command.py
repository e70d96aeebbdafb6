"""`yard-dial kit`."""

from pathlib import Path

import click

from yarddial.cli.options import answer, json_option


@click.command()
@click.option("--station", "file", type=click.Path(path_type=Path), help="Station file; the demo yard without.")
@click.option("--write", "target", type=click.Path(path_type=Path), help="Write the list as .md or .html.")
@json_option
def command(file: Path | None, target: Path | None, as_json: bool) -> None:
    """Print what must lie on the table for a yard: parts, leads, supplies, and the order of work."""
    from yarddial.analysis.audit.kit import kit
    from yarddial.records.kit_text import kit_html, kit_markdown
    from yarddial.records.station_file import load_station
    from yarddial.records.whole_file import write_whole
    from yarddial.yard.demo import demo_station
    from yarddial.yard.errors import NotWritten

    station = demo_station() if file is None else load_station(file).station
    sections = kit(station)
    if target is not None:
        if target.suffix not in (".md", ".html"):
            raise NotWritten(f"'{target.name}' has no ending that tells its form: use .md or .html")
        text = (kit_html if target.suffix == ".html" else kit_markdown)(station.name, sections)
        write_whole(target, text.encode())
    values = {"station": station.name, "sections": [{"title": s.title, "lines": list(s.lines)} for s in sections]}
    answer(as_json, values, "\n".join(line for s in sections for line in (f"{s.title}:", *(f"  {x}" for x in s.lines))))
