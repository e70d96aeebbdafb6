"""From the demo yard as shipped to a true dial, without a window; truth is held by the simulator."""

from collections.abc import Callable
from pathlib import Path

import msgspec
import pytest

from slow_yards import LOW_RATE_HZ, low_rate, with_finch
from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import heron_world, quillet_world
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.calibration.verdict import true_verdict
from yarddial.session.finding import Act, GoTo
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.parts import Converter, Receiver
from yarddial.yard.shelf import shelf

Finish = Callable[[Session], None]


def session_for(seed: int, folder: Path) -> Session:
    station = with_finch(f"simulated:finch?seed={seed}&{low_rate()}", LOW_RATE_HZ)
    made = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(folder / f"log{seed}.sqlite"))
    made.calibration.chosen_s = 2.0
    return made


def true_error_hz(session: Session, seed: int, route: str, hertz: float) -> float:
    return true_dial_error_hz(quillet_world(seed), session.desk.station.resolve(route), hertz)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_two_measurements_a_fit_and_apply_make_the_dial_true(seed: int, tmp_path: Path, finish: Finish) -> None:
    session = session_for(seed, tmp_path)
    session.calibration.measure()
    finish(session)
    assert session.calibration.fit is not None
    assert "cannot yet be separated" in session.calibration.fit.inseparable[0]
    session.desk.step_reference(+1)
    assert session.desk.station.route == DIRECT
    session.calibration.measure()
    finish(session)
    # One direct and one through the converter: nothing checks either of them.
    assert true_verdict(session.calibration, mode_named("am")).consequence.endswith("rests on one measurement alone.")
    session.calibration.apply()
    assert abs(true_error_hz(session, seed, VIA_LADDER, 10e6)) < 1.0
    assert abs(true_error_hz(session, seed, DIRECT, 145.2e6)) < 2.0
    state = session.calibration.state()
    assert abs(true_error_hz(session, seed, DIRECT, 145.2e6) - state.error_hz) < 3 * state.sigma_hz
    session.calibration.measure(verifying=True)
    finish(session)
    kinds = [entry.kind for entry in session.log.shown()]
    assert kinds == ["verification", "correction", "observation", "observation"]
    session.close()


def test_the_points_may_lead_to_another_receiver_while_one_runs(session: Session, finish: Finish) -> None:
    """Northmark Time over Finch, then over Heron, whose crystal is truly off by about -0.6 ppm: each is told apart."""
    session.calibration.measure()
    finish(session)
    session.desk.choose_route(VIA_HEARTH)
    session.calibration.measure()
    finish(session)
    assert session.live_receiver.device_name == "Heron"
    error_hz = session.calibration.observations[-1].error_hz
    heron_hz = true_dial_error_hz(heron_world(1), session.desk.route, 10e6)
    # The sky-wave wanders by a quarter of a hertz.
    assert error_hz == pytest.approx(heron_hz, abs=0.4)
    session.desk.choose_route(HEARTH_IF)
    session.calibration.measure()
    finish(session)
    assert session.live_receiver.device_name == "Finch"
    truth_hz = true_dial_error_hz(quillet_world(1), session.desk.route, 10e6)
    assert session.calibration.observations[-1].error_hz == pytest.approx(truth_hz, abs=0.4)
    session.desk.choose_route(VIA_LADDER)
    session.calibration.measure()
    finish(session)
    assert session.calibration.observations[-1].route == VIA_LADDER


def test_a_receiver_without_a_driver_is_said(session: Session) -> None:
    session.building.new_route()
    for name in ("Long wire", "Wide-band receiver"):
        part = next(part for part in shelf() if part.name == name)
        session.building.add(part)
    session.toggle_receiver()
    session.poll()
    assert "no receiver is chosen for Wide-band receiver" in session.live_receiver.trouble
    assert not session.live_receiver.wanted


