"""One measurement: when it stops, and what it refuses."""

import numpy as np
import pytest
from numpy.typing import NDArray

from tunings import SOME_TUNING, tuning_of
from yarddial.drivers.protocol import ActualSettings
from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, Progress
from yarddial.engine.taps.measurement import MIN_S, Measurement
from yarddial.engine.taps.tap import Piece
from yarddial.engine.tuning import Tuning

Complex = NDArray[np.complex64]
RATE_HZ = 2_000.0


def piece(raw: Complex, narrow: Complex) -> Piece:
    return Piece(raw, raw, narrow, 0, 0.0, SOME_TUNING)


def slice_of(rate_hz: float) -> Tuning:
    """Cut out far from the centre and its spike."""
    return tuning_of(ActualSettings(99e6, 2e6, ""), 100e6, rate_hz)


def run(
    asked: Measure, lines: tuple[tuple[float, float], ...], noise: float, raw_peak: float = 0.1, *, still: bool = False
) -> list[Event]:
    """Feed lines of (hertz, amplitude) in tenths of a second until it ends."""
    chance, events, done, first = np.random.default_rng(4), [], False, 0
    measurement = Measurement(asked, slice_of(RATE_HZ), events.append)
    while not done:
        count = int(RATE_HZ / 10)
        time_s = (first + np.arange(count)) / RATE_HZ
        first += count
        samples = sum(size * np.exp(2j * np.pi * hertz * time_s) for hertz, size in lines)
        samples = samples + noise * (chance.standard_normal(count) + 1j * chance.standard_normal(count))
        raw = np.full(count, raw_peak, np.complex64)
        raw[:: 1 if still else 2] *= -1
        done = measurement.push(piece(raw, samples.astype(np.complex64)))
    return events


def test_it_stops_when_the_wanted_doubt_is_reached_and_foretells_when() -> None:
    # C/N0 = 0.01^2 / (2 s^2 / rate); the bound reaches w at T = (6 / ((2 pi)^2 C/N0 w^2))^(1/3).
    noise, wanted_hz = 0.02, 2e-3
    density = 0.01**2 / (2 * noise**2 / RATE_HZ)
    needed_s = (6 / ((2 * np.pi) ** 2 * density * wanted_hz**2)) ** (1 / 3)
    events = run(Measure(60.0, 100.0, wanted_hz, job=1, id=1), ((12.0, 0.01),), noise)
    (found,) = [event for event in events if isinstance(event, Measured)]
    assert found.carrier.frequency_hz == pytest.approx(12.0, abs=4 * wanted_hz)
    # The noise would let it stop then; what a path could hide in so short a record takes up to three times as long.
    assert 0.85 * needed_s < found.carrier.duration_s < 3 * needed_s
    foretold = [event.needed_s for event in events if isinstance(event, Progress) if event.sigma_hz < 1.0]
    assert foretold[len(foretold) // 2] == pytest.approx(needed_s, rel=0.15)


def test_a_strong_line_takes_no_longer_than_drift_needs_to_be_seen() -> None:
    events = run(Measure(60.0, 100.0, 0.1, job=1, id=1), ((12.0, 0.01),), 1e-4)
    (found,) = [event for event in events if isinstance(event, Measured)]
    assert found.carrier.duration_s == pytest.approx(MIN_S, abs=0.6)


@pytest.mark.parametrize("expected_hz", [12.5, 59.0])
def test_of_two_carriers_the_one_is_taken_that_is_expected(expected_hz: float) -> None:
    asked = Measure(20.0, 100.0, 0.01, expected_hz=expected_hz, expected_sigma_hz=3.0, job=1, id=1)
    events = run(asked, ((12.0, 0.01), (60.0, 0.008)), 1e-3)
    (found,) = [event for event in events if isinstance(event, Measured)]
    assert found.carrier.frequency_hz == pytest.approx(
        12.0 if expected_hz < 30 else 60.0, abs=5 * found.carrier.sigma_hz
    )
    assert "another carrier" in found.carrier.remark


@pytest.mark.parametrize(
    ("lines", "noise", "raw_peak", "word"),
    [
        (((12.0, 0.01), (60.0, 0.008)), 1e-3, 0.1, "two carriers"),
        ((), 1e-3, 0.1, "stands out"),
        (((12.0, 0.01),), 1e-3, 1.0, "full scale"),
    ],
)
def test_what_cannot_be_measured_is_refused_in_words(
    lines: tuple[tuple[float, float], ...], noise: float, raw_peak: float, word: str
) -> None:
    events = run(Measure(20.0, 100.0, 0.01, job=1, id=1), lines, noise, raw_peak)
    (refused,) = [event for event in events if isinstance(event, NotMeasured)]
    assert word in refused.sentence
    assert not [event for event in events if isinstance(event, Measured)]


def test_the_middle_of_a_narrow_fm_signal_is_measured_as_one() -> None:
    rate_hz, chance = 20_000.0, np.random.default_rng(1)
    events: list[Event] = []
    measurement = Measurement(Measure(4.0, 2_000.0, kind="nfm", job=1, id=1), slice_of(rate_hz), events.append)
    count = int(4.2 * rate_hz)
    time_s = np.arange(count) / rate_hz
    # A tone of 1 kHz, 2.5 kHz of deviation, 640 Hz off.
    turns = 640.0 * time_s + 2.5 * np.sin(2 * np.pi * 1_000.0 * time_s) / (2 * np.pi)
    noise = 0.005 * (chance.standard_normal(count) + 1j * chance.standard_normal(count))
    samples = (0.1 * np.exp(2j * np.pi * turns) + noise).astype(np.complex64)
    assert measurement.push(piece(samples, samples))
    found = events[-1]
    assert isinstance(found, Measured)
    assert found.carrier.frequency_hz == pytest.approx(640.0, abs=0.05)
    assert "narrow FM" in found.carrier.method


def test_of_samples_that_never_change_only_rounding_is_left_and_that_is_no_carrier() -> None:
    events = run(Measure(20.0, 100.0, 0.01, job=1, id=1), ((12.0, 1e-9),), 1e-13, still=True)
    (refused,) = [event for event in events if isinstance(event, NotMeasured)]
    assert "all samples are equal" in refused.sentence
    assert not refused.is_silent
