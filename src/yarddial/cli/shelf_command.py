"""`yard-dial shelf [NAME] [--save FILE]`."""

from pathlib import Path

import click

from yarddial.cli.options import answer, json_option


@click.command()
@click.argument("name", required=False)
@click.option("--save", type=click.Path(path_type=Path), help="Write the part to a file, *.part.json.")
@json_option
def command(name: str | None, save: Path | None, as_json: bool) -> None:
    """Print the shelf, or all values of one part of it."""
    from yarddial.records.part_file import save_part
    from yarddial.yard.errors import BadStation
    from yarddial.yard.part_values import origin_text, values_of
    from yarddial.yard.shelf import class_of, kind_of, shelf

    if name is None:
        rows = [(part.name, class_of(part), kind_of(part)) for part in shelf()]
        values = {"parts": [{"name": n, "class": c, "kind": k} for n, c, k in rows]}
        answer(as_json, values, "\n".join(f"{n:<24}{c:<14}{k}" for n, c, k in rows))
        return
    part = next((part for part in shelf() if part.name.lower() == name.lower()), None)
    if part is None:
        raise BadStation(f"there is no '{name}' on the shelf: `yard-dial shelf` lists what is")
    if save is not None:
        save_part(save, part)
    described = [(value.label, value.text, origin_text(value.origin)) for value in values_of(part)]
    table = {"name": part.name, "values": [{"label": a, "text": b, "origin": c} for a, b, c in described]}
    answer(as_json, table, "\n".join(f"{a:<32}{b:<28}{c}" for a, b, c in described))