def test_before_they_can_be_told_apart_both_are_entered_together(session: Session, finish: Finish) -> None:
    """The sum is known: the dial is true where it was measured; elsewhere it is no worse than its uncertainty says."""
    places = ((VIA_LADDER, 1.134e6), (DIRECT, 145.2e6))
    before = [abs(true_error_hz(session, 1, route, hertz)) for route, hertz in places]
    session.calibration.measure()
    finish(session)
    proposal = session.calibration.proposal()
    assert proposal is not None
    assert proposal.together == (("crystal:Finch", "lo:Ladder"),)
    assert {change.part for change in proposal.changes} == {"Finch", "Ladder"}
    assert "of Finch's crystal and Ladder's oscillator the sum is known" in proposal.sentence
    # It is as much worth entering where the dial stands on a route that the sum is nothing to.
    session.desk.choose_route(VIA_HEARTH)
    elsewhere = session.calibration.proposal()
    assert elsewhere is not None
    assert elsewhere.changes == proposal.changes
    session.desk.choose_route(VIA_LADDER)
    session.calibration.apply()
    assert not (again := session.calibration.proposal()) or again.is_nothing
    # A single look may be at something else by a little: its own uncertainty of it, twice.
    assert abs(true_error_hz(session, 1, VIA_LADDER, 10e6)) < 2 * session.calibration.state(dial_hz=10e6).sigma_hz
    for (route, hertz), was_hz in zip(places, before, strict=True):
        line = session.desk.station.resolve(route)
        left_hz = abs(true_error_hz(session, 1, route, hertz))
        assert left_hz < was_hz
        assert left_hz < 3 * session.calibration.state(line, hertz).sigma_hz


def test_apply_can_be_undone_and_redone_and_the_log_says_so(session: Session, finish: Finish) -> None:
    before = session.desk.station
    for _ in range(2):
        session.calibration.measure()
        finish(session)
        session.desk.step_reference(+1)
    session.desk.dial(145.2e6)
    session.calibration.apply()
    corrected = session.desk.station
    finch, ladder = corrected.part("Finch"), corrected.part("Ladder")
    assert isinstance(finch, Receiver)
    assert isinstance(ladder, Converter)
    assert finch.crystal_ppm.provenance == "measured"
    assert ladder.lo_hz.replaces == before.part("Ladder").lo_hz  # type: ignore[union-attr]
    assert session.undo() == "correction"
    assert session.desk.station.parts == before.parts
    assert session.redo() == "correction"
    assert session.desk.station.parts == corrected.parts
    assert [entry.kind for entry in session.log.shown()][:3] == ["undo", "undo", "correction"]


def test_a_place_without_a_known_station_cannot_be_measured(session: Session) -> None:
    session.desk.dial(3.3e6)
    session.calibration.measure()
    assert session.calibration.measuring is None
    assert "no known station" in session.calibration.why_not_measure()


def test_a_silent_reference_is_a_failure_in_words_and_changes_nothing(session: Session, finish: Finish) -> None:
    """The yard believes in a station that is not on the air."""
    station = session.desk.station
    ghost = msgspec.structs.replace(station.references[0], name="Nobody", frequency_hz=4.4e6)
    session.desk.edit("reference", msgspec.structs.replace(station, references=(ghost,)))
    session.desk.dial(4.4e6)
    session.calibration.measure()
    finish(session)
    assert session.calibration.outcome is not None
    assert session.calibration.outcome.kind == "failed"
    assert session.calibration.observations == ()
    verdict = true_verdict(session.calibration, mode_named("am"))
    assert verdict.mark == "stop"
    assert "no carrier stands out" in verdict.consequence.lower()


def test_cancelling_forgets_the_measurement_and_nothing_else(session: Session, finish: Finish) -> None:
    session.calibration.measure()
    finish(session)
    session.calibration.measure()
    session.poll()
    session.calibration.cancel()
    for _ in range(400):
        session.poll()
    assert len(session.calibration.observations) == 1
    assert session.calibration.outcome is not None
    assert session.calibration.outcome.kind == "cancelled"


@pytest.mark.parametrize("change", ["route", "correction", "undo"])
def test_what_retunes_the_receiver_ends_the_measurement_in_words(session: Session, finish: Finish, change: str) -> None:
    finch = session.desk.route.receiver
    session.desk.edit("ppm", session.desk.station.with_part(msgspec.structs.replace(finch, entered_ppm=5.0)))
    session.calibration.measure()
    session.poll()
    if change == "route":
        session.desk.choose_route(DIRECT)
        session.desk.choose_route(VIA_LADDER)
    elif change == "correction":
        again = msgspec.structs.replace(session.desk.route.receiver, entered_ppm=27.0)
        session.desk.edit("ppm", session.desk.station.with_part(again))
    else:
        session.undo()
    finish(session)
    assert session.calibration.measuring is None
    assert session.calibration.outcome is not None
    assert session.calibration.outcome.kind == ("cancelled" if change == "route" else "failed")
    assert change == "route" or "measure again" in session.calibration.outcome.text
    assert session.calibration.observations == ()
    assert session.log.shown() == ()


