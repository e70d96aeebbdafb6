"""Bands judged: reach, truth against what is used there, ghosts, proof, and the one thing to do."""

import csv
import re
from base64 import b64decode

import msgspec
import pytest

from yarddial.analysis.board.report import Report, dials_svg, report_csv, report_html, report_markdown
from yarddial.analysis.board.row import Proof, row_of
from yarddial.analysis.ghosts.scene import Ghost
from yarddial.yard.bands import BAND_TABLE, Band, bands_of
from yarddial.yard.demo import VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.oscillators import Oscillators, known_oscillators, stated_oscillators
from yarddial.yard.reach import reaching

TWENTY = Band("20 m", 14.0e6, 14.35e6, "amateur")


def known(crystal_ppm: float, lo_hz: float, sigma_ppm: float = 0.003, sigma_hz: float = 0.5) -> Oscillators:
    """The demo yard's oscillators with two of them measured."""
    stated = stated_oscillators(demo_station())
    values, variances = list(stated.values), [stated.covariance[i][i] for i in range(len(stated.names))]
    for name, value, sigma in (("crystal:Finch", crystal_ppm, sigma_ppm), ("lo:Ladder", lo_hz, sigma_hz)):
        i = stated.names.index(name)
        values[i], variances[i] = value, sigma**2
    size = range(len(values))
    rows = tuple(tuple(variances[i] if i == j else 0.0 for j in size) for i in size)
    return Oscillators(stated.names, tuple(values), rows)


MEASURED = frozenset({"crystal:Finch", "lo:Ladder"})


def test_what_is_to_be_done_follows_the_order_of_the_work() -> None:
    station = demo_station()
    stated = known_oscillators(station)
    assert row_of(station, TWENTY, stated, frozenset()).todo == "measure"
    # The crystal measured 27 ppm fast, nothing entered: 3.6 kHz low at 134 MHz.
    off = row_of(station, TWENTY, known(27.0, 400.0), MEASURED)
    assert off.todo == "apply"
    assert off.error_hz == pytest.approx(-27e-6 * 134.3e6 + 400.0, abs=5.0)
    true = row_of(station, TWENTY, known(0.0, 0.0), MEASURED)
    assert (true.mark, true.todo) == ("unknown", "listen")
    ghost = Ghost(14.2e6, -90.0, "mirror", (), "x")
    assert row_of(station, TWENTY, known(0.0, 0.0), MEASURED, (ghost,)).todo == "ghosts"
    proven = row_of(station, TWENTY, known(0.0, 0.0), MEASURED, (), [Proof("2026-11-25T12:00:00Z", "heard")])
    assert (proven.mark, proven.todo) == ("good", "")
    grown = row_of(station, TWENTY, known(0.0, 0.0, 0.2, 0.5), MEASURED)
    # 0.2 ppm of 134 MHz is 27 Hz, and SSB bears 25.
    assert (grown.mark, grown.todo) == ("look", "measure")


def test_reach_decides_first_and_a_band_half_reached_is_said_to_be() -> None:
    station = demo_station()
    nowhere = row_of(station, Band("far", 60e9, 61e9, "x", "cw"), known(0.0, 0.0), MEASURED)
    assert (nowhere.mark, nowhere.todo, nowhere.route) == ("stop", "bench", "")
    half = row_of(station, Band("edge", 1.13e9, 1.17e9, "x", "wfm"), known(0.0, 0.0), MEASURED)
    assert half.todo == "bench"
    assert 0.0 < half.reached < 1.0
    bare = msgspec.structs.replace(station, routes=(), route="")
    assert row_of(bare, TWENTY, known(0.0, 0.0), MEASURED).mark == "stop"


