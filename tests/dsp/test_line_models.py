"""Lines that are not ours: what is stated against what is true, and the model named. See `proofs/uncertainties.py`."""

import numpy as np
import pytest

import harder_kinds
import kinds
import modulation
from yarddial.dsp.spectral_line import measure_line
from yarddial.yard.errors import BadSamples, NoCarrier

BY_NAME = {kind.name: kind for kind in kinds.KINDS}


def found_in(name: str, seconds_s: float, cn0_dbhz: float, seed: int | list[int]):  # type: ignore[no-untyped-def]
    """What is measured, and what is true, of one record."""
    samples, made = kinds.record(BY_NAME[name], np.random.default_rng(seed), seconds_s, cn0_dbhz)
    return measure_line((0.05 * samples).astype(np.complex64), kinds.RATE_HZ, made.hertz + 17.0, 100.0), made


@pytest.mark.parametrize(
    ("name", "called"),
    [
        ("steady", {"steady"}),
        ("AM, speech, 80 %", {"steady"}),
        ("drift 1 Hz/s", {"drifting"}),
        ("two, equal, 3 Hz", {"two carriers"}),
        ("two, 20 dB below, 10 Hz", {"two carriers"}),
        ("Rayleigh 1 Hz", {"fading"}),
        ("F.1487 moderate", {"fading"}),
        ("1,000 samples lost", {"broken"}),
        ("crystal's walk, 1e-9 at 100 MHz", {"wandering", "fading"}),
        ("hum 100 Hz, strong", {"steady"}),
        ("Morse, 12 words", {"keyed"}),
    ],
)
def test_a_line_is_called_what_it_is_and_its_doubt_holds_the_truth(name: str, called: set[str]) -> None:
    for seed in (1, 2):
        found, made = found_in(name, 5.0, 50.0, seed)
        truths = [one for one in (made.hertz, made.second_hz) if one is not None]
        assert min(abs(found.frequency_hz - one) for one in truths) < 5 * found.sigma_hz
        assert found.method in called
        assert found.is_adequate
        assert len(found.residual) == 48


@pytest.mark.parametrize(("record", "seconds_s", "cn0_dbhz"), [(6, 20.0, 35.0), (17, 20.0, 55.0), (3, 5.0, 35.0)])
def test_a_fading_spectrum_whose_strongest_bin_stands_off_its_middle_has_no_second_ray(
    record: int, seconds_s: float, cn0_dbhz: float
) -> None:
    position = [kind.name for kind in kinds.KINDS].index("F.1487 moderate")
    found, made = found_in("F.1487 moderate", seconds_s, cn0_dbhz, [77, position, record])
    assert found.method == "fading"
    assert found.frequency_hz == pytest.approx(made.hertz, abs=3 * found.sigma_hz)


def test_two_carriers_are_told_with_places_and_doubts_of_both() -> None:
    found, made = found_in("two, 6 dB below, 50 Hz", 5.0, 45.0, 3)
    (other,) = found.others
    assert made.second_hz is not None
    assert found.frequency_hz == pytest.approx(made.hertz, abs=5 * found.sigma_hz)
    assert other.frequency_hz == pytest.approx(made.second_hz, abs=5 * other.sigma_hz)
    assert other.level_db == pytest.approx(-6.0, abs=0.5)


def test_a_steady_carrier_loses_nothing_to_the_judging() -> None:
    bound_hz = np.sqrt(6 / (10**4.0 * 5.0)) / (2 * np.pi * 5.0)
    pairs = [found_in("steady", 5.0, 40.0, seed) for seed in range(20)]
    rmse = np.sqrt(np.mean([(found.frequency_hz - made.hertz) ** 2 for found, made in pairs]))
    # Of 20 runs the RMSE is known to 16 %.
    assert rmse / bound_hz < 1.4


