"""Watching a carrier, readings by hand, and the measurement that would help most."""

import msgspec
import numpy as np
import pytest

from slow_yards import LOW_RATE_HZ, low_rate
from waiting import until
from yarddial.analysis.correction.fit import fit
from yarddial.analysis.correction.next_measurement import MEASURED_HZ, next_measurement
from yarddial.analysis.correction.posterior import merge, priors_of
from yarddial.session.calibration.other_methods import read_with_sigma
from yarddial.session.session import Session
from yarddial.yard.errors import BadFrequency, BadObservations
from yarddial.yard.observation import Observation, seen_stage
from yarddial.yard.oscillators import dial_state, stated_oscillators


def test_a_cold_receiver_is_watched_warming_up(session: Session) -> None:
    finch = session.desk.station.part("Finch")
    cold = session.desk.station.with_part(
        msgspec.structs.replace(
            finch, device=f"simulated:finch?cold=60&{low_rate()}", rate_hz=LOW_RATE_HZ, rates_hz=(LOW_RATE_HZ,)
        )
    )
    session.desk.edit("cold", cold)
    session.desk.dial(145.2e6)
    session.desk.choose_mode("cw")
    assert session.carrier_watch.why_not() == ""
    session.carrier_watch.choose_point(1.0)
    session.carrier_watch.start()
    session.carrier_watch.choose_point(5.0)
    until(session, lambda: len(session.carrier_watch.points) >= 9)
    points = session.carrier_watch.points
    # What was chosen while it ran changed nothing.
    # A block of the receiver lasts 0.06 s: so much more than a second a point may take.
    assert [point.time_s for point in points[:3]] == pytest.approx([0.0, 1.0, 2.0], abs=0.12)
    # The demo yard's Finch is some 31 ppm fast when cold and 27 when warm.
    assert points[0].ppm == pytest.approx(31.0, abs=1.0)
    # Four parts in a million that wear off over a minute: half of one in nine seconds.
    assert points[-1].ppm < points[0].ppm - 0.3
    session.carrier_watch.stop()
    found = session.carrier_watch.warm_up
    assert found is not None
    assert found.size_ppm > 0.3
    assert not found.has_settled
    entry = session.log.shown()[0]
    assert entry.kind == "watch"
    assert "still warming up" in entry.text
    session.carrier_watch.start()
    session.desk.dial(10e6)
    until(session, lambda: not session.carrier_watch.running)
    assert session.carrier_watch.trouble


def test_the_proposed_measurement_is_the_best_of_all_by_brute_force(session: Session) -> None:
    station = session.desk.station
    line = station.active_route().at(10e6)
    lines, oscillators = station.resolved_routes(), stated_oscillators(station)
    proposal = next_measurement(lines, station.references, oscillators, [(line, 10e6)])
    assert proposal is not None
    assert proposal.before_hz == pytest.approx(dial_state(line, 10e6, oscillators).sigma_hz)
    best = float("inf")
    for other in lines:
        for reference in station.references:
            if other.why_not(reference.frequency_hz):
                continue
            seen = tuple(seen_stage(converter) for converter in other.at(reference.frequency_hz).converters)
            look = Observation(
                other.receiver.name, reference.frequency_hz, reference.sigma_hz, reference.frequency_hz, MEASURED_HZ,
                seen, other.receiver.entered_ppm,
            )  # fmt: skip
            after = merge(oscillators, fit([look], priors_of(station)))
            best = min(best, dial_state(line, 10e6, after).sigma_hz)
    assert proposal.after_hz == pytest.approx(best, rel=1e-3)
    assert proposal.is_worth_it
    assert session.calibration.suggestion.now() == proposal


@pytest.mark.parametrize(
    ("text", "hertz", "sigma"),
    [
        ("10.000 037 MHz", 10_000_037.0, 1.0),
        ("10000037", 10_000_037.0, 1.0),
        ("145.2M ± 5 Hz", 145.2e6, 5.0),
        ("9.99 MHz", 9.99e6, 1e4),
        ("10.0003 MHz +- 20", 10_000_300.0, 20.0),
    ],
)
def test_a_reading_without_a_doubt_is_as_good_as_its_last_digit(text: str, hertz: float, sigma: float) -> None:
    assert read_with_sigma(text) == (pytest.approx(hertz), pytest.approx(sigma))


def test_readings_by_hand_enter_the_fit_and_bad_ones_are_refused(session: Session) -> None:
    session.other_methods.read_dial("9.996 933 MHz ± 3 Hz")
    fit_found = session.calibration.fit
    assert fit_found is not None
    assert fit_found.observations[0].error_hz == pytest.approx(-3_067.0)
    assert session.log.shown()[0].method == "reading by hand"
    # One reading over crystal and oscillator: only their sum is known.
    assert fit_found.inseparable
    assert np.isfinite(session.calibration.state().sigma_hz)
    for bad, kind in (("loud", BadFrequency), ("10 MHz ± 0", BadFrequency), ("14.1 MHz", BadObservations)):
        with pytest.raises(kind):
            session.other_methods.read_dial(bad)
    session.desk.dial(14.2e6)
    with pytest.raises(BadObservations, match="known station"):
        session.other_methods.read_dial("14.2 MHz")
    assert len(session.calibration.observations) == 1


def test_while_a_carrier_is_watched_nobody_else_measures(session: Session) -> None:
    session.desk.dial(145.2e6)
    session.carrier_watch.start()
    assert session.calibration.why_not_measure() == "a carrier is being watched"
    session.calibration.measure()
    assert session.calibration.measuring is None
    until(session, lambda: len(session.carrier_watch.points) >= 2)
    session.carrier_watch.stop()
    assert session.calibration.why_not_measure() == ""
