"""Text from outside is shown and never obeyed: on terminals, in tables, in pages. One hostile vocabulary for all."""

import csv
import io
import json
import re
from html.parser import HTMLParser
from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.audit.kit import kit
from yarddial.analysis.board.report import Report, report_csv, report_html, report_markdown
from yarddial.analysis.board.row import Proof, row_of
from yarddial.cli.program import run
from yarddial.records.band_file import write_bands
from yarddial.records.card_text import card_html, card_markdown
from yarddial.records.entry import Entry
from yarddial.records.kit_text import kit_html, kit_markdown
from yarddial.records.log_export import export_log
from yarddial.records.station_file import StationFile
from yarddial.records.strong_file import read_strong, write_strong
from yarddial.yard.bands import Band
from yarddial.yard.card import settings_card
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.oscillators import known_oscillators
from yarddial.yard.plain_text import csv_cell, from_csv, markdown_text
from yarddial.yard.station import Station
from yarddial.yard.strong import Strong

HOSTILE = (
    "\x1b[2J\x1b]0;owned\x07", "\x9b31m", "a\u202egpj.exe", "\u2066mask\u2069", '=HYPERLINK("//x","y")', "+1+1",
    "-2+3", "@SUM(1)", "\t=1", "<script>alert(1)</script>", "<img src=x onerror=y>", "[a](javascript:b)", "![a](b)",
    "a|b", "`c`", "*d*", "# e", "\r\nf",
)  # fmt: skip
# What a terminal obeys: controls but for the end of a line, and marks of direction.
OBEYED = re.compile("[\x00-\x09\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")


class Tags(HTMLParser):
    """Tags and attributes of a page."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: set[str] = set()
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found |= {tag, *(f"@{name}" for name, _ in attrs)}


def hostile_station(name: str) -> Station:
    """The demo yard with the name as note, station, antenna and route."""
    station = msgspec.structs.replace(demo_station(), name=f"Q {name}")
    references = tuple(msgspec.structs.replace(one, name=f"{one.name} {name}") for one in station.references)
    return msgspec.structs.replace(station, references=references)


def report_of(name: str) -> Report:
    """Two bands of the demo yard, one proven, with the name wherever a person's text stands."""
    station = demo_station()
    bands = (Band(name, 14.0e6, 14.35e6, name), Band(f"far {name}", 60e9, 61e9, "x"))
    proofs = [Proof("2026-11-25T12:00:00Z", name)]
    known = known_oscillators(station)
    rows = tuple(row_of(station, band, known, frozenset(), (), proofs) for band in bands)
    return Report(name, 1, "2026-11-25T12:30:00Z", rows)


def cells_of(text: str) -> list[str]:
    return [cell for row in csv.reader(io.StringIO(text)) for cell in row]


def is_formula(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return cell.startswith(("=", "+", "-", "@", "\t", "\r"))
    return False


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_name_is_shown_in_every_page_and_table(name: str, tmp_path: Path) -> None:
    station = hostile_station(name)
    report = report_of(name)
    card = settings_card(station, station.resolve(VIA_LADDER), station.dial_hz)
    sections = kit(station)
    usual = Tags(report_html(report_of("plain"))).found
    assert Tags(report_html(report)).found <= usual
    for page in (card_html(card), kit_html(name, sections)):
        assert not Tags(page).found & {"script", "@onerror"}
    for page in (report_markdown(report), card_markdown(card), kit_markdown(name, sections)):
        assert not OBEYED.search(page)
        assert not re.search(r"(?<!\\)<(script|img)|(?<!\\)\[a\]", page)
    assert not [cell for cell in cells_of(report_csv(report)) if is_formula(cell)]
    entry = Entry(station=name, kind="note", text=name, route=name, at_utc="2026-12-01T20:00:00Z")
    export_log([entry], tmp_path / "log.csv")
    assert not [cell for cell in cells_of((tmp_path / "log.csv").read_text()) if is_formula(cell)]
    write_strong(tmp_path / "strong.csv", [Strong(1e6, -30.0, name)])
    assert not [cell for cell in cells_of((tmp_path / "strong.csv").read_text()) if is_formula(cell)]
    write_bands(tmp_path / "bands.csv", [Band(name, 1e6, 2e6, "x", source=name)])
    assert not [cell for cell in cells_of((tmp_path / "bands.csv").read_text()) if is_formula(cell)]


@pytest.mark.parametrize("name", [*HOSTILE[:4], "\udce4"])
def test_a_hostile_name_reaches_no_terminal(name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "yard.yard.json"
    station = hostile_station(name if name.isascii() or ord(name[0]) < 0xD800 else "")
    StationFile(path, station).save(station)
    for words in (["bands"], ["bench"], ["kit"], ["card", "--route", VIA_LADDER], ["reach", "10M"]):
        for more in ([], ["--json"]):
            run([*words, "--station", str(path), *more])
            printed = capsys.readouterr()
            assert not OBEYED.search(printed.out + printed.err)
            if more and printed.out:
                json.loads(printed.out)
    for words in (["frequency", name], ["measure", f"/no/{name}"]):
        run(words)
        printed = capsys.readouterr()
        assert not OBEYED.search(printed.out + printed.err)


@given(st.text(max_size=40))
def test_a_cell_is_read_as_it_was_written_and_is_no_formula(text: str) -> None:
    cell = csv_cell(text)
    assert not is_formula(cell)
    plain = csv_cell(from_csv(cell))
    assert plain == cell
    assert "\n" not in markdown_text(text)


def test_strong_signals_come_back_with_the_names_they_had(tmp_path: Path) -> None:
    written = [Strong(1e6, -30.0, "=1+1"), Strong(2e6, -31.0, "'tis"), Strong(3e6, -32.0, "-9")]
    write_strong(tmp_path / "strong.csv", written)
    assert [one.name for one in read_strong(tmp_path / "strong.csv")] == ["=1+1", "'tis", "-9"]