def test_a_spike_that_is_known_is_not_answered_for_the_carrier_beside_it() -> None:
    chance = np.random.default_rng(6)
    time_s = np.arange(20_000) / 4_000.0
    noise = chance.standard_normal((2, time_s.size)) * 0.01
    samples = np.exp(2j * np.pi * 57.3 * time_s) + 10 + noise[0] + 1j * noise[1]
    found = measure_line((0.02 * samples).astype(np.complex64), 4_000.0, 30.0, 100.0, (0.0,))
    assert found.frequency_hz == pytest.approx(57.3, abs=0.001)
    assert found.method == "steady"


def test_noise_alone_is_nothing() -> None:
    for seed in range(10):
        noise = np.random.default_rng(seed).standard_normal((2, 20_000)) * 0.05
        samples = (noise[0] + 1j * noise[1]).astype(np.complex64)
        with pytest.raises(NoCarrier, match="stands out"):
            measure_line(samples, 4_000.0, 300.0, 100.0)


def keyed_data(kind: str, seconds_s: float = 10.0) -> np.ndarray[tuple[int], np.dtype[np.complex64]]:
    """75 baud by 170 Hz, or 31.25 reversals a second, at 300 Hz: no carrier is left in either."""
    rate_hz, chance = kinds.RATE_HZ, np.random.default_rng(4)
    count = int(rate_hz * seconds_s)
    if kind == "two tones":
        wave = np.exp(1j * modulation.shift_keyed(chance, count, rate_hz, 75.0, 170.0))
    else:
        bits = np.repeat(chance.choice([-1.0, 1.0], int(31.25 * seconds_s) + 1), int(rate_hz / 31.25))[:count]
        wave = np.convolve(bits, np.hanning(128) / np.hanning(128).sum(), "same").astype(complex)
    noise = chance.standard_normal((2, count)) * np.sqrt(rate_hz / 10**5.5 / 2)
    samples = wave * np.exp(2j * np.pi * 300.0 * np.arange(count) / rate_hz) + noise[0] + 1j * noise[1]
    return (0.05 * samples).astype(np.complex64)


def test_two_tones_are_refused_as_keyed_data() -> None:
    with pytest.raises(NoCarrier, match=r"modulated|shifted"):
        measure_line(keyed_data("two tones"), kinds.RATE_HZ, 310.0, 100.0)


def test_a_suppressed_carrier_is_measured_by_the_line_of_its_square() -> None:
    found = measure_line(keyed_data("phase"), kinds.RATE_HZ, 310.0, 100.0)
    assert found.method == "reversal-keyed"
    assert found.frequency_hz == pytest.approx(300.0, abs=4 * found.sigma_hz)


# Kinds of `harder_kinds`, with the names that fit; empty where several do.
HARDER: dict[str, set[str]] = {
    "ray 3 to 12 dB below, spread": {"two rays"},
    "ray that sweeps": {"two rays"},
    "5 to 40 gaps": {"broken"},
    "jump of 1 to 500 Hz": {"jumping", "steady", "keyed"},
    "phase hum 1.4 to 3 rad": set(),
    "31 baud, phase keyed": {"reversal-keyed"},
    "reversals, 200 to 700 a second": {"reversal-keyed"},
}


@pytest.mark.parametrize("name", list(HARDER))
def test_what_is_no_plain_line_is_answered_at_its_line(name: str) -> None:
    """With a plain peak these are wrong by hertz, or lie between two lines."""
    kind = next(kind for kind in harder_kinds.HARDER_KINDS if kind.name == name)
    for seed in (3, 5):
        samples, made = kinds.record(kind, np.random.default_rng(seed), 5.0, 50.0)
        scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
        try:
            found = measure_line(scaled, kinds.RATE_HZ, 300.0, 100.0)
        except NoCarrier:
            # Of so many gaps in one record not each can be found; a refusal is no wrong number.
            assert name == "5 to 40 gaps"
            continue
        truths = [truth_hz for truth_hz in (made.hertz, made.second_hz) if truth_hz is not None]
        assert min(abs(found.frequency_hz - truth_hz) for truth_hz in truths) < 4 * found.sigma_hz
        assert not HARDER[name] or found.method in HARDER[name]


