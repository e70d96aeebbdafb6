"""Parts alone in a file, measured filters, older station files, the published schema."""

import json
from math import log10
from pathlib import Path

import jsonschema
import pytest

from mutation import TOUCHSTONE
from random_yard import random_yard
from yarddial.records.part_file import load_part, save_part
from yarddial.records.schema import part_schema, schema_text, station_schema
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import DEMO_PARTS, demo_station
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.parts import Lnb, Part, Receiver, TwoPort
from yarddial.yard.station import checked

FILES = Path(__file__).parent / "files"


@pytest.mark.parametrize("part", DEMO_PARTS, ids=lambda part: part.name)
def test_every_part_comes_back_from_its_file(tmp_path: Path, part: Part) -> None:
    path = tmp_path / "x.part.json"
    save_part(path, part)
    assert load_part(path) == part


def test_a_measured_filter_is_read_with_its_edges(tmp_path: Path) -> None:
    """3 dB under the best point lies between 30 MHz (-1 dB) and 60 MHz (-40 dB), linear in dB over log frequency."""
    path = tmp_path / "Low-pass.s2p"
    path.write_text(TOUCHSTONE)
    part = load_part(path)
    assert isinstance(part, TwoPort)
    assert (part.name, part.gain_db.value, part.gain_db.provenance) == ("Low-pass", -0.2, "measured")
    share = (-3.2 + 1.0) / (-40.0 + 1.0)
    edge = 30e6 * 10 ** (share * log10(2.0))
    assert part.edges_hz() == pytest.approx((0.0, edge), rel=1e-6)
    assert part.why_not(7e6) == ""
    assert "passes 0 Hz to 31" in part.why_not(50e6)
    assert part.gain_at_db(30e6) == pytest.approx(-1.0)


@pytest.mark.parametrize(
    ("content", "words"),
    [("", "cannot be read"), ("# MHz S DB R 50\n", "fewer than two"), ("# MHz S DB R 50\n1 2\n", "cannot be read"),
     ("[Version] 2.0\n[Number of Ports] 4096\n", "a filter has 2"), ("hello", "cannot be read")],
)  # fmt: skip
def test_a_bad_touchstone_file_is_one_sentence(tmp_path: Path, content: str, words: str) -> None:
    path = tmp_path / "x.s2p"
    path.write_text(content)
    with pytest.raises(BadStation) as refused:
        load_part(path)
    assert "x.s2p" in str(refused.value)
    assert "\n" not in str(refused.value)


def test_a_touchstone_reader_never_unpickles(tmp_path: Path) -> None:
    import pickle

    class Trap:
        def __reduce__(self) -> tuple[object, tuple[str]]:
            return (Path.touch, (str(tmp_path / "sprung"),))

    (tmp_path / "x.s2p").write_bytes(pickle.dumps(Trap()))
    with pytest.raises(BadStation):
        load_part(tmp_path / "x.s2p")
    assert not (tmp_path / "sprung").exists()


def test_foreign_and_broken_part_files_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "x.part.json"
    for content, words in (("{}", "no part file"), ('{"format": "yard-dial-part", "version": 2}', "x.part.json"),
                           ('{"format": "yard-dial-part", "version": 9}', "version 9")):  # fmt: skip
        path.write_text(content)
        with pytest.raises(BadStation, match=words):
            load_part(path)
    with pytest.raises(NotWritten):
        save_part(tmp_path / "none" / "x.part.json", DEMO_PARTS[0])


def test_the_slices_first_files_are_upgraded_with_nothing_lost() -> None:
    slice_ = load_station(FILES / "version-1-slice.yard.json").station
    assert [route.port for route in slice_.routes] == ["ladder", "discone"]
    finch = slice_.part("Finch")
    assert isinstance(finch, Receiver)
    assert [port.name for port in finch.ports] == ["ladder", "discone"]
    raw = json.loads((FILES / "version-1-slice.yard.json").read_text())
    assert (raw["version"], len(slice_.parts), slice_.dial_hz) == (1, len(raw["parts"]), raw["dial_hz"])
    whole = load_station(FILES / "version-1-all-parts.yard.json").station
    saucer, heron = whole.part("Saucer"), whole.part("Heron")
    assert isinstance(saucer, Lnb)
    assert isinstance(heron, Receiver)
    # It was set to 18 V, which chooses the horizontal polarisation; the direct input became a port.
    assert saucer.polarisation == "horizontal"
    assert "direct" in [port.name for port in heron.ports]
    checked(whole)


def test_an_upgraded_file_is_saved_as_of_today_and_keeps_what_nobody_knows(tmp_path: Path) -> None:
    raw = json.loads((FILES / "version-1-all-parts.yard.json").read_text())
    raw["weather"] = "rain"
    path = tmp_path / "old.yard.json"
    path.write_text(json.dumps(raw))
    file = load_station(path)
    file.save(file.station)
    again = json.loads(path.read_text())
    assert (again["version"], again["weather"]) == (2, "rain")
    assert "volts" not in next(part for part in again["parts"] if part["name"] == "Saucer")
    assert load_station(path).station == file.station


def test_the_published_schemas_are_of_today_and_accept_what_is_saved(tmp_path: Path) -> None:
    docs = Path(__file__).parents[2] / "docs" / "schema"
    assert (docs / "station.schema.json").read_text() == schema_text(station_schema())
    assert (docs / "part.schema.json").read_text() == schema_text(part_schema())
    judge = jsonschema.Draft202012Validator(station_schema())
    path = tmp_path / "x.yard.json"
    for station in (demo_station(), *(random_yard(seed) for seed in range(15))):
        StationFile(path, station).save(station)
        raw = json.loads(path.read_text())
        judge.validate(raw)
        assert not judge.is_valid(raw | {"dial_hz": "ten"})
    save_part(path, DEMO_PARTS[2])
    jsonschema.Draft202012Validator(part_schema()).validate(json.loads(path.read_text()))
