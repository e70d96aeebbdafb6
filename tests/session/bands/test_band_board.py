"""The board of bands in a session: proofs and ghosts out of the log, regions, own bands, going there."""

import pytest

from waiting import tell_truth, until
from yarddial.analysis.board.report import report_html, report_markdown
from yarddial.session.bands.band_board import worst_first
from yarddial.session.bands.verdict import bands_verdict
from yarddial.session.session import Session
from yarddial.yard.bands import Band
from yarddial.yard.errors import BadStation


def row(session: Session, name: str):  # type: ignore[no-untyped-def]
    return next(row for row in session.board.rows() if row.band.name == name)


@pytest.mark.wide
def test_a_measured_band_is_proven_and_the_others_are_not(session: Session) -> None:
    assert row(session, "31 m").todo == "measure"
    assert "0 of" in bands_verdict(session.board.rows()).sentence
    for dial_hz in (10e6, 145.2e6):
        session.desk.dial(dial_hz)
        session.calibration.measure()
        until(session, lambda: session.calibration.measuring is None)
    assert row(session, "2 m").todo == "apply"
    session.calibration.apply()
    assert row(session, "2 m").mark == "good"
    assert row(session, "10 MHz standard").mark == "good"
    assert row(session, "20 m").todo == "listen"
    session.desk.dial(10e6)
    session.span_test.test()
    until(session, lambda: not session.span_test.running)
    # Far Quay Radio at 9.62 MHz was judged true: the 31 m band is proven by it.
    assert row(session, "31 m").mark == "good"
    worst = worst_first(session.board.rows())
    assert [r.trouble for r in worst] == sorted(r.trouble for r in worst)


def test_a_ghost_in_a_band_is_remembered_by_the_log(session: Session) -> None:
    tell_truth(session, 10e6, 145.2e6)
    session.calibration.apply()
    session.board.keep_band(Band("tower's place", 4.3e6, 4.4e6, "own", "am"))
    session.desk.dial(4.3525e6)
    session.span_test.test()
    until(session, lambda: not session.span_test.running)
    found = row(session, "tower's place")
    assert found.todo == "ghosts"
    assert len(found.ghosts) == 1


def test_going_to_a_band_sets_dial_mode_and_points(session: Session) -> None:
    session.board.go(row(session, "2 m"))
    assert session.desk.station.dial_hz == 145.2e6
    assert session.desk.station.route == row(session, "2 m").route
    session.board.go(row(session, "20 m"))
    assert 14.0e6 < session.desk.station.dial_hz < 14.35e6
    assert session.desk.station.mode == "ssb"


def test_regions_differ_and_bad_bands_are_refused(session: Session) -> None:
    eighty = row(session, "80 m").band.high_hz
    session.board.choose_region(2)
    assert row(session, "80 m").band.high_hz > eighty
    session.undo()
    assert row(session, "80 m").band.high_hz == eighty
    for band in (Band("", 1e6, 2e6, "own"), Band("turned", 2e6, 1e6, "own")):
        with pytest.raises(BadStation):
            session.board.keep_band(band)


def test_the_report_tells_the_yard_its_oscillators_and_the_notes_before_the_bands(session: Session) -> None:
    session.poll()
    tell_truth(session, 145.2e6)
    until(session, lambda: not session.background.is_busy)
    session.notes.add("the gate hums at dusk")
    report = session.board.report()
    shown = {row.title: (row.value, row.entered) for row in session.calibration_sequence.rows()}
    assert {o.title: (o.value, o.entered) for o in report.oscillators} == shown
    assert {name for name, _, _ in report.routes} == {route.name for route in session.desk.station.routes}
    for text in (report_markdown(report), report_html(report)):
        places = [text.index(words) for words in ("The yard", "Its oscillators", "the gate hums at dusk", "Every band")]
        assert places == sorted(places)
