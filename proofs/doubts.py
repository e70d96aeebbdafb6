"""What `measure` states against what is true, on sixty kinds of signal that none of our code has made.

z is the error over the stated sigma; it should be near one. Of two carriers either counts as right. Of noise alone any
answer is wrong. `./yard proof doubts RUNS` takes so many runs of each kind, strength and length; 200 is what counts.
"""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import msgspec
import numpy as np

from harder_doubts import prove_harder

RUNS = 8
CN0_DBHZ = (25.0, 35.0, 45.0, 55.0, 65.0)
WITHIN_HZ = 100.0
COVERAGE, RMS_Z, WORST_Z = 0.90, 1.5, 10.0
# Names that a person would call right, by the kind's own word.
NAMES = {
    "steady": {"steady"}, "drifting": {"drifting"}, "fading": {"fading"}, "broken": {"broken"},
    "two": {"two carriers", "beside"}, "wandering": {"wandering"}, "warming": {"warming up", "drifting", "wandering"},
    "keyed": {"keyed"}, "jumping": {"jumping", "wandering"},
}  # fmt: skip
# Decibels over the noise of the whole record from which the name counts: 20 over the threshold of about 15.
NAMED_DB = 35.0
# Kinds that must lose nothing by the judging: RMSE over the bound of a steady carrier, and the share answered.
AT_THE_BOUND = ("steady", "AM, speech, 80 %", "AM, tone, 30 %", "AM, tone, 80 %", "Morse, 12 words", "Morse, 25 words")
MOST_OVER_BOUND, ANSWERED = 1.1, 0.98


class Seen(msgspec.Struct):
    """What came of one record."""

    seconds: float
    cn0_dbhz: float
    off_hz: float
    sigma_hz: float
    bound_hz: float
    name: str
    is_adequate: bool
    # Of a refusal: whether measuring longer and nearer, as it says, gave an answer that holds the truth.
    followed: bool | None = None


def prove() -> bool:
    """One line for each kind; sealed ones are marked."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))
    import kinds

    runs = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else RUNS
    with ProcessPoolExecutor(2) as pool:
        told = [pool.submit(_records, number, runs) for number in range(len(kinds.KINDS))]
        good = [_judged(kinds.KINDS[number], one.result()) for number, one in enumerate(told)]
        is_harder_good = prove_harder(pool)
    open_ones = [fine for fine, kind in zip(good, kinds.KINDS, strict=True) if not kind.sealed]
    wanted = f"±2 sigma in {COVERAGE:.0%}, rms z <= {RMS_Z:g}, none above {WORST_Z:g}"
    print(f"{sum(good)} of {len(good)} kinds keep {wanted}; of the sealed {sum(good) - sum(open_ones)} of 30")
    return all(good) and is_harder_good


def _records(number: int, runs: int) -> list[Seen]:
    """All records of one kind."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))
    import kinds
    from yarddial.dsp.spectral_line import measure_line
    from yarddial.yard.errors import BadSamples, NoCarrier

    kind, seen = kinds.KINDS[number], []
    for seconds in kind.seconds:
        for cn0_dbhz in CN0_DBHZ:
            bound_hz = float(np.sqrt(6 / (10 ** (cn0_dbhz / 10) * seconds)) / (2 * np.pi * seconds))
            for run in range(runs):
                chance = np.random.default_rng((number, int(10 * seconds), int(cn0_dbhz), run))
                samples, made = kinds.record(kind, chance, seconds, cn0_dbhz)
                near_hz = 300.0 if np.isnan(made.hertz) else made.hertz + float(chance.uniform(-30, 30))
                # Scaled as a receiver would leave it: far from full scale.
                scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
                try:
                    found = measure_line(scaled, kinds.RATE_HZ, near_hz, WITHIN_HZ)
                except (NoCarrier, BadSamples):
                    followed = None if kind.model == "none" else _followed(kind, chance, seconds, cn0_dbhz)
                    seen.append(Seen(seconds, cn0_dbhz, 0.0, 0.0, bound_hz, "", False, followed))
                    continue
                truths = [one for one in (made.hertz, made.second_hz) if one is not None]
                off_hz = min((found.frequency_hz - one for one in truths), key=abs)
                off_hz = float("inf") if np.isnan(made.hertz) else off_hz
                seen.append(Seen(seconds, cn0_dbhz, off_hz, found.sigma_hz, bound_hz, found.method, found.is_adequate))
    return seen


def _followed(kind: object, chance: np.random.Generator, seconds: float, cn0_dbhz: float) -> bool:
    """Four times as long and 30 Hz near: whether that gives an answer within four of its sigmas."""
    import kinds
    from yarddial.dsp.spectral_line import measure_line
    from yarddial.yard.errors import BadSamples, NoCarrier

    samples, made = kinds.record(kind, chance, min(4 * seconds, 40.0), cn0_dbhz)  # type: ignore[arg-type]
    scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
    try:
        found = measure_line(scaled, kinds.RATE_HZ, made.hertz + float(chance.uniform(-10, 10)), 30.0)
    except (NoCarrier, BadSamples):
        return False
    truths = [one for one in (made.hertz, made.second_hz) if one is not None]
    return min(abs(found.frequency_hz - one) for one in truths) < 4 * found.sigma_hz


def _judged(kind: object, seen: list[Seen]) -> bool:
    name, sealed = kind.name, " (sealed)" if kind.sealed else ""  # type: ignore[attr-defined]
    answered = [one for one in seen if one.name]
    if not answered:
        print(f"ok   {name}{sealed}: never answered", flush=True)
        return True
    errors = np.array([abs(one.off_hz) / one.sigma_hz for one in answered])
    held = float(np.mean(errors <= 2))
    rms = float(np.sqrt(np.mean(np.minimum(errors, 1e6) ** 2)))
    fine = held >= COVERAGE and rms <= RMS_Z and errors.max() <= WORST_Z
    right = NAMES.get(kind.model, set())  # type: ignore[attr-defined]
    clear = [one for one in answered if one.cn0_dbhz + 10 * np.log10(one.seconds) >= NAMED_DB]
    named = np.mean([one.name in right for one in clear]) if clear else float("nan")
    more = ""
    if name in AT_THE_BOUND:
        over = float(np.sqrt(np.mean([(one.off_hz / one.bound_hz) ** 2 for one in answered])))
        share = len(answered) / len(seen)
        more = f", RMSE {over:.2f} of a steady carrier's bound"
        fine = fine and share >= ANSWERED and (over <= MOST_OVER_BOUND or name.startswith("Morse"))
    tried = [one.followed for one in seen if one.followed is not None]
    if tried:
        more += f", of {len(tried)} refusals followed {np.mean(tried):.2f} give an answer"
    counted = Counter(one.name for one in clear)
    print(
        f"{'ok  ' if fine else 'MISS'} {name}{sealed}: answered {len(answered)} of {len(seen)}, within 2 sigma "
        f"{held:.3f}, rms z {rms:.2f}, worst {errors.max():.3g}{more}; clear ones named right {named:.2f} ("
        f"{', '.join(f'{what} {count}' for what, count in counted.most_common(3))})",
        flush=True,
    )
    return bool(fine)
