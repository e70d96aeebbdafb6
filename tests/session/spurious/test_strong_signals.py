"""Strong signals: scanned for with the receiver, read from a file, remembered, and used to explain ghosts."""

from pathlib import Path

import msgspec
import pytest

from waiting import run_span_test, until
from yarddial.records.log_data import LoggedStrong
from yarddial.session.session import Session
from yarddial.yard.bands import Band
from yarddial.yard.errors import BadObservations
from yarddial.yard.strong import Strong

TOWER_HZ = 124.3525e6
AROUND_TOWER = Band("tower band", 123.6e6, 125.2e6, "aeronautical", "am")


@pytest.fixture
def running(session: Session) -> Session:
    """A receiver that runs, and a band of one's own around the tower."""
    station = session.desk.station
    only = msgspec.structs.replace(station, region=1, own_bands=(AROUND_TOWER,))
    session.desk.edit("bands", only)
    session.poll()
    session.live_receiver.start(session.desk.route)
    session.calibration.follow_dial()
    until(session, lambda: session.strong.why_not() == "")
    return session


def scan_of(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    steps = [s for s in session.strong._steps() if abs(s.route.dial_hz - TOWER_HZ) < 1.2e6]
    assert steps
    monkeypatch.setattr(session.strong, "_steps", lambda: steps)
    session.strong.scan()
    assert session.strong.running
    until(session, lambda: not session.strong.running)
    assert session.strong.trouble == ""


def test_every_reached_band_is_covered_once_by_spans_of_its_route(running: Session) -> None:
    steps = running.strong._steps()
    for band in running.desk.station.bands:
        if band.high_hz - band.low_hz > 40e6:
            continue
        near = [s for s in steps if abs(s.route.dial_hz - band.middle_hz) < s.ask.rate_hz / 2]
        reached = any(line.receiver.device and not line.at(band.middle_hz).why_not(band.middle_hz)
                      for line in running.desk.station.resolved_routes())  # fmt: skip
        # Beside a reached band, a span of it may reach into one that is not.
        assert near or not reached, band.name
    assert len({(s.route.name, s.route.dial_hz) for s in steps}) == len(steps)


def test_a_scan_finds_the_tower_and_then_its_ghost_is_called_by_its_name(
    running: Session, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    session = running
    scan_of(session, monkeypatch)
    (tower,) = [one for one in session.strong.known if abs(one.frequency_hz - TOWER_HZ) < 6e3]
    assert tower.antenna == "Discone"
    entry = session.log.shown()[0]
    assert entry.kind == "strong signals"
    session.strong.write(tmp_path / "strong.csv")
    # A session that begins anew knows them from the log.
    session.strong._yard = None
    assert entry.data == LoggedStrong(session.strong.known)
    run_span_test(session, 4.3525e6)
    here = session.span_test.at_dial()
    assert here is not None
    leaks = [cause.words for cause in here.judgement.likely if cause.kind == "leak-through"]
    assert any(tower.name in words for words in leaks)
    # Its level here is told by the ghost that it makes, and so is what would help.
    request = session.mitigation.needed()
    assert request is not None
    assert {one.kind for one in request.plan()} >= {"filter", "oscillator"}


def test_a_file_is_read_and_a_bad_row_is_named(session: Session, tmp_path: Path) -> None:
    session.poll()
    path = tmp_path / "strong.csv"
    path.write_text("frequency_hz,level_dbm,name\n96.2M,-30,Harbour 96\n1134k,-25 dBm,Saltpan\n")
    assert session.strong.read(path) == 2
    assert [one.name for one in session.strong.known] == ["Saltpan", "Harbour 96"]
    path.write_text("frequency_hz,level_dbm\n96.2M,loud\n")
    with pytest.raises(BadObservations, match="row 1"):
        session.strong.read(path)
    assert len(session.strong.known) == 2


def test_what_is_known_of_one_antenna_is_only_looked_for_by_place_on_another(session: Session) -> None:
    session.poll()
    session.strong.keep(
        [Strong(96e6, -20.0, "A", antenna="Discone"), Strong(7e6, -30.0, "B", antenna="Long wire"), Strong(9e6, -40.0)]
    )
    line = session.desk.station.resolve("Long wire over Ladder")
    assert [one.name for one in session.strong.on_antenna(line)] == ["B", ""]
    elsewhere = session.strong.elsewhere(line)
    assert {one.name for one in elsewhere} >= {"A", "Northmark Time"}
    assert {one.level_dbm for one in elsewhere} == {-30.0}