@pytest.mark.parametrize("region", [1, 2, 3])
def test_the_bands_of_every_region_rise_and_are_named_once(region: int) -> None:
    bands = bands_of(region)  # type: ignore[arg-type]
    assert [b.low_hz for b in bands] == sorted(b.low_hz for b in bands)
    assert len({b.name for b in bands}) == len(bands)
    assert all(b.low_hz < b.high_hz and region in b.regions for b in bands)
    assert all(b in BAND_TABLE for b in bands)
    rows = [row_of(demo_station(), band, known(0.0, 0.0), MEASURED) for band in bands]
    for row in rows:
        assert bool(row.route) == bool(row.reached)
        if row.reached == 1.0:
            assert row.route in [line.name for line in reaching(demo_station(), row.band.middle_hz)]


def test_the_report_tells_every_band_in_each_form_and_its_picture_is_to_scale() -> None:
    station = demo_station()
    reached = [band for band in bands_of(1) if band.low_hz > 50e3]
    bands = (*reached[:6], Band("far | out <b>", 60e9, 61e9, "x", "cw"))
    proof = Proof("2026-11-25T12:00:00Z", "heard <it>")
    rows = tuple(row_of(station, band, known(0.0, 12.5, 0.001, 2.0), MEASURED, (), [proof]) for band in bands)
    report = Report(station.name, 1, "2026-11-25T12:30:00Z", rows)
    read = list(csv.DictReader(report_csv(report).splitlines()))
    assert [float(line["low_hz"]) for line in read] == [band.low_hz for band in bands]
    assert [float(line["error_hz"]) for line in read[:-1]] == [row.error_hz for row in rows[:-1]]
    assert read[-1]["error_hz"] == ""
    text = report_markdown(report)
    table = [line for line in text.splitlines() if line.startswith("|")]
    assert len(table) == len(bands) + 2
    # Six columns each, though one band has a bar in its name.
    assert {len(re.findall(r"(?<!\\)\|", line)) for line in table} == {7}
    page = report_html(report)
    assert "far | out &lt;b&gt;" in page
    assert "heard <it>" not in page
    pictures = re.findall(r"base64,([^']+)'", page)
    assert len(pictures) == len(bands)
    # A row whose error is a quarter of what its mode bears has its bar an eighth of the width right of the middle.
    bears = rows[0].mode.tolerance_hz
    quarter = msgspec.structs.replace(rows[0], error_hz=bears / 4, sigma_hz=bears / 100)
    low, width = map(float, re.findall(r"x='([\d.]+)' y='3.0' width='([\d.]+)'", dials_svg((quarter,)))[0])
    assert low + width / 2 == pytest.approx(150 + 300 / 8, abs=0.1)
    assert width == pytest.approx(300 / 100, abs=0.1)
    assert b64decode(pictures[0]).decode() == dials_svg(rows[:1])


def test_what_was_heard_over_another_route_proves_nothing_of_this_one() -> None:
    station = demo_station()
    over = {name: Proof("2026-11-25T12:00:00Z", "heard", name) for name in (VIA_LADDER, VIA_HEARTH)}
    rows = [row_of(station, TWENTY, known(0.0, 0.0), MEASURED, (), [one]) for one in over.values()]
    (own, other) = (one for one in sorted(over, key=lambda name: name != rows[0].route))
    assert row_of(station, TWENTY, known(0.0, 0.0), MEASURED, (), [over[other], over[own]]).mark == "good"
    elsewhere = row_of(station, TWENTY, known(0.0, 0.0), MEASURED, (), [over[other]])
    assert elsewhere.mark == "unknown"
    assert f"heard over {other}, not yet over this route" in elsewhere.verdict


def test_a_band_that_was_looked_at_in_vain_says_when() -> None:
    looks = [Proof("2026-11-25T12:34:00Z", "20 m: 0 true, 0 ghosts")]
    row = row_of(demo_station(), TWENTY, known(0.0, 0.0), MEASURED, (), (), looks)
    assert "nothing stood out on 2026-11-25 at 12:34 UTC" in row.verdict
    assert row.proof is None
