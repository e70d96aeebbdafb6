"""Earlier days carried forward: what is known today, how long it serves, and what contradicts it."""

import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from slow_yards import slow_station
from waiting import tell_truth, until
from yarddial import wiring
from yarddial.analysis.stability.forecast import growth_ppm
from yarddial.engine.link import EngineInline
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedChange, LoggedCorrection, LoggedObservations
from yarddial.records.logbook import Logbook
from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.calibration.outlook import outlook, since_last_correction
from yarddial.session.calibration.verdict import lasts_sentence
from yarddial.session.finding import GoTo
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard import clock

CRYSTAL, LADDER = "crystal:Finch", "lo:Ladder"


def earlier(session: Session, days: float, ppm: float, lo_hz: float, *changes: LoggedChange) -> None:
    """An entry of some days ago that tells both oscillators apart."""
    at_utc = (datetime.now(UTC) - timedelta(days=days)).strftime("%Y-%m-%dT%H:%M:%SZ")
    known = LoggedObservations((), {CRYSTAL: (ppm, 0.004), LADDER: (lo_hz, 0.7)})
    kind, told = ("correction", LoggedCorrection(changes, 1.0)) if changes else ("observation", known)
    session.log.add(Entry(station=session.desk.station.name, kind=kind, text="earlier", at_utc=at_utc, data=told))


def test_what_was_measured_a_month_ago_still_counts_with_a_doubt_that_has_grown(session: Session) -> None:
    earlier(session, 30.0, 27.1, 410.0)
    session.calibration.recall()
    known = session.calibration.oscillators
    assert known.value(CRYSTAL) == pytest.approx(27.1, abs=0.5)
    # By its kind's habits, 0.7 ppm or so in a month; the sheet alone says 25.
    assert known.sigma(CRYSTAL) == pytest.approx(growth_ppm(30 * 86_400.0, "plain"), rel=0.5)
    assert session.calibration.touches_active_route()
    fresh_sigma = known.sigma(LADDER)
    earlier(session, 0.6, 27.1, 410.0)
    session.calibration.recall()
    assert session.calibration.oscillators.sigma(LADDER) < fresh_sigma


def test_it_is_said_how_long_the_dial_serves_and_the_reminder_comes_in_time(session: Session) -> None:
    assert lasts_sentence(session.calibration) == ""
    session.desk.choose_mode("wfm")
    earlier(session, 0.1, 27.138, 461.0)
    session.calibration.recall()
    assert "year" in lasts_sentence(session.calibration)
    # Two sigma within 500 Hz of 130 MHz, two plain oscillators: longer than their hours, shorter than their ageing.
    session.desk.choose_mode("nfm")
    serves_s = session.calibration.oscillator_estimates.serves_until_s() - seconds_of("")
    assert 3_600.0 < serves_s < 365 * 86_400.0
    assert "measure again then" in lasts_sentence(session.calibration)
    assert not [f for f in findings(session) if "days ago" in f.what]


def test_a_time_that_was_given_stays_until_something_is_measured(session: Session) -> None:
    """Looked at again and again in an hour, with nothing measured: the same time, and why the uncertainty grows."""
    moment = [datetime(2026, 12, 2, 7, 0, tzinfo=UTC)]
    clock.set_source(lambda: moment[0])
    try:
        session.poll()
        session.desk.choose_mode("nfm")
        tell_truth(session, 145.2e6)
        until(session, lambda: not session.background.is_busy)
        ends = set()
        for _ in range(30):
            moment[0] += timedelta(minutes=2)
            session.calibration.grow()
            sentence = lasts_sentence(session.calibration)
            ends.add(sentence.partition(" until about ")[2].partition(": measure")[0])
        assert len(ends) == 1
        assert ends != {""}
        assert "when measured at 07:00 UTC" in sentence
    finally:
        clock.set_source(None)


def test_an_old_measurement_asks_to_be_made_again(session: Session) -> None:
    session.desk.choose_mode("ssb")
    earlier(session, 60.0, 27.1, 410.0)
    session.calibration.recall()
    assert session.calibration.oscillator_estimates.serves_until_s() == 0.0
    (reminder,) = [f for f in findings(session) if "days ago" in f.what]
    assert "60 days ago" in reminder.what
    assert reminder.fix == GoTo("True")


