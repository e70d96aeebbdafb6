"""Demodulators at 2.4 MS/s as multiples of real time, and against mixing and `resample_poly`."""

from collections.abc import Callable

import numpy as np

RATE_HZ, OFFSET_HZ, SECONDS = 2.4e6, 310_000.0, 2
ROUNDS = 5


def speeds(timed: Callable[[Callable[[], object], int], float]) -> dict[str, float]:
    """Times real time: each way of hearing, and the plain way; then ms a second of each further channel."""
    import scipy.signal

    from yarddial.dsp.listening.hearing import Hearing
    from yarddial.dsp.listening.shared_span import SharedSpan
    from yarddial.dsp.phasor import phasor
    from yarddial.yard.demodulation import DEMODULATIONS

    chance = np.random.default_rng(0)
    samples = (chance.standard_normal(2 * SECONDS * int(RATE_HZ), dtype=np.float32) * np.float32(0.05)).view(
        np.complex64
    )
    blocks = np.array_split(samples, 20 * SECONDS)
    hearings = {way: Hearing(RATE_HZ, OFFSET_HZ, usual.settings()) for way, usual in DEMODULATIONS.items()}
    # In rounds, so that a moment in which the machine has other work is nobody's.
    taken = {way: float("inf") for way in hearings}
    for _ in range(ROUNDS):
        for way, hearing in hearings.items():
            taken[way] = min(taken[way], timed(lambda h=hearing: [h.push(block) for block in blocks], 3))  # type: ignore[misc]
    found = {way: SECONDS / seconds_s for way, seconds_s in taken.items()}

    def plainly() -> None:
        np.abs(scipy.signal.resample_poly(samples * phasor(-OFFSET_HZ / RATE_HZ, 0, samples.size), 1, 50))

    found["plain"] = SECONDS / timed(plainly, 3)
    spans = [SharedSpan(RATE_HZ, [(-900e3 + 100e3 * k, 48e3) for k in range(count)]) for count in (1, 17)]
    times = [float("inf"), float("inf")]
    for _ in range(ROUNDS):
        for n, span in enumerate(spans):
            times[n] = min(times[n], timed(lambda s=span: [s.push(block) for block in blocks], 3))  # type: ignore[misc]
    found["further"] = 1000 * (times[1] - times[0]) / 16 / SECONDS
    return found
