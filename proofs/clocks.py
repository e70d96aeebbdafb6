"""Receivers whose tuner and sampling have an oscillator each: the fit on 1,000 random ones with known truth."""

import numpy as np

from yarddial.analysis.correction.fit import CorrectionFit, fit
from yarddial.yard.observation import CrystalAndClock, Observation

YARDS = 1_000
TUNER_PPM, CLOCK_PPM = 25.0, 30.0
PRIORS = {"crystal:Box": (0.0, TUNER_PPM), "clock:Box": (0.0, CLOCK_PPM)}


class Box:
    """A receiver that is tuned by hand; its oscillator stands at the centre, its samples are counted by another."""

    def __init__(self, chance: np.random.Generator) -> None:
        self.chance = chance
        self.tuner_ppm, self.clock_ppm = chance.normal(0, TUNER_PPM), chance.normal(0, CLOCK_PPM)
        self.rate_hz = float(chance.choice((48e3, 96e3, 192e3, 384e3)))
        self.centre_hz = float(np.round(chance.uniform(1.8e6, 28e6), -3))
        self.entered_ppm = round(float(chance.uniform(-40, 40)), 1)

    def look(self, share: float, sigma_hz: float = 0.02, reference_sigma_hz: float = 0.1) -> Observation:
        """A carrier at a share of the rate from the centre, measured; its transmitter is off by its uncertainty."""
        true_hz = self.centre_hz + share * self.rate_hz
        sent_hz = true_hz + self.chance.normal(0, reference_sigma_hz)
        # What arrives is mixed with f_c (1 + p), and counted by a clock that is fast by c.
        mixed_hz = sent_hz - self.centre_hz * (1 + self.tuner_ppm * 1e-6)
        shown_hz = self.centre_hz + mixed_hz / (1 + self.clock_ppm * 1e-6) + self.chance.normal(0, sigma_hz)
        dial_hz = shown_hz * (1 + self.entered_ppm * 1e-6)
        return Observation(
            "Box", true_hz, reference_sigma_hz, dial_hz, sigma_hz, entered_ppm=self.entered_ppm,
            tells_of=CrystalAndClock(self.centre_hz),
        )  # fmt: skip

    def pulls(self, found: CorrectionFit) -> list[float]:
        """Of both estimates."""
        truth = {"crystal:Box": self.tuner_ppm, "clock:Box": self.clock_ppm}
        return [(one.value - truth[one.name]) / one.sigma for one in found.estimates]


def prove() -> bool:
    """Pulls and coverage; what can be told apart; what cannot."""
    return all([_pulls(), _apart(), _together(), _blind()])


def _pulls() -> bool:
    pulls: list[float] = []
    for seed in range(YARDS):
        box = Box(np.random.default_rng((21, seed)))
        count = int(box.chance.integers(2, 9))
        shares = box.chance.uniform(-0.45, 0.45, count)
        pulls += box.pulls(fit([box.look(float(share)) for share in shares], PRIORS))
    mean, width = float(np.mean(pulls)), float(np.std(pulls))
    held = float(np.mean(np.abs(pulls) < 2))
    good = abs(mean) <= 0.1 and abs(width - 1) <= 0.1 and 0.93 <= held <= 0.975
    print(
        f"{'ok  ' if good else 'MISS'} {YARDS} receivers, 2 to 8 carriers: pulls {mean:+.3f} in the mean, {width:.3f} "
        f"wide, within 2 sigma {held:.3f}"
    )
    return good


def _apart() -> bool:
    """One near the centre and two far from it, on both sides: separable, and both uncertainties small."""
    wrong, worst = 0, 0.0
    for seed in range(YARDS):
        box = Box(np.random.default_rng((22, seed)))
        shares = [*box.chance.uniform(-0.04, 0.04, 2), box.chance.uniform(0.3, 0.45), -box.chance.uniform(0.3, 0.45)]
        found = fit([box.look(float(share)) for share in shares], PRIORS)
        wrong += bool(found.inseparable) or not all(one.separate for one in found.estimates)
        worst = max(worst, *(abs(pull) for pull in box.pulls(found)))
    good = wrong == 0
    print(
        f"{'ok  ' if good else 'MISS'} near and far measured: {wrong} of {YARDS} called inseparable; "
        f"worst {worst:.1f} sigma"
    )
    return good


def _together() -> bool:
    """One place only, however often: nothing tells the two apart, and it must be said."""
    missed = 0
    for seed in range(YARDS):
        box = Box(np.random.default_rng((23, seed)))
        share = float(box.chance.uniform(0.05, 0.45) * box.chance.choice((-1, 1)))
        looks = [
            box.look(share * (1 + float(box.chance.uniform(-0.002, 0.002)))) for _ in range(box.chance.integers(1, 7))
        ]
        missed += not fit(looks, PRIORS).inseparable
    good = missed == 0
    print(f"{'ok  ' if good else 'MISS'} one place measured: {missed} of {YARDS} called separable")
    return good


def _blind() -> bool:
    """All close to the centre: the clock is no better known than its sheet, and must not count as found."""
    claimed = 0
    for seed in range(YARDS):
        box = Box(np.random.default_rng((24, seed)))
        reach = min(400.0 / box.rate_hz, 0.01)
        looks = [box.look(float(share)) for share in box.chance.uniform(-reach, reach, int(box.chance.integers(2, 7)))]
        found = fit(looks, PRIORS)
        clock = found.estimate("clock:Box")
        assert clock is not None
        # What the looks alone say of it, by the slope of a straight line through them.
        away = np.array([one.reference_hz - box.centre_hz for one in looks])
        alone_ppm = 0.1 / max(float(np.sqrt(np.sum((away - away.mean()) ** 2))), 1e-9) * 1e6
        claimed += alone_ppm > CLOCK_PPM and clock.separate
    good = claimed == 0
    print(f"{'ok  ' if good else 'MISS'} only near the centre: the clock called found in {claimed} of {YARDS}")
    return good
