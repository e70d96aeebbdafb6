"""Which oscillator leaks: odds by hand, and the true one found in samples of the simulated receiver."""

from math import exp, pi, sqrt

import pytest

from yarddial.analysis.correction.lo_leak import Glimpse, weigh_leaks
from yarddial.cli.program import run
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.session.calibration.lo_leak_recording import leak_in_recording
from yarddial.session.session import Session
from yarddial.yard.errors import BadObservations
from yarddial.yard.parts import Converter


def test_odds_follow_from_a_gaussian_against_chance() -> None:
    """By hand: 0.9 N(400; 0, s) + 0.1 / (2 w) 0.2 over 0.2 / (2 w), the unseen one 0.1 / 0.8, none of them 0.1.

    N is of both classes, seven tenths within 5 ppm and three within 30.
    """
    within = 11e3
    spreads = [
        (share, sqrt((120e6 * ppm * 1e-6) ** 2 + (120.0004e6 * 1e-6) ** 2)) for share, ppm in ((0.7, 5), (0.3, 30))
    ]
    density = sum(share * exp(-0.5 * (400 / s) ** 2) / (s * sqrt(2 * pi)) for share, s in spreads)
    answer = weigh_leaks([Glimpse(120e6, within, 120.0004e6, 1.0), Glimpse(125e6, within)], 0.0, 1.0)
    chance = 0.2 / (2 * within)
    seen = (0.9 * density + 0.1 * chance) / chance
    total = seen + 0.1 / 0.8 + 0.1
    assert [c.stated_hz for c in answer.candidates] == [120e6, 125e6, 0.0]
    assert answer.candidates[0].odds == pytest.approx(seen / total, rel=1e-9)
    assert answer.lo_hz == 120.0004e6
    assert answer.sigma_hz == pytest.approx(sqrt(120.0**2 + 1), rel=1e-3)


def test_nothing_seen_names_nothing_and_nothing_to_look_at_is_refused() -> None:
    answer = weigh_leaks([Glimpse(100e6, 9e3), Glimpse(120e6, 11e3)], 0.0, 25.0)
    assert (answer.lo_hz, answer.decided) == (None, False)
    assert "no carrier" in answer.sentence()
    with pytest.raises(BadObservations):
        weigh_leaks([], 0.0, 25.0)


@pytest.mark.parametrize("seed", [1, 5])
def test_the_leak_is_found_in_a_recording_and_says_how_far_off_it_is(tmp_path, seed: int) -> None:  # type: ignore[no-untyped-def]
    out = tmp_path / "leak"
    where = ("--centre", "0.3M", "--route", "ladder", "--seconds", "0.5", "--seed", str(seed))
    assert run(["simulate", str(out), *where]) == 0
    world = quillet_world(seed)
    answer = leak_in_recording(out, (120e6, 120.6e6), world.crystal_ppm, 0.1)
    assert answer.candidates[0].stated_hz == 120e6
    assert answer.lo_hz == pytest.approx(120e6 + world.ports[0].stages[0].lo_error_hz, abs=0.5)
    with pytest.raises(BadObservations):
        leak_in_recording(out, (200e6,), 0.0, 1.0)


def test_the_running_receiver_looks_at_each_stated_value_and_comes_back(session: Session) -> None:
    with pytest.raises(BadObservations, match="none of the stated"):
        session.lo_leak_scan.start((5e9,))
    session.lo_leak_scan.start((100e6, 120e6, 5e9))
    for _ in range(5_000):
        session.poll()
        if not session.lo_leak_scan.running:
            break
    answer = session.lo_leak_scan.answer
    assert answer is not None
    assert [glimpse.stated_hz for glimpse in answer.glimpses] == [100e6, 120e6]
    assert answer.glimpses[0].shown_hz is None
    # Finch's crystal is 25 ppm in uncertainty: the leak shows 3.2 kHz low, and the answer's uncertainty says as much.
    world = quillet_world(1)
    assert answer.lo_hz is not None
    assert abs(answer.lo_hz - 120e6 - world.ports[0].stages[0].lo_error_hz) < 3 * answer.sigma_hz
    assert session.live_receiver.tuner.requested is not None
    assert abs(session.live_receiver.tuner.requested.middle_hz - 130e6) < 1e3
    before_hz = true_dial_error_hz(world, session.desk.route, 10e6)
    session.building.use_oscillator("Ladder", 120e6, answer.lo_hz, answer.sigma_hz)
    ladder = session.desk.station.part("Ladder")
    assert isinstance(ladder, Converter)
    assert (ladder.lo_hz.provenance, ladder.nominal_lo_hz, ladder.entered_lo_hz) == (
        "measured", 120e6, pytest.approx(answer.lo_hz, abs=0.06),
    )  # fmt: skip
    # The crystal's share at the leak is entered with it: what is left is its share between the leak and the station.
    assert abs(true_dial_error_hz(world, session.desk.route, 10e6)) < 0.15 * abs(before_hz)
    session.undo()
    assert true_dial_error_hz(world, session.desk.route, 10e6) == before_hz


def test_moving_the_dial_ends_the_search_in_words(session: Session) -> None:
    session.lo_leak_scan.start((120e6,))
    session.desk.dial(5e6)
    assert not session.lo_leak_scan.running
    assert "meanwhile" in session.lo_leak_scan.trouble
