"""Nobody's work is written over: other programs, other windows, read-only files, what lies beside."""

import json
import os
import stat
import threading
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial import wiring
from yarddial.records.recovery import Recovery
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.whole_file import digest_of, replace_known, take_leftovers, write_whole
from yarddial.session.finding import Act
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.session.station.versions import differences, merged
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import ChangedElsewhere, NotWritten


@pytest.fixture
def path(tmp_path: Path) -> Path:
    """The demo yard in a file."""
    place = tmp_path / "yard" / "my.yard.json"
    place.parent.mkdir()
    StationFile(place, demo_station()).save(demo_station())
    return place


def by_an_editor(path: Path, part: str, note: str) -> None:
    """Another program sets a note, as a person does in an editor."""
    raw = json.loads(path.read_text())
    next(one for one in raw["parts"] if one["name"] == part)["note"] = note
    path.write_text(json.dumps(raw, indent=2))


def note_of(path: Path, part: str) -> str:
    return load_station(path).station.part(part).note


def acts(session: Session) -> list[str]:
    return [finding.fix.what for finding in findings(session) if isinstance(finding.fix, Act)]


def test_what_another_program_wrote_is_not_written_over_by_an_edit_and_both_can_be_had(path: Path) -> None:
    session = wiring.open_session(path)
    by_an_editor(path, "Discone", "theirs")
    by_an_editor(path, "Long wire", "theirs too")
    session.building.set_value("Ladder", "note", "ours")
    session.building.set_value("Long wire", "note", "ours too")
    session.desk.save_dial(wait=True)
    assert (note_of(path, "Discone"), note_of(path, "Ladder")) == ("theirs", demo_station().part("Ladder").note)
    assert "compare versions" in acts(session)
    assert session.file.saver is not None
    found = {one.what: one for one in session.file.saver.differences(session.desk.station)}
    assert {what: one.changed_by for what, one in found.items()} == {
        "part Discone": "file", "part Ladder": "here", "part Long wire": "both"
    }  # fmt: skip
    assert found["part Long wire"].file == "note: theirs too"
    session.file.merge_versions({one.key: one.usual for one in found.values()})
    session.desk.save_dial(wait=True)
    notes = [note_of(path, name) for name in ("Discone", "Ladder", "Long wire")]
    assert notes == ["theirs", "ours", "ours too"]
    assert "compare versions" not in acts(session)
    kept = [
        load_station(place).station.part("Long wire").note for place in (path.parents[1] / "data").rglob("*-other-*")
    ]
    assert "theirs too" in kept
    assert session.undo() == "both versions of the file"
    session.close()


def test_turning_the_dial_and_closing_writes_over_nobody(path: Path) -> None:
    session = wiring.open_session(path)
    by_an_editor(path, "Discone", "theirs")
    session.desk.dial(7.1e6)
    session.close()
    assert note_of(path, "Discone") == "theirs"
    again = wiring.open_session(path)
    assert again.file.recovered is None, "the dial alone is no edit"
    again.close()


def test_edits_against_a_changed_file_are_offered_at_the_next_start(path: Path) -> None:
    session = wiring.open_session(path)
    by_an_editor(path, "Discone", "theirs")
    session.building.set_value("Ladder", "note", "ours")
    session.close()
    again = wiring.open_session(path)
    assert again.file.recovered is not None
    assert again.file.recovered.part("Ladder").note == "ours"
    again.building.set_value("Dish", "note", "something else")
    again.desk.save_dial(wait=True)
    again.close()
    third = wiring.open_session(path)
    assert third.file.recovered is not None, "not taken, so not dropped either"
    third.file.recover()
    third.close()
    # The edits alone are laid over what was changed by others in the meantime.
    assert [note_of(path, name) for name in ("Ladder", "Discone", "Dish")] == ["ours", "theirs", "something else"]
    fourth = wiring.open_session(path)
    assert fourth.file.recovered is None
    fourth.close()


def test_an_unreadable_version_of_another_program_can_be_replaced_and_is_kept(path: Path) -> None:
    session = wiring.open_session(path)
    path.write_text('{"half":')
    session.building.set_value("Ladder", "note", "ours")
    session.desk.save_dial(wait=True)
    assert session.file.saver is not None
    assert session.file.saver.conflict is not None
    assert "no readable JSON" in session.file.saver.conflict.why_not
    session.file.merge_versions({})
    session.desk.save_dial(wait=True)
    session.close()
    assert note_of(path, "Ladder") == "ours"
    assert '{"half":' in [p.read_text() for p in (path.parents[1] / "data").rglob("*-other-*")]


def test_two_windows_on_one_file_know_of_each_other_and_neither_writes_over_the_other(path: Path) -> None:
    one, other = wiring.open_session(path), wiring.open_session(path)
    one.building.set_value("Ladder", "note", "of the first")
    one.desk.save_dial(wait=True)
    other.building.set_value("Dish", "note", "of the second")
    other.desk.save_dial(wait=True)
    one.desk.save_dial(wait=True)
    assert one.file.saver is not None
    assert other.file.saver is not None
    assert (one.file.saver.others, other.file.saver.others) == (1, 1)
    assert any("another window has" in finding.what for finding in findings(one))
    assert note_of(path, "Ladder") == "of the first"
    other.file.merge_versions({one.key: one.usual for one in other.file.saver.differences(other.desk.station)})
    other.close()
    assert (note_of(path, "Ladder"), note_of(path, "Dish")) == ("of the first", "of the second")
    one.file.saver.check = lambda: None  # type: ignore[method-assign]
    one.close()


