"""Station files: whole or not at all, unknown fields kept, bad ones refused in one sentence."""

import json
import os
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import BadStation, NotWritten, YardDialError


@pytest.fixture
def path(tmp_path: Path) -> Path:
    place = tmp_path / "quillet.yard.json"
    StationFile(place, demo_station()).save(demo_station())
    return place


def test_save_load_save_gives_the_same_bytes(path: Path) -> None:
    before = path.read_bytes()
    file = load_station(path)
    assert file.station == demo_station()
    file.save(file.station)
    assert path.read_bytes() == before


def test_fields_of_a_later_version_survive_a_save(path: Path) -> None:
    raw = json.loads(path.read_text())
    raw["colour"] = "spruce"
    raw["parts"][2]["serial"] = "L-0042"
    raw["parts"][2]["lo_hz"]["certificate"] = {"by": "Harbour lab"}
    path.write_text(json.dumps(raw))
    file = load_station(path)
    ladder = file.station.parts[2]
    file.save(file.station.with_part(msgspec.structs.replace(ladder, note="mended")))
    again = json.loads(path.read_text())
    assert again["colour"] == "spruce"
    assert again["parts"][2]["serial"] == "L-0042"
    assert again["parts"][2]["lo_hz"]["certificate"] == {"by": "Harbour lab"}
    assert again["parts"][2]["note"] == "mended"


def test_a_known_field_back_at_its_default_is_not_kept_as_unknown(path: Path) -> None:
    file = load_station(path)
    file.save(msgspec.structs.replace(file.station, held=True))
    file.save(msgspec.structs.replace(file.station, held=False))
    assert load_station(path).station.held is False


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "other"}, "no station file"),
        ({"version": 99}, "version 99"),
        ({"version": "1"}, "version"),
        ({"route": "gone"}, "gone"),
        ({"dial_hz": "ten"}, "dial_hz"),
        ({"parts": [{"type": "kettle", "name": "x"}]}, "kettle"),
        ({"parts": {}}, "parts"),
    ],
)
def test_a_file_that_makes_no_sense_is_refused_with_the_place(path: Path, change: dict[str, Any], words: str) -> None:
    path.write_text(json.dumps(json.loads(path.read_text()) | change))
    with pytest.raises(BadStation, match=words) as refused:
        load_station(path)
    assert path.name in str(refused.value)


@given(st.data())
def test_a_mutated_file_loads_or_gives_one_sentence(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    place = tmp_path_factory.mktemp("fuzz") / "x.yard.json"
    StationFile(place, demo_station()).save(demo_station())
    content = bytearray(place.read_bytes())
    for _ in range(data.draw(st.integers(1, 5))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    place.write_bytes(bytes(content))
    try:
        load_station(place)
    except YardDialError as refused:
        assert "\n" not in str(refused)


def test_a_write_that_fails_leaves_the_old_file(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = path.read_bytes()

    def no_room(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", no_room)
    file = load_station(path)
    with pytest.raises(NotWritten, match="untouched"):
        file.save(msgspec.structs.replace(file.station, name="other"))
    assert path.read_bytes() == before
    assert [p.name for p in path.parent.iterdir()] == [path.name]


def test_a_missing_or_foreign_file_is_said(tmp_path: Path) -> None:
    with pytest.raises(BadStation, match="no such file"):
        load_station(tmp_path / "none.yard.json")
    (tmp_path / "x.yard.json").write_text("[" * 100_000)
    with pytest.raises(BadStation, match=r"x\.yard\.json"):
        load_station(tmp_path / "x.yard.json")


@pytest.mark.parametrize("mode", [0o644, 0o664, 0o600])
def test_saving_keeps_mode_and_owner(tmp_path: Path, mode: int) -> None:
    path = tmp_path / "a.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    path.chmod(mode)
    before = path.stat()
    StationFile(path, demo_station()).save(demo_station())
    after = path.stat()
    assert (after.st_mode & 0o7777, after.st_uid, after.st_gid) == (mode, before.st_uid, before.st_gid)


def test_a_new_file_is_as_the_umask_has_it(tmp_path: Path) -> None:
    usual = os.umask(0o027)
    StationFile(tmp_path / "a.yard.json", demo_station()).save(demo_station())
    os.umask(usual)
    assert (tmp_path / "a.yard.json").stat().st_mode & 0o777 == 0o640


def test_a_link_stays_a_link_and_what_it_leads_to_is_saved(tmp_path: Path) -> None:
    real, link = tmp_path / "real.yard.json", tmp_path / "link.yard.json"
    StationFile(real, demo_station()).save(demo_station())
    link.symlink_to(real)
    changed = msgspec.structs.replace(demo_station(), name="Another lane")
    load_station(link).save(changed)
    assert link.is_symlink()
    assert load_station(real).station.name == "Another lane"