@pytest.mark.parametrize("name", ["hopping", "jittered supply", "teleprinter"])
def test_a_signal_without_a_carrier_is_refused(name: str) -> None:
    kind = next(kind for kind in harder_kinds.HARDER_KINDS if kind.name == name)
    for seed in (1, 2):
        samples, _ = kinds.record(kind, np.random.default_rng(seed), 5.0, 50.0)
        scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
        with pytest.raises(NoCarrier):
            measure_line(scaled, kinds.RATE_HZ, 300.0, 100.0)


@pytest.mark.parametrize("drift", [8.0, 18.0, 30.0])
def test_a_receiver_that_warms_at_145_mhz_can_be_measured(drift: float) -> None:
    kind = kinds.Kind("drift", "drifting", kinds.drifting(drift))
    for seed in (1, 2):
        samples, made = kinds.record(kind, np.random.default_rng(seed), 5.0, 45.0)
        found = measure_line((0.05 * samples).astype(np.complex64), kinds.RATE_HZ, 300.0, 100.0)
        assert abs(found.frequency_hz - made.hertz) < 4 * found.sigma_hz
        assert abs(found.drift_hz_per_s) == pytest.approx(drift, rel=0.01)


def test_on_a_path_that_does_not_fade_a_steady_line_is_stated_at_the_bound() -> None:
    """Rife & Boorstyn's bound; where the path may fade, a short record cannot tell, and more is stated."""
    for seconds_s, cn0_dbhz in ((0.5, 40.0), (2.0, 35.0), (5.0, 45.0)):
        bound_hz = np.sqrt(6 / (10 ** (cn0_dbhz / 10) * seconds_s)) / (2 * np.pi * seconds_s)
        stated: dict[bool, list[float]] = {True: [], False: []}
        for seed in range(4):
            samples, _ = kinds.record(kinds.KINDS[0], np.random.default_rng(seed), seconds_s, cn0_dbhz)
            for may_fade in stated:
                found = measure_line(
                    (0.05 * samples).astype(np.complex64), kinds.RATE_HZ, 300.0, 100.0, may_fade=may_fade
                )
                stated[may_fade].append(found.sigma_hz / bound_hz)
        assert 0.9 < np.mean(stated[False]) < 1.2
        assert np.mean(stated[True]) > np.mean(stated[False])


def test_a_long_record_searched_narrowly_is_judged_though_fast_tracks_leave_it() -> None:
    chance = np.random.default_rng(5)
    samples, made = kinds.record(BY_NAME["1,000 samples lost"], chance, 40.0, 40.0)
    found = measure_line((0.05 * samples).astype(np.complex64), kinds.RATE_HZ, made.hertz + 5.0, 30.0)
    assert found.frequency_hz == pytest.approx(made.hertz, abs=5 * found.sigma_hz)


def test_a_little_clipping_is_weighed_and_said_and_much_is_refused() -> None:
    """A limiter leaves a carrier its place; with 0.1 % at full scale another signal's products may stand there."""
    chance = np.random.default_rng(8)
    samples, made = kinds.record(kinds.KINDS[0], chance, 5.0, 50.0)
    for scale, is_refused in ((0.75, False), (2.0, True)):
        # Noise of 0.2 at 4 kHz: a carrier of 0.75 touches full scale in about a percent of the samples.
        clipped = scale * samples
        clipped = np.clip(clipped.real, -1, 1) + 1j * np.clip(clipped.imag, -1, 1)
        if is_refused:
            with pytest.raises(BadSamples, match="lower the gain"):
                measure_line(clipped.astype(np.complex64), kinds.RATE_HZ, 300.0, 100.0)
            continue
        share = float(np.mean(np.abs(np.stack([clipped.real, clipped.imag])) >= 0.99))
        assert 1e-3 < share < 0.05
        found = measure_line(clipped.astype(np.complex64), kinds.RATE_HZ, 300.0, 100.0)
        assert abs(found.frequency_hz - made.hertz) < 4 * found.sigma_hz
        assert "full scale" in found.remark
