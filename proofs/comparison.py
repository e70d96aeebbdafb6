"""A true difference of 3.0 dB under 10 dB of fading, measured in turn: how often the stated range holds it.

Samples of a channel and of the noise beside it are made here; the fading is a slow beat of two paths (10 dB from
crest to trough) or Rayleigh with a Doppler spread, both set-ups seeing the same antenna's fading, or each its own.
"""

import numpy as np

from yarddial.analysis.comparison.difference import Difference, difference
from yarddial.session.listening.comparison import DWELL_S, PAIRS_A_COMPARISON

# Over the noise in the channel, the weaker of the two.
LEVELS_DB = (10.0, 3.0, 0.0, -6.0, -12.0, -20.0)
RUNS, TRUE_DB, RATE_HZ, SETTLES_S = 100, 3.0, 3_000.0, 0.1
# Signal over noise in the channel, dB, of the weaker.
OVER_DB = 15.0
KINDS = (("beat of two paths", 0.0), ("Doppler 0.05 Hz", 0.05), ("Doppler 0.5 Hz", 0.5), ("Doppler 2 Hz", 2.0))


def envelope(chance: np.random.Generator, seconds_s: float, spread_hz: float) -> np.ndarray:
    """Amplitude over time at 100 points a second, mean power 1."""
    count = int(seconds_s * 100)
    time_s = np.arange(count) / 100
    if not spread_hz:
        ratio = 10 ** (10 / 20)
        second = (ratio - 1) / (ratio + 1)
        wave = 1 + second * np.exp(2j * np.pi * (chance.uniform(0.02, 1.0) * time_s + chance.random()))
        return np.abs(wave) / np.sqrt(1 + second**2)
    hertz = np.fft.fftfreq(2 * count, 0.01)
    shape = np.exp(-((hertz / spread_hz) ** 2) / 4)
    noise = chance.standard_normal((2, 2 * count))
    wave = np.fft.ifft(shape * (noise[0] + 1j * noise[1]))[:count]
    return np.abs(wave) / np.sqrt(np.mean(shape**2) / count)


def run(seed: int, spread_hz: float, *, alike: bool) -> tuple[bool, bool]:
    """Whether the range of one comparison holds the true difference, and whether the program calls it settled."""
    chance = np.random.default_rng(seed)
    dwell, turn_s = int(DWELL_S * RATE_HZ), DWELL_S + SETTLES_S
    seconds_s = 2 * PAIRS_A_COMPARISON * turn_s + 1
    own = [envelope(chance, seconds_s, spread_hz)]
    own.append(own[0] if alike else envelope(chance, seconds_s, spread_hz))
    powers: tuple[list[float], list[float]] = ([], [])
    for pair in range(PAIRS_A_COMPARISON):
        order = chance.permutation(2)
        for place, which in enumerate(order):
            begin_s = (2 * pair + place) * turn_s
            at = ((begin_s + np.arange(dwell) / RATE_HZ) * 100).astype(int)
            level = 10 ** ((OVER_DB + TRUE_DB * which) / 20)
            halves = chance.standard_normal((3, dwell)) / np.sqrt(2)
            samples = level * own[which][at] * np.exp(2j * np.pi * 0.11 * np.arange(dwell))
            heard = np.mean(np.abs(samples + halves[0] + 1j * halves[1]) ** 2)
            # The noise beside it is known as well as a channel some times as wide tells it.
            noise = 1 + 0.02 * chance.standard_normal()
            powers[which].append(float(heard - noise))
    found = difference(*powers)
    return found.low_db <= TRUE_DB <= found.high_db, found.is_settled


def prove() -> bool:
    """Counts for each kind of fading."""
    good = True
    for name, spread_hz in KINDS:
        for alike in (True, False):
            told = [run(seed, spread_hz, alike=alike) for seed in range(RUNS)]
            settled = [holds for holds, is_settled in told if is_settled]
            held, all_held = sum(settled), sum(holds for holds, _ in told)
            # The range is promised to hold 19 times in 20, settled or not.
            ok = all_held >= 0.95 * RUNS
            good = good and ok
            who = "the same for both" if alike else "each its own"
            print(
                f"{'ok  ' if ok else 'MISS'} {name}, {who}: {all_held} of {RUNS} ranges hold {TRUE_DB} dB; "
                f"{RUNS - len(settled)} are said not to be settled, {held} of the other {len(settled)} hold"
            )
    for over_db in LEVELS_DB:
        good = _weak(over_db) and good
    return _silent() and good


def weak(seed: int, over_db: float | None, spread_hz: float, *, alike: bool) -> "Difference":
    """One comparison of a signal so far over its channel's noise, the floor beside it; None for noise alone."""
    chance = np.random.default_rng((77, seed))
    dwell, turn_s = int(DWELL_S * RATE_HZ), DWELL_S + SETTLES_S
    own = [envelope(chance, 2 * PAIRS_A_COMPARISON * turn_s + 1, spread_hz)]
    own.append(own[0] if alike else envelope(chance, 2 * PAIRS_A_COMPARISON * turn_s + 1, spread_hz))
    powers: tuple[list[float], list[float]] = ([], [])
    for pair in range(PAIRS_A_COMPARISON):
        for place, which in enumerate(chance.permutation(2)):
            at = (((2 * pair + place) * turn_s + np.arange(dwell) / RATE_HZ) * 100).astype(int)
            level = 0.0 if over_db is None else 10 ** ((over_db + TRUE_DB * which) / 20)
            halves = chance.standard_normal((2, dwell)) / np.sqrt(2)
            samples = level * own[which][at] * np.exp(2j * np.pi * 0.11 * np.arange(dwell))
            # The floor from a stretch four times as wide.
            noise = 1 + chance.standard_normal() / np.sqrt(4 * dwell)
            powers[which].append(float(np.mean(np.abs(samples + halves[0] + 1j * halves[1]) ** 2) - noise))
    scatter = [float(1 / np.sqrt(dwell))] * PAIRS_A_COMPARISON
    return difference(*powers, (scatter, scatter))


def _weak(over_db: float) -> bool:
    """Eight kinds of fading at one level."""
    good = True
    for name, spread_hz in KINDS:
        for alike in (True, False):
            found = [weak(seed, over_db, spread_hz, alike=alike) for seed in range(RUNS)]
            held = sum(one.low_db <= TRUE_DB <= one.high_db for one in found)
            wrong = sum(one.verdict == "first" for one in found)
            silent = sum(not one.has_signal for one in found)
            fine = held >= 93 and wrong <= 2
            good = good and fine
            print(
                f"{'ok  ' if fine else 'MISS'} {over_db:+.0f} dB, {name}, {'the same' if alike else 'each its own'}: "
                f"{held} of {RUNS} ranges hold {TRUE_DB} dB, {wrong} verdicts for the weaker, no signal said {silent}",
                flush=True,
            )
    return good


def _silent() -> bool:
    verdicts = [weak(seed, None, 0.0, alike=True).verdict for seed in range(1_000)]
    judged = sum(one in ("first", "second", "alike") for one in verdicts)
    told = verdicts.count("no signal")
    print(f"{'MISS' if judged else 'ok  '} noise alone: {judged} verdicts in 1000; no signal said {told} times")
    return not judged
