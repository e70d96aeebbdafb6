"""Whatever a file is or holds: a sentence or a good load, at once, and of no more than its kind may have."""

import os
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from yarddial.cli.program import program
from yarddial.records.band_file import read_bands
from yarddial.records.observation_file import read_observations
from yarddial.records.part_file import load_part, save_part
from yarddial.records.recordings import open_recording
from yarddial.records.sounds import read_sound
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.strong_file import read_strong
from yarddial.records.touchstone import load_filter
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import BadStation, YardDialError
from yarddial.yard.plain_text import shown, shown_in

READERS: dict[str, Callable[[Path], object]] = {
    "x.yard.json": load_station, "x.part.json": load_part, "x.s2p": load_filter, "bands.csv": read_bands,
    "bands.json": read_bands, "strong.csv": read_strong, "seen.csv": read_observations, "x.wav": open_recording,
    "x.sigmf-meta": open_recording, "sound.wav": read_sound,
}  # fmt: skip
STATION = '{"format":"yard-dial-station","version":2,"name":"x",'
OBSERVED = "reference_hz,reference_sigma_hz,measured_hz,sigma_hz,through"


def refusal_of(read: Callable[[Path], object], path: Path) -> str:
    """What is said, which must come at once: a reader that waits is left behind, and found out."""
    said: list[str] = []

    def run() -> None:
        try:
            read(path)
            said.append("taken")
        except YardDialError as error:
            said.append(str(error))

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    thread.join(20)
    assert said, "it waits"
    return said[0]


@pytest.mark.parametrize("name", READERS)
@pytest.mark.parametrize("special", ["pipe", "device", "folder", "gone"])
def test_only_files_are_read(tmp_path: Path, name: str, special: str) -> None:
    path = tmp_path / name
    if special == "pipe":
        os.mkfifo(path)
    elif special == "device":
        path.symlink_to("/dev/zero")
    elif special == "folder":
        path.mkdir()
    said = refusal_of(READERS[name], path)
    assert said != "taken"
    assert len(said) <= 300
    assert "\n" not in said


def test_what_a_person_leads_in_by_a_pipe_of_their_own_is_read(tmp_path: Path) -> None:
    read, write = os.pipe()
    os.write(write, b"frequency_hz,level_dbm\n1M,-30\n")
    os.close(write)
    (one,) = read_strong(Path(f"/dev/fd/{read}"))
    assert one.frequency_hz == 1e6
    os.close(read)


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("bands.csv", "name,low_hz,high_hz\n" + '"' + "x" * 200_000 + '",1,2\n', "no readable CSV"),
        ("strong.csv", "frequency_hz,level_dbm\n" + '"' + "x" * 200_000 + '",1\n', "no readable CSV"),
        ("seen.csv", OBSERVED + "\n" + '"' + "x" * 200_000 + '",1,1,1,\n', "no readable CSV"),
        ("bands.csv", "name,low_hz,high_hz\n" + "x,1M,2M\n" * 2_001, "more than 2,000 rows"),
        ("strong.csv", "frequency_hz,level_dbm\n" + "1M,-30\n" * 3_001, "more than 3,000 rows"),
        ("seen.csv", OBSERVED + "\n" + "1M,1,1M,1,\n" * 100_001, "more than 100,000 rows"),
        ("bands.json", "[" * 100_000, "no readable JSON"),
        ("x.yard.json", "[" * 100_000, "no readable JSON"),
        ("x.part.json", '{"a":' * 3_000 + "1" + "}" * 3_000, "no readable JSON"),
        ("x.yard.json", STATION + '"parts":[' + "1," * 1_000 + "1]}", "1,001 parts"),
        ("x.yard.json", STATION + '"routes":[' + "1," * 200 + "1]}", "201 routes"),
        ("bands.csv", "name,low_hz,high_hz\n" + "y" * 5_000 + ",0,0\n", "two ends above 0"),
        ("seen.csv", OBSERVED + "\n" + "1M,1,1M,1," + "q" * 9_000 + "\n", "row 1"),
    ],
)  # fmt: skip
def test_too_much_and_too_deep_is_refused_in_one_sentence(tmp_path: Path, name: str, text: str, said: str) -> None:
    path = tmp_path / name
    path.write_text(text)
    told = refusal_of(READERS[name], path)
    assert said in told
    assert len(told) <= 300


def test_a_description_of_half_a_million_notes_is_refused_before_it_is_held_against_the_standard(
    tmp_path: Path,
) -> None:
    note = '{"core:sample_start":0,"core:sample_count":1}'
    (tmp_path / "x.sigmf-data").write_bytes(bytes(2_000))
    head = (
        '{"global":{"core:datatype":"cu8","core:sample_rate":1e6,"core:version":"1.2.0"},"captures":[],"annotations":['
    )
    (tmp_path / "x.sigmf-meta").write_text(head + ",".join([note] * 500_000) + "]}")
    assert "more than 20,000" in refusal_of(open_recording, tmp_path / "x.sigmf-meta")


def test_a_recording_of_any_length_is_measured_by_its_beginning(tmp_path: Path) -> None:
    """A hundred gigabytes that take no room on the disk: all but the first seconds is a hole."""
    import numpy as np

    path, rate_hz = tmp_path / "long.raw", 1 << 21
    turns = np.exp(2j * np.pi * 10_000 * np.arange(1 << 21) / rate_hz).astype(np.complex64).view(np.float32)
    with path.open("wb") as file:
        for _ in range(8):
            file.write(np.round(turns * 100 + 127.5).astype(np.uint8).tobytes())
        file.truncate(100 << 30)
    given = ["--format", "cu8", "--rate", "2097152", "--centre", "10M", "--near", "10.01M", "--within", "1k"]
    done = CliRunner().invoke(program, ["measure", str(path), *given])
    assert done.exit_code == 0, done.output
    assert "10.010 MHz" in done.output
    assert "the first 8.0 s were used" in done.output


def test_a_name_that_is_no_text_is_shown_and_saved(tmp_path: Path) -> None:
    """A filter from a file whose name holds a byte that is no UTF-8, and half of a surrogate pair in a station file."""
    strange = tmp_path / os.fsdecode(b"low\xdfpass.s2p")
    strange.write_text("# MHz S DB R 50\n1 -30 10 -0.2 -5 -0.2 -5 -30 10\n9 -30 10 -9.2 -5 -0.2 -5 -30 10\n")
    part = load_filter(strange)
    assert part.name == "low⟨byte DF⟩pass"
    save_part(tmp_path / "x.part.json", part)
    assert load_part(tmp_path / "x.part.json") == part
    path = tmp_path / "x.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    path.write_text(path.read_text().replace("Quillet Lane", "Quillet\\ud800 \\u202eenaL"))
    file = load_station(path)
    assert file.station.name == "Quillet⟨U+D800⟩ ⟨U+202E⟩enaL"
    file.save(file.station)
    assert load_station(path).station == file.station


@given(st.text(st.characters()), st.recursive(st.text(st.characters()) | st.integers() | st.none(), st.lists))
def test_whatever_text_comes_in_can_be_written_and_is_seen(text: str, value: object) -> None:
    told = shown(text)
    assert told.encode() == shown(told).encode()
    assert all(letter.isprintable() or letter in "\n\t" or letter.isspace() for letter in told if ord(letter) < 0xA0)
    assert shown_in(shown_in(value)) == shown_in(value)


def test_depth_is_bounded() -> None:
    deep: object = 1
    for _ in range(100):
        deep = [deep]
    with pytest.raises(RecursionError):
        shown_in(deep)
    with pytest.raises(BadStation):
        load_station(Path("/nowhere/x.yard.json"))
