"""The advised setting of all gain stages against the best by brute force, on random scenes through made-up receivers.

The receivers are made here, sample by sample: noise, a cubic and full scale at every stage, so many bits at the end.
What the program is given is what it would measure; the truth is the wanted signal's own part of the channel, found by
projection on the signal as it was sent.
"""

from functools import partial
from itertools import product

import msgspec
import numpy as np

from yarddial.analysis.levels.best_setting import MAX_CLIPPED, best_setting
from yarddial.drivers.protocol import ActualSettings, RequestedSettings
from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, SweepPoint
from yarddial.engine.taps.gain_sweep import GainSweep
from yarddial.engine.taps.tap import Piece
from yarddial.engine.tuning import Tuning
from yarddial.session.levels.levels import step_of
from yarddial.yard.errors import BadSamples
from yarddial.yard.level import GainsDb

SCENES, WITHIN_DB = 200, 1.0
RATE_HZ, COUNT, WIDTH_HZ = 500e3, 100_000, 3_000.0
ONE_STAGE_DB = ((0.0, 2.7, 5.7, 9.1, 12.4, 15.9, 19.4, 23.3, 28.2, 33.4, 38.8, 44.6, 48.1),)
THREE_STAGES_DB = ((-18.0, -12.0, -6.0, 0.0), (0.0, 10.0, 19.0), (20.0, 26.0, 32.0, 38.0, 44.0, 50.0, 59.0))
NAMES = ("input", "mixer", "IF")


class Scene:
    """What is on the air, square root of milliwatts, and a receiver for it."""

    def __init__(self, seed: int, *, outside: bool = False) -> None:
        """outside : strong signals stand beyond the span, which is a quarter as wide and cut out behind all stages."""
        self._chance = chance = np.random.default_rng(seed)
        self.outside, self.narrower = outside, 4 if outside else 1
        self.rate_hz = RATE_HZ / self.narrower
        self.offset_hz = float(chance.uniform(20e3, 150e3) * chance.choice((-1, 1))) / self.narrower
        time_s = np.arange(COUNT) / RATE_HZ
        hertz = np.fft.fftfreq(COUNT, 1 / RATE_HZ)
        spectrum = np.where(np.abs(hertz - self.offset_hz) < 1_200.0, self._noise(1.0), 0.0)
        wanted = np.fft.ifft(spectrum)
        self.wanted = wanted * 10 ** (chance.uniform(-105, -70) / 20) / np.sqrt(np.mean(np.abs(wanted) ** 2))
        self.air = self.wanted + self._noise(-174 + chance.uniform(3, 45) + 10 * np.log10(RATE_HZ))
        places = chance.uniform(-200e3, 200e3, int(chance.integers(2, 6)))
        if outside:
            first = float(chance.choice((-1, 1)) * chance.uniform(75e3, 110e3))
            places = np.array([first, 2 * first - self.offset_hz + chance.uniform(-800, 800), 2 * first])
        if not outside and chance.random() < 0.6:
            # 2 f1 - f2 falls into the channel.
            places[1] = 2 * places[0] - self.offset_hz + chance.uniform(-800, 800)
        for place in places:
            if abs(place - self.offset_hz) > 6e3 and abs(place) < 240e3:
                swing = 1 + 0.4 * np.sin(2 * np.pi * chance.uniform(300, 2_000) * time_s)
                self.air += 10 ** (chance.uniform(-65, -25) / 20) * swing * np.exp(2j * np.pi * place * time_s)
        self.steps_db = THREE_STAGES_DB if chance.random() < 0.5 else ONE_STAGE_DB
        three = len(self.steps_db) == 3
        self.nf_db = chance.uniform(3, 12, len(self.steps_db))
        self.iip3_dbm = chance.uniform(-8, 18, 3) if three else chance.uniform(-12, 5, 1)
        self.bits = int(chance.choice((12, 14))) if three else 8
        self.full_dbm = float(chance.uniform(0, 10))

    def _noise(self, dbm: float) -> np.ndarray:
        halves = self._chance.standard_normal((2, COUNT))
        return 10 ** (dbm / 20) * (halves[0] + 1j * halves[1]) / np.sqrt(2)

    def received(self, gains_db: tuple[float, ...]) -> np.ndarray:
        """Samples, full scale 1."""
        samples = self.air.copy()
        for gain_db, nf_db, iip3_dbm in zip(gains_db, self.nf_db, self.iip3_dbm, strict=True):
            samples += self._noise(-173.98 + 10 * np.log10((10 ** (nf_db / 10) - 1) * RATE_HZ))
            bend = np.minimum(np.abs(samples) ** 2 / 10 ** (iip3_dbm / 10), 1 / 3)
            samples *= (1 - bend) * 10 ** (gain_db / 20)
        samples = self.narrowed(samples / 10 ** (self.full_dbm / 20))
        halves = np.stack([samples.real, samples.imag]) * 2 ** (self.bits - 1)
        halves = np.clip(np.floor(halves), -(2 ** (self.bits - 1)), 2 ** (self.bits - 1) - 1) + 0.5
        return ((halves[0] + 1j * halves[1]) / 2 ** (self.bits - 1)).astype(np.complex64)

    def narrowed(self, samples: np.ndarray) -> np.ndarray:
        """The span alone, at its own rate."""
        if self.narrower == 1:
            return samples
        spectrum = np.fft.fft(samples)
        spectrum[np.abs(np.fft.fftfreq(COUNT, 1 / RATE_HZ)) > 0.45 * self.rate_hz] = 0.0
        return np.fft.ifft(spectrum)[:: self.narrower]

    def sndr_db(self, samples: np.ndarray) -> float:
        """The part of the channel that is the wanted signal against the rest."""
        window = np.hanning(samples.size)
        channel = np.abs(np.fft.fftfreq(samples.size, 1 / self.rate_hz) - self.offset_hz) < WIDTH_HZ / 2
        heard, sent = (np.fft.fft(each * window)[channel] for each in (samples, self.narrowed(self.wanted)))
        part = np.vdot(sent, heard) / np.vdot(sent, sent)
        return float(10 * np.log10(np.sum(np.abs(part * sent) ** 2) / np.sum(np.abs(heard - part * sent) ** 2)))


