"""Path arithmetic against an independent computation with 50 digits."""

from decimal import Decimal, localcontext

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.yard.errors import BadFrequency, BadPath
from yarddial.yard.frequency_conversion import (
    KINDS,
    SamplingClock,
    Stage,
    parse_ppm,
    parse_stage,
    path_sense,
    trace,
    trace_back,
)

PPM = st.floats(-100, 100)
STAGES = st.lists(st.builds(Stage, st.sampled_from(KINDS), st.floats(1e5, 40e9), st.floats(-4e6, 4e6)), max_size=3)


def exact_dial(antenna_hz: float, stages: list[Stage], true_ppm: float, entered_ppm: float) -> Decimal:
    """The definition, step by step, in decimal arithmetic: nothing shared with the code under test."""
    with localcontext() as context:
        context.prec = 50
        here = Decimal(antenna_hz)
        for stage in stages:
            true_lo = Decimal(stage.lo_hz) + Decimal(stage.lo_error_hz)
            here = {"sum": here + true_lo, "low": here - true_lo, "high": true_lo - here}[stage.kind]
        million = Decimal(10) ** 6
        shown = here * (1 + Decimal(entered_ppm) / million) / (1 + Decimal(true_ppm) / million)
        for stage in reversed(stages):
            lo = Decimal(stage.lo_hz)
            shown = {"sum": shown - lo, "low": shown + lo, "high": lo - shown}[stage.kind]
        return shown


@given(st.floats(0, 40e9), STAGES, PPM, PPM)
def test_the_dial_agrees_with_fifty_digits(hertz: float, stages: list[Stage], true_ppm: float, entered: float) -> None:
    found = trace(hertz, stages, SamplingClock(true_ppm, entered))
    exact = exact_dial(hertz, stages, true_ppm, entered)
    largest = max([abs(hertz), abs(found.port_hz), *(abs(out) for out in found.out_hz), *(s.lo_hz for s in stages)])
    rounding = 4 * largest * 2**-53
    assert abs(Decimal(found.dial_hz) - exact) <= Decimal(1e-6 + rounding)
    # The error itself is small numbers only: true to a part in 10^9 of the frequencies' own rounding.
    assert abs(Decimal(found.dial_error_hz) - (exact - Decimal(hertz))) <= Decimal(1e-6 + rounding * 1e-3)


@given(st.floats(0, 40e9), STAGES, PPM, PPM)
def test_back_and_forth_returns(hertz: float, stages: list[Stage], true_ppm: float, entered: float) -> None:
    back = trace_back(hertz, stages, SamplingClock(true_ppm, entered))
    largest = max([hertz, abs(back.port_hz), *(stage.lo_hz for stage in stages)], default=0.0)
    assert abs(back.dial_hz - hertz) <= 1e-6 + 8 * largest * 2**-53
    assert back.sense == path_sense(stages) == (-1) ** sum(stage.kind == "high" for stage in stages)


@given(st.floats(1e5, 2e9), STAGES, PPM, PPM)
def test_slopes_are_what_small_changes_do(hertz: float, stages: list[Stage], true_ppm: float, entered: float) -> None:
    here = trace(hertz, stages, SamplingClock(true_ppm, entered))
    faster = trace(hertz, stages, SamplingClock(true_ppm + 0.01, entered))
    change = (faster.dial_error_hz - here.dial_error_hz) / 0.01
    assert change == pytest.approx(here.per_ppm_hz, rel=1e-6, abs=1e-3)
    for i, stage in enumerate(stages):
        moved = [*stages[:i], Stage(stage.kind, stage.lo_hz, stage.lo_error_hz + 1.0), *stages[i + 1 :]]
        change = trace(hertz, moved, SamplingClock(true_ppm, entered)).dial_error_hz - here.dial_error_hz
        # The crystal's scale also stretches what the oscillator shifts.
        assert change == pytest.approx(here.per_lo_hz[i], rel=1e-6, abs=1e-4)


def test_one_crystal_shows_a_signal_low_by_its_own_frequency() -> None:
    """domain.md: at 50 ppm and 1.7 GHz the first-order form is off by about 4 Hz, the exact one by nothing."""
    found = trace(1.7e9, (), SamplingClock(50.0))
    assert found.dial_error_hz == pytest.approx(-50e-6 * 1.7e9 / (1 + 50e-6), abs=1e-9)
    assert found.dial_error_hz + 50e-6 * 1.7e9 == pytest.approx(4.25, abs=0.01)


def test_a_high_side_converter_inverts_and_a_second_one_restores() -> None:
    once = trace(14e6, [Stage("high", 120e6)])
    twice = trace(14e6, [Stage("high", 120e6), Stage("high", 500e6)])
    assert (once.port_hz, once.sense) == (106e6, -1)
    assert (twice.port_hz, twice.sense) == (394e6, 1)
    assert trace(14e6, [Stage("high", 120e6, 100.0)]).dial_error_hz == -100.0


@pytest.mark.parametrize("text", ["sum", "up:120M", "sum:", "sum:-5M", "sum:120M@x", "sum:0", ":120M", "sum:120M@nan"])
def test_a_bad_converter_is_refused_in_a_sentence(text: str) -> None:
    with pytest.raises((BadPath, BadFrequency)) as refused:
        parse_stage(text)
    assert "\n" not in str(refused.value)


def test_a_converter_is_read_with_its_error() -> None:
    stage = parse_stage("low:9.75G@-20")
    assert (stage.kind, stage.lo_hz, stage.lo_error_hz) == ("low", 9.75e9, pytest.approx(-195_000.0))
    assert parse_ppm("−3.5 ppm") == -3.5


def test_the_working_names_every_value_put_in() -> None:
    text = trace(10e6, [Stage("sum", 120e6, 412.0, "Ladder")], SamplingClock(27.0, 0.0)).working().as_text()
    for piece in ("f + L", "120.000 MHz", "+412", "+27.00 ppm", "f_dial"):
        assert piece in text
