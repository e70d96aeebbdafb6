"""Blind truing: worlds made by the rules, and a recording through the command line."""

import json
from pathlib import Path

import numpy as np
import pytest

from yarddial.analysis.blind.raster_fit import (
    LoHypothesis,
    RasterCarrier,
    fit_raster,
    heard_upright,
    usual_rasters_hz,
    weighed,
)
from yarddial.cli.program import run
from yarddial.yard.errors import BadObservations

LO_HZ, LO_SIGMA_HZ = 120e6, 600.0


def medium_wave(
    seed: int, count: int = 20, raster_hz: float = 9_000.0
) -> tuple[list[RasterCarrier], float, float, float, float]:
    """Carriers through an up-converter: seen, middle of the dial, true offset there, crystal ppm, LO's error."""
    chance = np.random.default_rng(seed)
    grid = np.arange(np.ceil(531e3 / raster_hz), np.floor(1_602e3 / raster_hz) + 1) * raster_hz
    true_hz = chance.choice(grid, count, replace=False)
    # Half of them within the rule, half locked; a tenth anywhere.
    true_hz = true_hz + np.where(chance.random(count) < 0.5, chance.normal(0, 7, count), chance.normal(0, 0.2, count))
    anywhere = chance.random(count) < 0.1
    true_hz = np.where(anywhere, chance.uniform(531e3, 1_602e3, count), true_hz)
    ppm, lo_error_hz = float(chance.uniform(-60, 60)), float(chance.normal(0, LO_SIGMA_HZ))
    sigma_hz = 10 ** chance.uniform(-2, -0.5, count)
    dial_hz = (true_hz + LO_HZ + lo_error_hz) / (1 + ppm * 1e-6) - LO_HZ + chance.normal(0, 1, count) * sigma_hz
    middle_hz = float(dial_hz.mean())
    offset_hz = middle_hz - ((middle_hz + LO_HZ) * (1 + ppm * 1e-6) - LO_HZ - lo_error_hz)
    return (
        [RasterCarrier(float(d), float(s)) for d, s in zip(dial_hz, sigma_hz, strict=True)],
        middle_hz,
        offset_hz,
        ppm,
        lo_error_hz,
    )


def ways(*others_hz: float) -> list[LoHypothesis]:
    return [LoHypothesis(f"{lo_hz:g}", LO_HZ - lo_hz, lo_hz + 1e6, LO_SIGMA_HZ) for lo_hz in (LO_HZ, *others_hz)]


def test_offset_raster_and_oscillator_come_out_of_twenty_medium_wave_carriers() -> None:
    decided, pulls, lo_errors = 0, [], []
    for seed in range(2):
        seen, _, offset_hz, ppm, lo_error_hz = medium_wave(seed)
        found = heard_upright(fit_raster(seen, ways(125e6), usual_rasters_hz(1e6)))
        best = found.hypotheses[0]
        if not found.decided:
            assert found.decides
            continue
        decided += 1
        assert (best.lo, best.raster_hz, best.inverted) == ("1.2e+08", 9_000.0, False)
        pulls.append((best.offset_hz - offset_hz) / best.sigma_hz)
        assert abs(best.ppm - ppm) < 5 * best.ppm_sigma
        # What the fit knows of the oscillator once the crystal is known by another way.
        lo_errors.append(best.offset_hz + (ppm * 1e-6) * (LO_HZ + 1e6) / (1 + ppm * 1e-6) - lo_error_hz)
    # Turned over, a raster may fit as well: then it is said and not decided.
    assert decided >= 1
    assert np.abs(pulls).max() < 4
    assert np.sqrt(np.mean(np.square(lo_errors))) < 120


def test_carriers_that_are_on_the_other_oscillators_raster_name_it() -> None:
    """The leaflet's 125 MHz was entered, the can says 120: 5 MHz are no whole number of 9 kHz cells."""
    seen, *_ = medium_wave(3)
    as_125 = [RasterCarrier(one.dial_hz - 5e6, one.sigma_hz) for one in seen]
    found = fit_raster(
        as_125, [LoHypothesis("125", 0.0, 126e6, 600.0), LoHypothesis("120", 5e6, 121e6, 600.0)], (9_000.0,)
    )
    assert found.hypotheses[0].lo == "120"
    assert found.hypotheses[0].odds > 0.9


