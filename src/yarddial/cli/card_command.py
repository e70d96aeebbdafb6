"""`yard-dial card --station FILE --route NAME`."""

from pathlib import Path

import click

from yarddial.cli.options import FREQUENCY, answer, json_option
from yarddial.yard.card import groupings, settings_card
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import NotWritten


@click.command()
@click.option("--station", "station_path", type=click.Path(path_type=Path), help="Station file; the demo yard without.")
@click.option("--route", "route_name", default="", help="Route; the active one without.")
@click.option("--at", "dial_hz", type=FREQUENCY, help="Place on the dial; where the dial stands without.")
@click.option("--save", type=click.Path(path_type=Path), help="Write the card to a file ending in .md or .html.")
@json_option
def command(
    station_path: Path | None, route_name: str, dial_hz: float | None, save: Path | None, as_json: bool
) -> None:
    """Print what to type into a listening program, in each convention."""
    from yarddial.records.card_text import card_html, card_markdown
    from yarddial.records.station_file import load_station
    from yarddial.records.whole_file import write_whole

    station = demo_station() if station_path is None else load_station(station_path).station
    route = station.resolve(route_name)
    card = settings_card(station, route, station.dial_hz if dial_hz is None else dial_hz, route.receiver.park_hz)
    if save is not None:
        if save.suffix not in (".html", ".md"):
            raise NotWritten(f"'{save.name}' has no ending that tells its form: use .html or .md (PDF: in the window)")
        text = card_html(card) if save.suffix == ".html" else card_markdown(card)
        write_whole(save, text.encode())
    values = {
        "route": card.route,
        "dial_hz": card.dial_hz,
        "tuner_hz": card.tuner_hz,
        "sense": card.sense,
        "offset_added_to_dial_hz": card.offset_added_to_dial_hz,
        "offset_added_to_tuner_hz": card.offset_added_to_tuner_hz,
        "lo_hz": card.lo_hz,
        "lo_side": card.lo_side,
        "cw_dial_hz": card.cw_dial_hz,
        "offset_groupings": list(groupings(card.offset_added_to_dial_hz)),
        "offset_with_swapped_iq_added_to_dial_hz": card.plain_offset_hz,
        "centre_hz": card.centre_hz,
        "rate_hz": card.rate_hz,
        "port": card.port,
        "direct_sampling_zone": card.zone,
        "gains": [{"stage": g.stage, "gain_db": g.gain_db, "control": g.control} for g in card.gains],
        "feeds": [{"source": source, "state": state} for source, state in card.feeds],
        "transceiver": None
        if card.rig is None
        else {"name": card.rig.name, "if_hz": card.rig.if_hz, "display_hz": card.rig.display_hz},
        "crystal_fast_ppm": card.crystal_fast_ppm,
        "crystal_fast_ppb": card.crystal_fast_ppb,
        "crystal_factor": card.crystal_factor,
        "crystal_hz": card.crystal_hz or None,
        "scaled_dial_ppm": card.scaled_dial_ppm,
        "shown_high_ppm": card.shown_high_ppm,
        "whole_ppm": card.whole.ppm,
        "leftover_hz_at": {
            "dial_hz": card.whole.dial_hz,
            "leftover_hz": card.whole.leftover_hz,
            "shift_hz": card.whole.shift_hz,
            "offset_added_to_dial_hz": card.whole.offset_added_to_dial_hz,
        },
    }
    answer(as_json, values, card_markdown(card).rstrip())
