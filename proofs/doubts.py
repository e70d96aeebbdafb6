"""What `measure` states against what is true, on sixty kinds of signal that none of our code has made.

z is the error over the stated sigma; it should be near one. Of two carriers either counts as right. Of noise alone any
answer is wrong. `./yard proof doubts RUNS` takes so many runs of each kind, strength and length; 200 is what counts.
"""

import sys
from collections import Counter
from pathlib import Path

import numpy as np

RUNS = 8
CN0_DBHZ = (25.0, 35.0, 45.0, 55.0, 65.0)
WITHIN_HZ = 100.0
COVERAGE, RMS_Z, WORST_Z = 0.90, 1.5, 10.0


def prove() -> bool:
    """One line for each kind; sealed ones are marked."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))
    import kinds

    runs = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else RUNS
    good = 0
    for number, kind in enumerate(kinds.KINDS):
        good += _kind(kinds, kind, number, runs)
    wanted = f"±2 sigma in {COVERAGE:.0%}, rms z <= {RMS_Z:g}, none above {WORST_Z:g}"
    print(f"{good} of {len(kinds.KINDS)} kinds keep {wanted}")
    return good == len(kinds.KINDS)


def _kind(kinds: object, kind: object, number: int, runs: int) -> bool:
    from yarddial.dsp.line import measure_line
    from yarddial.yard.errors import BadSamples, NoCarrier

    z: list[float] = []
    models, tried = Counter[str](), 0
    for seconds in kind.seconds:  # type: ignore[attr-defined]
        for cn0_dbhz in CN0_DBHZ:
            for run in range(runs):
                chance = np.random.default_rng((number, int(10 * seconds), int(cn0_dbhz), run))
                samples, made = kinds.record(kind, chance, seconds, cn0_dbhz)  # type: ignore[attr-defined]
                tried += 1
                near_hz = 300.0 if np.isnan(made.hertz) else made.hertz + float(chance.uniform(-30, 30))
                # Scaled as a receiver would leave it: far from full scale.
                scaled = (0.05 * samples / np.sqrt(np.mean(np.abs(samples) ** 2))).astype(np.complex64)
                try:
                    found = measure_line(scaled, kinds.RATE_HZ, near_hz, WITHIN_HZ)  # type: ignore[attr-defined]
                except (NoCarrier, BadSamples):
                    continue
                models[found.method] += 1
                truths = [one for one in (made.hertz, made.second_hz) if one is not None]
                off_hz = min((abs(found.frequency_hz - one) for one in truths), default=float("inf"))
                z.append(float("inf") if np.isnan(made.hertz) else off_hz / found.sigma_hz)
    name, sealed = kind.name, " (sealed)" if kind.sealed else ""  # type: ignore[attr-defined]
    if not z:
        print(f"ok   {name}{sealed}: never answered", flush=True)
        return True
    errors = np.array(z)
    held = float(np.mean(errors <= 2))
    rms = float(np.sqrt(np.mean(np.minimum(errors, 1e6) ** 2)))
    fine = held >= COVERAGE and rms <= RMS_Z and errors.max() <= WORST_Z
    named = ", ".join(f"{what} {count}" for what, count in models.most_common(3))
    print(
        f"{'ok  ' if fine else 'MISS'} {name}{sealed}: answered {len(z)} of {tried}, within 2 sigma {held:.2f}, rms z "
        f"{rms:.3g}, worst {errors.max():.3g}; told as {named}",
        flush=True,
    )
    return fine
