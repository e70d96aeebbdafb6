"""Lines that are not steady and alone: RMSE over bound or law, and the stated sigma over the RMSE, 200 runs each."""

import numpy as np

from yarddial.dsp.beside import estimate_beside
from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.drifting import estimate_drifting
from yarddial.dsp.fading import estimate_fading
from yarddial.dsp.frequency_modulation import estimate_centre, estimate_pilot
from yarddial.yard.errors import NoCarrier

RUNS = 200


def prove() -> bool:
    """One line for each case."""
    cases = [_am(depth) for depth in (0.3, 0.8)]
    cases += [_drift(seconds_s) for seconds_s in (10.0, 30.0, 60.0)]
    cases += [_fade(spread, seconds_s) for spread in (0.1, 0.5) for seconds_s in (10.0, 30.0)]
    cases += [_beside(20.0), _beside(40.0), _narrow_fm(), _wide_fm(), _pilot()]
    return all(cases)


def _told(
    name: str, errors: list[float], uncertainties: list[float], bound: float, most: float, unit: str = "Hz"
) -> bool:
    rmse = float(np.sqrt(np.mean(np.square(errors))))
    stated = float(np.sqrt(np.mean(np.square(uncertainties)))) / rmse
    good = rmse / bound <= most and abs(stated - 1) <= 0.15
    print(
        f"{'ok  ' if good else 'MISS'} {name}: RMSE {rmse:.3g} {unit}, {rmse / bound:.3f} of the bound or law "
        f"(<= {most:g}), stated/RMSE {stated:.2f}, {len(errors)} of {RUNS}",
        flush=True,
    )
    return good


def _noise(chance: np.random.Generator, count: int, power: float) -> np.ndarray:
    halves = chance.standard_normal((2, count))
    return np.sqrt(power / 2) * (halves[0] + 1j * halves[1])


def _am(depth: float) -> bool:
    """Speech-like tones on a carrier at 25 dB in one bin, one second."""
    rate_hz, snr = 48e3, 10**2.5
    count = int(rate_hz)
    time_s = (np.arange(count) - (count - 1) / 2) / rate_hz
    errors, uncertainties = [], []
    for seed in range(RUNS):
        chance = np.random.default_rng(seed)
        true_hz = chance.uniform(-400, 400)
        tones = sum(np.sin(2 * np.pi * chance.uniform(150, 3_000) * time_s + chance.uniform(0, 6.28)) for _ in range(5))
        wave = (
            0.01 * (1 + depth * tones / np.abs(tones).max()) * np.exp(2j * np.pi * (true_hz * time_s + chance.random()))
        )
        found = estimate_carrier(
            (wave + _noise(chance, count, 1e-4 * count / snr)).astype(np.complex64), rate_hz, 0.0, 500.0
        )
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    return _told(f"AM {depth:.0%}, 25 dB, 1 s", errors, uncertainties, np.sqrt(6 / snr) / (2 * np.pi), 1.1)


def _drift(seconds_s: float) -> bool:
    rate_hz, snr = 1_000.0, 100.0
    count = int(seconds_s * rate_hz)
    time_s = (np.arange(count) - (count - 1) / 2) / rate_hz
    errors, uncertainties = [], []
    for seed in range(RUNS):
        chance = np.random.default_rng(seed)
        true_hz, drift = chance.uniform(-150, 150), 0.05 * chance.choice((-1, 1))
        wave = 0.01 * np.exp(2j * np.pi * ((true_hz * time_s + drift * time_s**2 / 2 + chance.random()) % 1.0))
        samples = (wave + _noise(chance, count, 1e-4 * count / snr)).astype(np.complex64)
        try:
            found = estimate_drifting(samples, rate_hz, 0.0, 200.0)
        except NoCarrier:
            continue
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    bound = np.sqrt(6 / snr) / (2 * np.pi * seconds_s)
    return _told(f"drift 0.05 Hz/s, 20 dB, {seconds_s:g} s", errors, uncertainties, bound, 1.1)


def _fade(spread_hz: float, seconds_s: float) -> bool:
    rate_hz, cn0 = 500.0, 10**3.0
    count = int(seconds_s * rate_hz)
    shape = np.exp(-((np.fft.fftfreq(4 * count, 1 / rate_hz) / spread_hz) ** 2) / 4)
    errors, uncertainties = [], []
    for seed in range(RUNS):
        chance = np.random.default_rng(seed)
        true_hz = chance.uniform(-40, 40)
        halves = chance.standard_normal((2, 4 * count))
        gain = np.fft.ifft(shape * (halves[0] + 1j * halves[1]))[:count] / np.sqrt(np.mean(shape**2) / 2 / count)
        wave = 0.01 * gain * np.exp(2j * np.pi * ((true_hz * np.arange(count) / rate_hz) % 1.0))
        found = estimate_fading(
            (wave + _noise(chance, count, 1e-4 * rate_hz / cn0)).astype(np.complex64), rate_hz, 0.0, 50.0
        )
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    law = 0.38 * np.sqrt(spread_hz / seconds_s)
    return _told(f"fading {spread_hz:g} Hz, 30 dB-Hz, {seconds_s:g} s", errors, uncertainties, law, 1.1)