def test_an_oscillator_that_is_off_by_a_whole_cell_is_never_decided_by_the_raster_alone() -> None:
    """One cell of 9 kHz more is the same picture; that its class seldom errs by 75 ppm is no measurement."""
    classes = ((0.7, 5e-6 * LO_HZ), (0.3, 30e-6 * LO_HZ))
    for seed in range(3):
        seen, _, offset_hz, *_ = medium_wave(seed)
        off = [RasterCarrier(one.dial_hz + 9_000.0, one.sigma_hz) for one in seen]
        way = LoHypothesis("120", 0.0, LO_HZ + 1e6, 0.0, classes)
        found = heard_upright(fit_raster(off, [way], (9_000.0,)))
        assert not found.decided
        assert "cell" in found.assumed
        # A known station places the dial, and the cell with it.
        told = weighed(found, offset_hz + 9_000.0, 20.0)
        assert told.assumed == ()
        if told.decided:
            assert told.hypotheses[0].offset_hz == pytest.approx(offset_hz + 9_000.0, abs=30.0)


def test_the_sense_is_assumed_until_somebody_has_heard_it() -> None:
    """Carriers on a raster about its own line are the same turned over."""
    chance = np.random.default_rng(8)
    seen = [RasterCarrier(999e3 + 9e3 * k + float(chance.normal(0, 0.2)), 0.1) for k in range(-12, 13, 2)]
    found = fit_raster(seen, [LoHypothesis("direct", 0.0, 1e6, 0.0)], (9_000.0,), centre_hz=999e3)
    assert found.assumed == ("sense",)
    assert found.is_likely
    assert not found.decided
    assert "single-sideband" in found.decides
    assert heard_upright(found).decided


def test_what_cannot_be_told_is_said() -> None:
    seen, *_ = medium_wave(1, 5)
    with pytest.raises(BadObservations, match="4 or more"):
        fit_raster(seen[:3], ways(), (9_000.0,))
    with pytest.raises(BadObservations, match="name one"):
        fit_raster(seen, ways(), ())
    chance = np.random.default_rng(4)
    strewn = [RasterCarrier(float(hertz), 0.1) for hertz in chance.uniform(600e3, 1_500e3, 6)]
    assert not fit_raster(strewn, ways(), (9_000.0, 10_000.0)).decided


def test_a_scan_of_the_simulated_medium_wave_trues_the_dial(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "mw"
    args = ["--receiver", "Finch", "--route", "ladder", "--centre", "1M", "--rate", "2.048M", "--seconds", "2"]
    assert run(["simulate", str(out), *args, "--seed", "5", "--json"]) == 0
    truth = json.loads(capsys.readouterr().out)["truth"]
    fast = truth["receiver_ppm"] * 1e-6
    true_hz = (1e6 + 120e6 + truth["converters"][0]["lo_error_hz"]) / (1 + fast) - 121e6
    # A raster looks alike turned over: whoever has not heard a sideband is told to.
    assert run(["blind", str(out) + ".sigmf-meta", "--through", "sum:120M"]) == 0
    assert "turned over" in capsys.readouterr().out
    assert run(["blind", str(out) + ".sigmf-meta", "--through", "sum:120M", "--upright", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    # The converter is known by its class: the cell that it places the band in is assumed.
    assert (found["decided"], found["likely"], found["assumed"]) == (False, True, ["cell"])
    assert (
        run(["blind", str(out) + ".sigmf-meta", "--through", "sum:120M", "--upright", "--lo-sigma", "600", "--json"])
        == 0
    )
    found = json.loads(capsys.readouterr().out)
    assert found["decided"]
    assert found["raster_hz"] == 9_000.0
    assert found["carriers"] >= 10
    assert found["offset_hz"] == pytest.approx(true_hz, abs=max(5 * found["sigma_hz"], 1.0))
    assert run(["blind", str(out) + ".sigmf-meta", "--centre", "125M"]) in (0, 2)
    capsys.readouterr()
