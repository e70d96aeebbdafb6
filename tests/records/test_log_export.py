"""The log written out: read back by other people's readers, whole or not at all."""

import csv
import json
from collections.abc import Callable
from pathlib import Path

import pytest

from yarddial.records.entry import Entry
from yarddial.records.log_export import export_log
from yarddial.records.logbook import Logbook
from yarddial.records.sample_file import SampleFile
from yarddial.records.sound_file import SoundFile
from yarddial.session.log import log_keeper
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.yard.errors import NotWritten

TEXTS = ("plain", 'with "quotes", a comma', "two\nlines", "−3.2 Hz ± 0.1, Ω")


@pytest.fixture
def keeper(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> LogKeeper:
    monkeypatch.setattr(log_keeper, "EXPORTED_AT_ONCE", 3)
    made = LogKeeper(lambda: Logbook(tmp_path / "log.sqlite"))
    made.open()
    for text in TEXTS * 2:
        made.add(Entry(station="Quillet Lane", kind="note", text=text, temperature_c=9.5))
    return made


def test_csv_and_json_lines_hold_every_entry_in_its_order(keeper: LogKeeper, tmp_path: Path) -> None:
    assert keeper.export(tmp_path / "log.csv") == 8
    with open(tmp_path / "log.csv", encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert [row["text"] for row in rows] == list(TEXTS * 2)
    assert [int(row["id"]) for row in rows] == list(range(1, 9))
    assert keeper.export(tmp_path / "log.jsonl") == 8
    told = [json.loads(line) for line in (tmp_path / "log.jsonl").read_text(encoding="utf-8").splitlines()]
    assert [one["text"] for one in told] == list(TEXTS * 2)
    assert told[0]["temperature_c"] == 9.5


@pytest.mark.parametrize(
    ("name", "said"), [("log.xls", "neither"), ("there.csv", "already"), ("no/such/log.csv", "cannot")]
)
def test_what_cannot_be_is_refused_and_nothing_is_left(keeper: LogKeeper, tmp_path: Path, name: str, said: str) -> None:
    (tmp_path / "there.csv").write_text("mine")
    before = sorted(tmp_path.iterdir())
    with pytest.raises(NotWritten, match=said):
        keeper.export(tmp_path / name)
    assert sorted(tmp_path.iterdir()) == before
    assert (tmp_path / "there.csv").read_text() == "mine"


@pytest.mark.parametrize("name", ["x" * 300, "no\x00where"])
def test_a_name_that_no_file_can_have_is_one_sentence(tmp_path: Path, name: str) -> None:
    """300 letters are more than a name may have; each writer says so, none ends in a fault of the program."""
    writers: list[Callable[[], object]] = [
        lambda: export_log([], tmp_path / f"{name}.csv"),
        lambda: SoundFile(tmp_path / f"{name}.wav", 48e3),
        lambda: SampleFile(tmp_path / name, 1e6, 1e6, {}, new=True),
    ]
    for write in writers:
        with pytest.raises(NotWritten) as refused:
            write()
        assert "\n" not in str(refused.value)
    assert not list(tmp_path.iterdir())