def _beside(snr_db: float) -> bool:
    """A spike 20 dB stronger, 1.2 bins away; the bound with its amplitude and a drift unknown too."""
    rate_hz, count = 4_000.0, 4_000
    time_s = (np.arange(count) - (count - 1) / 2) / rate_hz
    u = time_s * rate_hz / count
    columns = [2j * np.pi * u, 2j * np.pi * (u**2 - np.mean(u**2)), np.ones(count), 1j * np.ones(count)]
    other = np.exp(-2.4j * np.pi * u)
    slopes = np.stack([*columns, other, 1j * other], axis=1)
    information = 2 * 10 ** (snr_db / 10) / count * (slopes.conj().T @ slopes).real
    bound = float(np.sqrt(np.linalg.inv(information)[0, 0]))
    errors, uncertainties = [], []
    for seed in range(2 * RUNS):
        chance = np.random.default_rng(seed)
        true_hz = 1.2 * chance.choice((-1, 1))
        wave = 1e-3 * np.exp(2j * np.pi * (true_hz * time_s + chance.random())) + 1e-2 * np.exp(
            2j * np.pi * chance.random()
        )
        samples = (wave + _noise(chance, count, 1e-6 * count / 10 ** (snr_db / 10))).astype(np.complex64)
        found = estimate_beside(samples, rate_hz, 0.0, 20.0, (0.0,))
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    return _told(f"beside a spike 20 dB stronger, {snr_db:g} dB", errors, uncertainties, bound, 1.1)


def _speech(chance: np.random.Generator, count: int, rate_hz: float, top_hz: float) -> np.ndarray:
    """Noise shaped like speech: syllables, nothing below 300 Hz; peak 1."""
    hertz = np.fft.rfftfreq(count, 1 / rate_hz)
    shape = np.where((hertz > 300) & (hertz < top_hz), 1 / np.maximum(hertz, 300), 0.0)
    sound = np.fft.irfft(np.fft.rfft(chance.standard_normal(count)) * shape, count)
    sound *= 0.55 + 0.45 * np.sin(2 * np.pi * 4 * np.arange(count) / rate_hz + chance.uniform(0, 6.28))
    return sound / np.abs(sound).max()


def _narrow_fm() -> bool:
    """15 dB of carrier to noise in 15 kHz, one second, 2.5 kHz of deviation: 10 mHz are asked."""
    return _fm("narrow FM, 15 dB, 1 s", "narrow", 48e3, 2_500.0, 3_000.0, 15e3, 10**1.5, 0.010)


def _wide_fm() -> bool:
    return _fm("wide FM, 25 dB, 1 s", "wide", 512e3, 50_000.0, 15_000.0, 220e3, 10**2.5, 0.5)


def _fm(
    name: str,
    width: str,
    rate_hz: float,
    deviation_hz: float,
    top_hz: float,
    band_hz: float,
    cnr: float,
    asked_hz: float,
) -> bool:
    count = int(rate_hz)
    errors, uncertainties = [], []
    for seed in range(RUNS):
        chance = np.random.default_rng(seed)
        true_hz = chance.uniform(-300, 300)
        sound = deviation_hz * _speech(chance, count, rate_hz, top_hz)
        turns = (true_hz * np.arange(count) + np.cumsum(sound)) / rate_hz
        wave = 0.01 * np.exp(2j * np.pi * (turns % 1.0))
        samples = (wave + _noise(chance, count, 1e-4 * rate_hz / band_hz / cnr)).astype(np.complex64)
        found = estimate_centre(samples, rate_hz, 0.0, 1_000.0, width)  # type: ignore[arg-type]
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    return _told(name, errors, uncertainties, asked_hz, 1.0)


def _pilot() -> bool:
    """Four seconds, 20 dB of carrier to noise: 0.02 ppm are asked."""
    rate_hz, seconds_s, cnr = 512e3, 4.0, 100.0
    count = int(rate_hz * seconds_s)
    errors, uncertainties = [], []
    for seed in range(60):
        chance = np.random.default_rng(seed)
        ppm = chance.uniform(-60, 60)
        time_s = np.arange(count) / (rate_hz * (1 + ppm * 1e-6))
        sound = 40_000.0 * _speech(chance, count, rate_hz, 15_000.0) + 6_750.0 * np.sin(2 * np.pi * 19_000.0 * time_s)
        wave = 0.01 * np.exp(2j * np.pi * (np.cumsum(sound) / rate_hz % 1.0))
        samples = (wave + _noise(chance, count, 1e-4 * rate_hz / 220e3 / cnr)).astype(np.complex64)
        found = estimate_pilot(samples, rate_hz, 0.0, 2_000.0)
        errors.append(found.clock_ppm - ppm)
        uncertainties.append(found.sigma_hz / 19_000.0 * 1e6)
    return _told("pilot to clock, 20 dB, 4 s", errors, uncertainties, 0.02, 1.0, "ppm")