def test_a_cold_receiver_is_not_believed_to_be_what_it_was_yesterday(session: Session) -> None:
    # Yesterday 4 ppm higher: 520 Hz at 130 MHz, against a fifth of a ppm of uncertainty.
    earlier(session, 1.0, 31.1, 461.0)
    session.calibration.recall()
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    assert "contradict" in session.calibration.oscillator_estimates.surprise
    assert [f for f in findings(session) if "contradict" in f.what]
    fit = session.calibration.fit
    assert fit is not None
    assert fit.inseparable
    # And what agrees is taken together with today's.
    session.calibration.forget()
    earlier(session, 0.55, 27.13, 461.0)
    session.calibration.recall()
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    assert session.calibration.oscillator_estimates.surprise == ""


def test_a_clock_that_was_set_back_is_noticed(session: Session) -> None:
    earlier(session, -2.0, 27.1, 410.0)
    session.calibration.recall()
    assert "set back" in session.calibration.oscillator_estimates.surprise
    assert [f for f in findings(session) if "set back" in f.what]


def test_the_outlook_says_what_changed_and_follows_the_temperature(session: Session) -> None:
    for days, warmth in ((90, 10.0), (60, 15.0), (40, 20.0), (20, 25.0), (5, 12.0)):
        at_utc = (datetime.now(UTC) - timedelta(days=days)).strftime("%Y-%m-%dT%H:%M:%SZ")
        ppm = 27.0 + 0.05 * (warmth - 20.0)
        session.log.add(
            Entry(station=session.desk.station.name, kind="observation", text="x", at_utc=at_utc, temperature_c=warmth,
                  data=LoggedObservations((), {CRYSTAL: (ppm, 0.01)}))
        )  # fmt: skip
    session.calibration.recall()
    found = outlook(session.calibration.oscillator_estimates.histories[CRYSTAL], datetime.now(UTC).timestamp())
    assert found.slope is not None
    assert found.slope.slope_ppm_k == pytest.approx(0.05, abs=1e-6)
    # From 25 to 12 degrees: 13 K of 0.05 ppm.
    assert "−0.65" in found.more
    assert "kelvin" in found.more
    assert found.ahead[-1].sigma_ppm > found.ahead[0].sigma_ppm
    assert found.verdict.startswith("Finch's crystal should be at")


def test_a_correction_is_compared_with_the_one_before(session: Session) -> None:
    for days, ppm in ((40, 27.0), (3, 27.2)):
        changes = [LoggedChange("Finch", "ppm", 0.0, ppm)]
        earlier(session, days, ppm, 410.0, *changes)
    compared = since_last_correction(session.log.shown(), session.desk.station.name)
    assert "Finch +0.200 ppm" in compared


def test_a_log_of_version_1_tells_what_it_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What the program of that day had entered by its own fit stands in the text of its correction."""
    old = Path(__file__).parents[2] / "records" / "files" / "log-of-version-1.sqlite"
    shutil.copy(old, tmp_path / "log.sqlite")
    monkeypatch.setattr(clock, "_source", lambda: datetime(2026, 11, 27, 8, 30, tzinfo=UTC))
    session = Session(
        slow_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log.sqlite")
    )
    until(session, lambda: session.calibration.fit is not None and not session.background.is_busy)
    (entered,) = [entry.text for entry in session.log.shown() if entry.kind == "correction"]
    assert "120.000\u202f461\u202f3 MHz" in entered
    assert "+27.138 ppm" in entered
    fit = session.calibration.fit
    assert fit is not None
    crystal, ladder = fit.estimate(CRYSTAL), fit.estimate(LADDER)
    assert crystal is not None
    assert ladder is not None
    assert crystal.value == pytest.approx(27.138, abs=3 * crystal.sigma)
    assert ladder.value == pytest.approx(461.3, abs=3 * ladder.sigma)
    (scanned,) = [entry.text for entry in session.log.shown() if entry.kind == "strong signals"]
    assert scanned == f"Bands scanned: {len(session.strong.known)} strong signals known"
    assert {row.band.name for row in session.board.rows() if row.proof} >= {"2 m", "10 MHz standard"}
    assert session.band_run.unfinished()
    session.close()