@given(st.integers(0, 7), st.integers(0, 7), st.data())
def test_laid_together_each_thing_is_as_its_chosen_side_has_it(ours: int, theirs: int, data: st.DataObject) -> None:
    base = demo_station()
    names = ("Long wire", "Discone", "Dish")

    def changed(bits: int, note: str) -> object:
        import msgspec

        station = base
        for i, name in enumerate(names):
            if bits >> i & 1:
                station = station.with_part(msgspec.structs.replace(station.part(name), note=note))
        return station

    here, file = changed(ours, "ours"), changed(theirs, "theirs")
    found = differences(base, here, file)  # type: ignore[arg-type]
    assert {one.key[1] for one in found} == {name for i, name in enumerate(names) if (ours | theirs) >> i & 1}
    chosen = {one.key: data.draw(st.sampled_from(("here", "file"))) for one in found}
    station = merged(here, file, chosen)  # type: ignore[arg-type]
    for name in names:
        side = here if chosen.get(("parts", name)) == "here" else file
        assert station.part(name) == side.part(name)  # type: ignore[attr-defined]


def test_a_saver_that_fails_in_any_way_says_so_and_the_station_can_be_kept_elsewhere(path: Path) -> None:
    session = wiring.open_session(path)
    assert session.file.saver is not None
    session.file.saver._file.save = lambda station: 1 // 0  # type: ignore[assignment, func-returns-value, method-assign]
    session.building.set_value("Ladder", "note", "ours")
    session.desk.save_dial(wait=True)
    assert "save elsewhere" in acts(session)
    kept = session.file.save_elsewhere(path.with_name("copy"))
    assert note_of(kept, "Ladder") == "ours"
    with pytest.raises(NotWritten, match="there already"):
        session.file.save_elsewhere(kept)
    session.close()


def test_a_read_only_file_is_asked_about(path: Path) -> None:
    path.chmod(0o444)
    session = wiring.open_session(path)
    session.building.set_value("Ladder", "note", "ours")
    session.desk.save_dial(wait=True)
    assert note_of(path, "Ladder") != "ours"
    assert "write read-only" in acts(session)
    session.file.write_read_only()
    session.close()
    assert note_of(path, "Ladder") == "ours"
    assert stat.S_IMODE(path.stat().st_mode) == 0o444


@pytest.mark.parametrize("mode", [0o644, 0o664, 0o600])
def test_mode_links_attributes_and_other_peoples_files_stay(path: Path, mode: int) -> None:
    path.chmod(mode)
    link = path.with_name("link.yard.json")
    link.symlink_to(path.name)
    strangers = [path.with_name(name) for name in (".my.yard.json.swp", ".my.yard.json.bak", ".my.yard.json.notes")]
    for stranger in strangers:
        stranger.write_text("of somebody else")
        os.utime(stranger, (1, 1))
    session = wiring.open_session(link)
    session.building.set_value("Ladder", "note", "ours")
    session.close()
    assert link.is_symlink()
    assert note_of(path, "Ladder") == "ours"
    assert stat.S_IMODE(path.stat().st_mode) == mode
    assert all(stranger.exists() for stranger in strangers)
    before = path.stat().st_mtime_ns
    again = wiring.open_session(path)
    again.desk.save_anew()
    again.close()
    assert path.stat().st_mtime_ns == before, "nothing was changed, so nothing is written"


def test_a_writer_who_comes_between_the_look_and_the_swap_keeps_what_he_wrote(tmp_path: Path) -> None:
    """Thousands of tries against a thread that writes as fast as it can: no version of either is lost unseen."""
    path = tmp_path / "x"
    write_whole(path, b"0")
    lost, done = [], threading.Event()
    written: set[bytes] = set()

    def other() -> None:
        number = 0
        while not done.is_set():
            number += 1
            data = b"theirs %d" % number
            try:
                replace_known(path, data, digest_of(path.read_bytes()))
                written.add(data)
            except (ChangedElsewhere, FileNotFoundError):
                pass

    thread = threading.Thread(target=other)
    thread.start()
    for number in range(200):
        known, data = path.read_bytes(), b"ours %d" % number
        try:
            replace_known(path, data, digest_of(known))
        except ChangedElsewhere as error:
            if not error.theirs.startswith((b"theirs", b"ours")):
                lost.append(error.theirs)
    done.set()
    thread.join()
    assert not lost
    assert path.read_bytes().split()[0] in (b"ours", b"theirs")
    assert [p.name for p in tmp_path.iterdir()] == ["x"]


def test_a_version_that_a_killed_save_had_put_aside_is_found_again(path: Path) -> None:
    ours, theirs = path.read_bytes(), path.read_bytes().replace(b"Quillet", b"Quartet")
    digest = digest_of(ours)[:16]
    for name, content in (("1", ours), ("2", ours[:99]), ("3", theirs)):
        leftover = path.with_name(f".my.yard.json.{name}.{digest}.{digest}.yard-dial-new")
        leftover.write_bytes(content)
        os.utime(leftover, (1, 1))
    (found,) = take_leftovers(path)
    assert found.read_bytes() == theirs
    assert sorted(p.name for p in path.parent.iterdir()) == sorted([path.name, found.name])


def test_what_was_kept_counts_whatever_the_clock_says(path: Path, tmp_path: Path) -> None:
    recovery, station = Recovery(tmp_path / "unsaved"), demo_station()
    kept = recovery.keep(path, station.with_part(load_station(path).station.part("Ladder")))
    assert Recovery(tmp_path / "unsaved").find(path) is None, "the same as the file"
    import msgspec

    changed = msgspec.structs.replace(station, name="Changed")
    kept = recovery.keep(path, changed)
    # A year back: older than the file by its time.
    os.utime(kept, (1, 1))
    assert Recovery(tmp_path / "unsaved").find(path) == changed
