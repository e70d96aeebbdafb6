"""Which oscillator is in the box, against path arithmetic."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.correction.which_lo import which_lo
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency_conversion import SamplingClock, Stage, trace

STATED = (100e6, 116e6, 120e6, 125e6)


@given(
    st.sampled_from(STATED),
    st.sampled_from(["sum", "high"]),
    st.floats(-20, 20),
    st.floats(-40, 40),
    st.floats(1e6, 30e6),
)
def test_the_stated_value_that_is_true_is_found(
    true_hz: float, kind: str, lo_ppm: float, crystal_ppm: float, station_hz: float
) -> None:
    stage = Stage(kind, true_hz, true_hz * lo_ppm * 1e-6)  # type: ignore[arg-type]
    shown_hz = trace(station_hz, [stage], SamplingClock(crystal_ppm)).shown_hz
    found = which_lo(stage.kind, station_hz, shown_hz, STATED)
    assert found.candidates[0].stated_hz == true_hz
    assert found.decided
    assert abs(found.lo_hz - true_hz - stage.lo_error_hz) < 4 * found.sigma_hz
    assert sum(candidate.odds for candidate in found.candidates) == pytest.approx(1.0)


def test_a_known_crystal_sharpens_the_answer() -> None:
    shown_hz = trace(10e6, [Stage("sum", 120e6, 412.0)], SamplingClock(27.0)).shown_hz
    found = which_lo("sum", 10e6, shown_hz, STATED, crystal_ppm=27.0, crystal_sigma_ppm=0.01, sigma_hz=0.5)
    assert found.lo_hz == pytest.approx(120_000_412.0, abs=0.01)
    assert found.sigma_hz == pytest.approx((1.3**2 + 0.5**2) ** 0.5, rel=1e-3)
    assert "fits 120.000 MHz" in found.sentence()
    assert "L = f_port − f" in found.working().as_text()


def test_an_oscillator_that_nobody_stated_is_said() -> None:
    shown_hz = trace(10e6, [Stage("sum", 118.3e6)], SamplingClock()).shown_hz
    found = which_lo("sum", 10e6, shown_hz, STATED)
    assert found.candidates[0].stated_hz == 0.0
    assert "none of the stated values fits" in found.sentence()


def test_two_leaflets_too_close_to_tell_are_not_decided_between() -> None:
    shown_hz = trace(10e6, [Stage("sum", 120e6)], SamplingClock()).shown_hz
    found = which_lo("sum", 10e6, shown_hz, (120e6, 120.003e6))
    assert not found.decided
    assert "undecided" in found.sentence()


def test_an_impossible_reading_is_refused() -> None:
    with pytest.raises(BadObservations, match="check the kind"):
        which_lo("sum", 130e6, 10e6, STATED)