def test_moving_the_dial_away_cancels(session: Session) -> None:
    session.calibration.measure()
    session.desk.dial(145.2e6)
    assert session.calibration.measuring is None


def test_todays_observations_are_found_again_in_the_log(tmp_path: Path, finish: Finish) -> None:
    first = session_for(1, tmp_path)
    first.calibration.measure()
    finish(first)
    first.close()
    again = session_for(1, tmp_path)
    again.poll()
    assert again.calibration.observations == first.calibration.observations
    assert again.calibration.fit is not None


def test_findings_lead_from_measuring_to_applying_to_nothing(session: Session, finish: Finish) -> None:
    assert findings(session)[0].fix == Act("measure")
    session.calibration.measure()
    finish(session)
    assert {GoTo("True"), Act("apply")} <= {finding.fix for finding in findings(session)}
    session.desk.step_reference(+1)
    session.calibration.measure()
    finish(session)
    session.calibration.apply()
    assert findings(session) == ()


def test_a_held_route_stays_and_says_what_would_reach(session: Session) -> None:
    session.desk.hold(True)
    session.desk.dial(145.2e6)
    assert session.desk.station.route == VIA_LADDER
    assert findings(session)[0].fix == Act("free the route")
    session.desk.hold(False)
    session.desk.dial(145.3e6)
    assert session.desk.station.route == DIRECT


def test_the_picture_shows_the_carrier_where_the_error_is(session: Session, finish: Finish) -> None:
    """Rows of the picture are dial frequency; the line must lie at the dial's error."""
    session.calibration.measure()
    finish(session)
    for _ in range(60):
        session.poll()
    pen = session.live_receiver.picture.dial_columns[-1]
    rows = pen.level_db.shape[1]
    loudest = pen.level_db.mean(axis=0).argmax()
    offset_hz = (loudest - rows / 2) / (rows / 2) * pen.half_span_hz
    assert offset_hz == pytest.approx(session.calibration.state().error_hz, abs=2.5 * pen.half_span_hz / (rows / 2))


def test_a_recording_is_a_receiver_like_any_other(tmp_path: Path, finish: Finish) -> None:
    from yarddial.cli.program import run

    assert run(["simulate", str(tmp_path / "hf"), "--centre", "9.8M", "--seconds", "5", "--seed", "4"]) == 0
    station = demo_station()
    receiver = msgspec.structs.replace(station.resolve().receiver, device=f"recording:{tmp_path / 'hf.sigmf-meta'}")
    opener = wiring.open_device_flat_out
    session = Session(station.with_part(receiver), EngineInline(opener), lambda: Logbook(tmp_path / "log.sqlite"))
    session.calibration.measure()
    finish(session)
    (seen,) = session.calibration.observations
    assert seen.error_hz == pytest.approx(true_error_hz(session, 4, VIA_LADDER, 10e6), abs=0.3)
    session.desk.dial(5e6)
    session.calibration.measure()
    session.poll()
    assert "covers" in session.live_receiver.trouble


def test_forty_observations_that_contradict_each_other_are_fitted_beside_the_session(session: Session) -> None:
    """Taking them in only hands them over; the answer comes at a later poll."""
    session.poll()
    asked: list[str] = []
    ask = session.background.ask
    session.background.ask = lambda topic, *more: (asked.append(topic), ask(topic, *more))[1]  # type: ignore[method-assign, assignment]
    seen = [
        Observation("Finch", hertz, 1.0, hertz / (1 + 27e-6) + (-1) ** i * 400.0 * i, 0.1, (), reference_name=f"R{i}")
        for i, hertz in enumerate(range(90_000_000, 130_000_000, 1_000_000))
    ]
    session.calibration.take_in(seen, "file", "forty of them")
    assert asked.count("the fit") == 1
    assert session.calibration.fit is None
    assert session.background.is_busy
