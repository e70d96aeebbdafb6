"""The fit on 1,000 random yards with known truth: pulls, bad references, what cannot be separated, what to do next."""

import numpy as np

from yarddial.analysis.correction.fit import fit
from yarddial.yard.observation import Observation, SeenStage

YARDS = 1_000
LO_HZ = {"Ladder": 120e6, "Second": 125e6, "Third": 100e6}
PRIOR_PPM, PRIOR_LO_HZ = 25.0, 600.0


class Yard:
    """One or two receivers, up to three converters; true errors drawn from what their sheets say."""

    def __init__(self, chance: np.random.Generator) -> None:
        self._chance = chance
        self.ppm = {f"R{i}": chance.normal(0, PRIOR_PPM) for i in range(int(chance.integers(1, 3)))}
        names = list(LO_HZ)[: int(chance.integers(0, 4))]
        self.lo_hz = {name: chance.normal(0, PRIOR_LO_HZ) for name in names}
        self.entered_ppm = {name: round(float(chance.uniform(-40, 40)), 1) for name in self.ppm}

    def look(
        self, receiver: str, through: str | None, true_hz: float, sigma_hz: float, reference_sigma_hz: float
    ) -> Observation:
        """Measure a transmitter that is itself off by its doubt."""
        chance = self._chance
        sent_hz = true_hz + chance.normal(0, reference_sigma_hz)
        nominal_hz = LO_HZ[through] if through else 0.0
        lo_hz = nominal_hz + self.lo_hz[through] if through else 0.0
        shown_hz = (sent_hz + lo_hz) / (1 + self.ppm[receiver] * 1e-6) + chance.normal(0, sigma_hz)
        dial_hz = shown_hz * (1 + self.entered_ppm[receiver] * 1e-6) - nominal_hz
        stages = (SeenStage(through, "sum", nominal_hz, nominal_hz),) if through else ()
        return Observation(receiver, true_hz, reference_sigma_hz, dial_hz, sigma_hz, stages, self.entered_ppm[receiver])

    def any_look(self) -> Observation:
        """Somewhere, over something."""
        chance = self._chance
        receiver = str(chance.choice(list(self.ppm)))
        through = str(chance.choice(list(self.lo_hz))) if self.lo_hz and chance.random() < 0.6 else None
        true_hz = chance.uniform(0.5e6, 30e6) if through else chance.uniform(60e6, 1_500e6)
        return self.look(receiver, through, float(true_hz), 10 ** chance.uniform(-2, 0), 10 ** chance.uniform(-1, 1))

    @property
    def priors(self) -> dict[str, tuple[float, float]]:
        """What the sheets say."""
        found = {f"crystal:{name}": (0.0, PRIOR_PPM) for name in self.ppm}
        return found | {f"lo:{name}": (0.0, PRIOR_LO_HZ) for name in self.lo_hz}

    def truth(self, name: str) -> float:
        """Of an oscillator."""
        kind, _, part = name.partition(":")
        return float(self.ppm[part] if kind == "crystal" else self.lo_hz[part])


def prove() -> bool:
    """Three campaigns."""
    return all([_pulls(), _outliers(), _separable()])


def _pulls() -> bool:
    pulls = []
    for seed in range(YARDS):
        chance = np.random.default_rng(seed)
        yard = Yard(chance)
        count = 1 if seed % 20 == 0 else int(chance.integers(2, 25))
        found = fit([yard.any_look() for _ in range(count)], yard.priors)
        pulls += [(e.value - yard.truth(e.name)) / e.sigma for e in found.estimates]
    mean, width = float(np.mean(pulls)), float(np.std(pulls))
    good = abs(mean) <= 0.1 and abs(width - 1) <= 0.1
    print(
        f"{'ok  ' if good else 'MISS'} {YARDS} yards, {len(pulls)} oscillators: pulls {mean:+.3f} in the mean, "
        f"{width:.3f} wide"
    )
    return good


def _outliers() -> bool:
    found_bad = accused = 0
    for seed in range(YARDS):
        chance = np.random.default_rng(50_000 + seed)
        yard = Yard(chance)
        receiver = next(iter(yard.ppm))
        yard.lo_hz.setdefault("Ladder", float(chance.normal(0, PRIOR_LO_HZ)))
        looks = [yard.look(receiver, None, float(chance.uniform(60e6, 300e6)), 0.05, 0.5) for _ in range(3)]
        looks += [yard.look(receiver, "Ladder", float(chance.uniform(1e6, 29e6)), 0.05, 0.5) for _ in range(3)]
        accused += bool(fit(looks, yard.priors).outliers)
        bad = int(chance.integers(6))
        off_hz = 0.5 * chance.uniform(12, 100) * chance.choice((-1, 1))
        one = looks[bad]
        looks[bad] = Observation(
            one.receiver, one.reference_hz, one.reference_sigma_hz, one.dial_hz + off_hz, one.sigma_hz, one.stages,
            one.entered_ppm,
        )  # fmt: skip
        found_bad += fit(looks, yard.priors).outliers == (bad,)
    good = found_bad >= 0.95 * YARDS and accused <= 0.02 * YARDS
    print(
        f"{'ok  ' if good else 'MISS'} one bad reference of six, 12 to 100 sigma off: found in "
        f"{found_bad / YARDS:.1%}; a clean six accused in {accused / YARDS:.1%}"
    )
    return good


def _separable() -> bool:
    """Only through the converter, over less than an octave: no; with a direct reference besides: yes."""
    missed = invented = 0
    for seed in range(YARDS):
        chance = np.random.default_rng(90_000 + seed)
        yard = Yard(chance)
        receiver = next(iter(yard.ppm))
        yard.lo_hz.setdefault("Ladder", float(chance.normal(0, PRIOR_LO_HZ)))
        low_hz = float(chance.uniform(0.6e6, 10e6))
        through = [
            yard.look(receiver, "Ladder", float(chance.uniform(low_hz, 1.5 * low_hz)), 0.05, 0.3)
            for _ in range(int(chance.integers(1, 6)))
        ]
        missed += not fit(through, yard.priors).inseparable
        direct = [yard.look(receiver, None, float(chance.uniform(90e6, 300e6)), 0.05, 0.5)]
        invented += bool(fit([*through, *direct], yard.priors).inseparable)
    good = missed == 0 and invented == 0
    print(
        f"{'ok  ' if good else 'MISS'} {YARDS} yards seen through the converter alone: {missed} called separable; with "
        f"a direct reference besides: {invented} called inseparable"
    )
    return good
