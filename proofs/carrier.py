"""The carrier estimator at the limit that noise sets: RMSE over bound, bias, stated sigma, and how far off at worst."""

import numpy as np

from yarddial.dsp.carrier import estimate_carrier
from yarddial.yard.errors import NoCarrier

# Rate, half width of the search, runs. At 800 runs the RMSE itself is known to 2.5 %, at 2,500 to 1.4 %.
CASES = ((48e3, 2e3, 2500), (48e3, None, 2500), (2.4e6, 2e3, 800), (2.4e6, None, 1200))


def prove() -> bool:
    """One line for each case; all must keep the limits."""
    print("rate, search, in-bin SNR: RMSE/bound, stated/RMSE, bias/sigma, worst, refused of runs")
    good = True
    for rate_hz, within_hz, runs in CASES:
        for snr_db in (16.0, 20.0, 40.0, 60.0):
            good = _case(rate_hz, within_hz, snr_db, runs) and good
    return good


def _case(rate_hz: float, within_hz: float | None, snr_db: float, runs: int) -> bool:
    chance = np.random.default_rng([int(rate_hz), int(within_hz or 0), int(snr_db)])
    count = int(rate_hz)
    index = np.arange(count)
    amplitude = 1e-2 if rate_hz < 1e6 else 3e-4
    sigma = np.float32(amplitude * np.sqrt(count / 10 ** (snr_db / 10) / 2))
    bound_hz = np.sqrt(6 / 10 ** (snr_db / 10)) / (2 * np.pi)
    errors, uncertainties, refused = [], [], 0
    for _ in range(runs):
        reach = 0.95 * (within_hz or rate_hz / 2)
        true_hz = chance.uniform(-reach, reach)
        samples = chance.standard_normal(2 * count, dtype=np.float32).view(np.complex64) * sigma
        turns = (true_hz / rate_hz * (index - (count - 1) / 2) + chance.uniform()) % 1.0
        samples += (amplitude * np.exp(2j * np.pi * turns)).astype(np.complex64)
        try:
            found = estimate_carrier(samples, rate_hz, 0.0, within_hz)
        except NoCarrier:
            refused += 1
            continue
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    rms = float(np.sqrt(np.mean(np.square(errors))))
    bias, worst = float(np.mean(errors) / rms), float(np.max(np.abs(errors)))
    ratio, stated = rms / bound_hz, float(np.mean(uncertainties) / rms)
    good = ratio <= 1.05 and abs(stated - 1) <= 0.15 and abs(bias) <= 0.1 and worst <= 20.0
    search = f"+-{within_hz / 1e3:.0f} kHz" if within_hz else "whole  "
    print(
        f"{'ok  ' if good else 'MISS'} {rate_hz / 1e3:6.0f} kS/s, {search}, "
        f"{snr_db:.0f} dB: {ratio:.3f}, {stated:.3f}, {bias:+.3f}, {worst:.2e} Hz, {refused} of {runs}",
        flush=True,
    )
    return good
