"""All bands proven in turn, stopped, killed and gone on with: nothing is done twice."""

from collections.abc import Callable
from pathlib import Path

import msgspec

from slow_yards import slow_station
from waiting import until
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedBandRun
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.demo import DIRECT
from yarddial.yard.station import Station


def small_yard() -> Station:
    """One route and the lowest rate, so that a run is short."""
    station = slow_station()
    routes = tuple(route for route in station.routes if route.name == DIRECT)
    return msgspec.structs.replace(station, routes=routes, route=DIRECT, dial_hz=145.2e6)


def opened(folder: Path) -> Session:
    engine = EngineInline(wiring.open_device_flat_out)
    made = Session(small_yard(), engine, lambda: Logbook(folder / "log.sqlite"))
    made.poll()
    return made


def bands_done(session: Session) -> list[str]:
    return [e.data.band for e in session.log.shown() if isinstance(e.data, LoggedBandRun) and e.data.band]


def wait_for(session: Session, done: Callable[[], bool]) -> None:
    until(session, done, 400_000)


def test_a_run_that_is_killed_goes_on_where_it_was_and_proves_every_band_once(tmp_path: Path) -> None:
    first = opened(tmp_path)
    reachable = [row.band.name for row in first.board.rows() if row.route]
    first.band_run.start()
    wait_for(first, lambda: len(bands_done(first)) >= 2)
    # Killed: nothing is told, nothing is closed in order; what the log took is what there is.
    again = opened(tmp_path)
    assert again.band_run.unfinished()
    done_before = bands_done(again)
    assert len(done_before) == 2
    again.band_run.start()
    assert again.band_run.count == len(reachable) - 2
    wait_for(again, lambda: not again.band_run.running)
    assert sorted(bands_done(again)) == sorted(reachable)
    assert again.band_run.unfinished() == ""
    # Another yard that is opened meanwhile ends a run, and nothing is told of it there.
    again.band_run.start()
    again.desk.edit("name", msgspec.structs.replace(again.desk.station, name="Elsewhere"))
    wait_for(again, lambda: not again.band_run.running)
    assert all(entry.station != "Elsewhere" for entry in again.log.shown() if entry.kind == "band run")
    again.desk.undo()
    # The 2 m band has a known station: it was measured, and is proven.
    two = next(row for row in again.board.rows() if row.band.name == "2 m")
    assert two.proof is not None
    first.close()
    again.close()


def test_a_band_that_could_not_be_tested_is_tried_again_on_going_on(tmp_path: Path) -> None:
    session = opened(tmp_path)
    session.band_run.start()
    wait_for(session, lambda: len(bands_done(session)) >= 1)
    session.band_run.cancel()
    run, proven = session.band_run.unfinished(), bands_done(session)
    failing = next(r.band.name for r in session.board.rows() if r.route and r.band.name not in proven)
    told = LoggedBandRun(run, band=failing, failed="the receiver was unplugged")
    session.log.add(Entry(station=session.desk.station.name, kind="band run", text="not tested", data=told))
    session.band_run.start()
    left = set(session.band_run.ahead)
    assert failing in left
    assert not left & set(proven)
    session.band_run.cancel()
    wait_for(session, lambda: not session.jobs.leases)
    session.close()


def test_a_run_whose_receiver_is_pulled_ends_and_waits_for_no_band_of_it(tmp_path: Path) -> None:
    session = opened(tmp_path)
    finch = session.desk.station.part("Finch")
    pulled = msgspec.structs.replace(finch, device=f"{finch.device}&fault=unplug:0.5")  # type: ignore[union-attr,call-arg]
    session.desk.edit("device", session.desk.station.with_part(pulled))
    session.band_run.start()
    # Some minutes of polls for one band, and not for each of them.
    until(session, lambda: not session.band_run.running, 8_000)
    assert len(bands_done(session)) <= 2
    failed = [e.data.failed for e in session.log.shown() if isinstance(e.data, LoggedBandRun) and e.data.failed]
    assert any("unplugged" in why for why in failed)
    assert "unplugged" in session.band_run.trouble
    assert session.band_run.unfinished()
    assert not session.jobs.leases
    session.close()


def test_a_stopped_run_can_be_gone_on_with_and_turns_nobody_else_away(tmp_path: Path) -> None:
    session = opened(tmp_path)
    session.band_run.start()
    assert session.band_run.doing
    wait_for(session, lambda: len(bands_done(session)) >= 1)
    session.band_run.cancel()
    assert not session.band_run.running
    assert "gone on with" in session.band_run.trouble
    assert session.band_run.unfinished()
    wait_for(session, lambda: not session.jobs.leases)
    session.close()
