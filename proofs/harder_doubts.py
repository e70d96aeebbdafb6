"""The harder kinds of `proof doubts`: rays, gaps, jumps, hum, and signals without a carrier, sixty records of each.

Wanted: +-2 sigma holds the truth in 93 % of each kind, none off by 5 sigma, no error over twice that of the plain peak,
and a kind without a carrier refused in 97 %. The middle of a suppressed carrier counts as right.
"""

from collections import Counter
from concurrent.futures import Executor

import msgspec
import numpy as np

RECORDS, SECONDS, CN0_DBHZ, WITHIN_HZ = 60, (1.0, 5.0, 20.0), (35.0, 45.0, 55.0), 100.0
COVERAGE, WORST_Z, MOST_OVER_PEAK, REFUSED = 0.93, 5.0, 2.0, 0.97


class Outcome(msgspec.Struct):
    """What came of one record; nan for a signal without a carrier. peak_off_hz : of the highest bin."""

    off_hz: float
    sigma_hz: float
    peak_off_hz: float
    name: str


def prove_harder(pool: Executor) -> bool:
    """One line for each kind; sealed ones are marked."""
    import harder_kinds

    numbers = range(len(harder_kinds.HARDER_KINDS))
    fine = 0
    for number, outcomes in zip(numbers, pool.map(_outcomes, numbers), strict=True):
        fine += _judged(number, outcomes)
    print(f"{fine} of {len(numbers)} harder kinds keep +-2 sigma in {COVERAGE:.0%}, or are refused in {REFUSED:.0%}")
    return fine == len(numbers)


def _outcomes(number: int) -> list[Outcome]:
    import harder_kinds
    import kinds
    from yarddial.dsp.spectral_line import measure_line
    from yarddial.yard.errors import BadSamples, NoCarrier

    outcomes = []
    for index in range(RECORDS):
        seconds, cn0 = SECONDS[index % 3], CN0_DBHZ[index // 3 % 3]
        chance = np.random.default_rng((31, number, index))
        samples, made = kinds.record(harder_kinds.HARDER_KINDS[number], chance, seconds, cn0)
        scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
        try:
            carrier = measure_line(scaled, kinds.RATE_HZ, 300.0, WITHIN_HZ)
        except (NoCarrier, BadSamples):
            continue
        spectrum = np.abs(np.fft.fft(samples * np.hanning(samples.size), 4 * samples.size))
        hertz = np.fft.fftfreq(spectrum.size, 1 / kinds.RATE_HZ)
        near = np.abs(hertz - 300.0) < WITHIN_HZ
        peak_hz = float(hertz[near][np.argmax(spectrum[near])])
        truths = [truth for truth in (made.hertz, made.second_hz) if truth is not None]
        off_hz = min((carrier.frequency_hz - truth for truth in truths), key=abs)
        peak_off_hz = min(abs(peak_hz - truth) for truth in truths)
        outcomes.append(Outcome(off_hz, carrier.sigma_hz, peak_off_hz, carrier.method))
    return outcomes


def _judged(number: int, outcomes: list[Outcome]) -> bool:
    import harder_kinds

    kind = harder_kinds.HARDER_KINDS[number]
    name = f"{kind.name}{' (sealed)' if kind.sealed else ''}"
    names = ", ".join(f"{what} {count}" for what, count in Counter(o.name for o in outcomes).most_common(3))
    refused = 1 - len(outcomes) / RECORDS
    off_hz, sigma_hz, peak_hz = (
        np.array([getattr(o, field) for o in outcomes]) for field in ("off_hz", "sigma_hz", "peak_off_hz")
    )
    if (outcomes and np.all(np.isnan(off_hz))) or not outcomes:
        good = refused >= REFUSED
        print(f"{'ok  ' if good else 'MISS'} {name}: refused {refused:.2f} ({names})", flush=True)
        return good
    z = np.abs(off_hz) / sigma_hz
    over = int(np.sum(np.abs(off_hz) > np.maximum(MOST_OVER_PEAK * peak_hz, 2 * sigma_hz)))
    held, wild = float(np.mean(z <= 2)), int(np.sum(z > WORST_Z))
    good = held >= COVERAGE and not wild and not over
    print(
        f"{'ok  ' if good else 'MISS'} {name}: answered {1 - refused:.2f}, within 2 sigma {held:.3f}, over 5 sigma "
        f"{wild}, over twice the plain peak's error {over} ({names})", flush=True,
    )  # fmt: skip
    return bool(good)