def prove() -> bool:
    """Strong signals in the span, and beyond it."""
    results = [_campaign(outside=outside) for outside in (False, True)]
    return all(results)


def _campaign(*, outside: bool) -> bool:
    """Counts the scenes in which the advice is more than 1 dB under the best of all settings."""
    behind, behind_all, refused, refused_best, halves, claimed = [], [], 0, [], [], []
    seed = -1
    while len(behind) < SCENES // (2 if outside else 1):
        seed += 1
        scene = Scene(seed, outside=outside)
        steps, truth = [], {}
        settings = tuple(tuple(zip(NAMES, gains_db, strict=False)) for gains_db in product(*scene.steps_db))
        events: list[Event] = []
        requested, actual = RequestedSettings(0.0, scene.rate_hz), ActualSettings(0.0, scene.rate_hz, "")
        tuning = Tuning(1, requested, actual, scene.offset_hz, scene.rate_hz)
        sweep = GainSweep(
            Sweep(settings, WIDTH_HZ, dwell_s=0.15, with_products=True),
            tuning,
            partial(_acknowledged, tuning),
            events.append,
        )
        for gains_db in product(*scene.steps_db):
            samples = scene.received(gains_db)
            events.clear()
            sweep.push(Piece(samples, samples, samples, 0, 0.0, tuning))
            found = events[0]
            assert isinstance(found, SweepPoint)
            truth[found.gains_db] = scene.sndr_db(samples)
            steps.append(step_of(found))
        # A setting that fills the converter spoils the rest of the span: told, but no best to be measured against.
        clear = {step.gains_db for step in steps if step.clipped_share <= MAX_CLIPPED}
        best_db = max((sndr for gains, sndr in truth.items() if gains in clear), default=-99.0)
        of_all_db = max(truth.values())
        try:
            advised = best_setting(steps)
        except BadSamples:
            # Scenes in which nothing can be heard at any setting are none of the 200.
            refused += 1
            refused_best.append(best_db)
            continue
        claimed.append(advised.sndr_db - truth[advised.gains_db])
        behind.append(best_db - truth[advised.gains_db])
        behind_all.append(of_all_db - truth[advised.gains_db])
        halves.append(best_db - float(np.median(list(truth.values()))))
        if behind[-1] > WITHIN_DB:
            print(f"scene {seed}: {behind[-1]:.2f} dB under the best, {best_db:.1f} dB")
    strict = sum(db <= WITHIN_DB for db in behind_all) == len(behind_all) and max(refused_best, default=0.0) < 6.0
    print(
        f"{'ok  ' if strict else 'MISS'} {len(behind_all)} scenes, strong signals "
        f"{'beyond' if outside else 'in'} the span: "
        f"{sum(db <= WITHIN_DB for db in behind_all)} within "
        f"{WITHIN_DB:g} dB of the best of all settings, worst {max(behind_all):.2f} dB, median "
        f"{np.median(behind_all):.2f}; a setting at random is {np.median(halves):.1f} dB under; {refused} more refused "
        f"as no signal stands out (best of them {max(refused_best, default=-99):.1f} dB)"
    )
    print(
        f"     against the best that clips no more than {MAX_CLIPPED:.0%} of the samples, which is all that is ever "
        f"advised: worst {max(behind):.2f} dB; signal over noise is told {np.median(claimed):+.1f} dB beside the "
        f"truth, 9 of 10 within {np.percentile(np.abs(claimed), 90):.1f} dB"
    )
    return strict


def _acknowledged(tuning: Tuning, gains_db: GainsDb) -> Tuning:
    """A receiver that sets every gain as asked."""
    return msgspec.structs.replace(tuning, actual=msgspec.structs.replace(tuning.actual, gains_db=gains_db))
