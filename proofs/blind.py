"""Blind truing on 300 random worlds: what is decided is right, what is not is said, and the doubt is the true one."""

import numpy as np

from yarddial.analysis.blind.raster_fit import RasterCarrier, Way, fit_raster, rule_sigma_hz, usual_rasters_hz

WORLDS, LO_HZ, LO_SIGMA_HZ = 300, 120e6, 600.0
# Band edges, the rasters kept there, and whether a converter lies on the way.
BANDS = (
    (531e3, 1_602e3, (9e3,), True),
    (530e3, 1_610e3, (10e3,), True),
    (9.4e6, 9.9e6, (5e3,), True),
    (87.5e6, 108e6, (50e3, 100e3, 200e3), False),
    (144e6, 146e6, (12.5e3, 25e3), False),
)


class World:
    """12 to 60 carriers with their own errors, sky-wave, ghosts and a tenth off the raster, read by a wrong dial."""

    def __init__(self, seed: int, band: int | None = None, count: int | None = None) -> None:
        chance = np.random.default_rng(seed)
        low, high, rasters, has_lo = BANDS[int(chance.integers(len(BANDS))) if band is None else band]
        self.raster_hz = float(chance.choice(rasters))
        grid = np.arange(np.ceil(low / self.raster_hz), np.floor(high / self.raster_hz) + 1) * self.raster_hz
        size = min(int(chance.integers(12, 61)) if count is None else count, grid.size)
        true_hz = chance.choice(grid, size, replace=False)
        rule_hz = rule_sigma_hz(self.raster_hz, (low + high) / 2)
        # Within the rule, or locked far better.
        true_hz += np.where(
            chance.random(size) < 0.5, chance.normal(0, rule_hz, size), chance.normal(0, rule_hz / 30, size)
        )
        if high < 30e6:
            true_hz += chance.normal(0, 0.3, size)
        elsewhere = chance.random(size) < 0.1
        true_hz = np.where(elsewhere, chance.uniform(low, high, size), true_hz)
        self.ppm = float(chance.uniform(-60, 60))
        lo_hz, self.lo_error_hz = (LO_HZ, float(chance.normal(0, LO_SIGMA_HZ))) if has_lo else (0.0, 0.0)
        sigma_hz = 10 ** chance.uniform(-2, -0.5, size)
        shown_hz = (true_hz + lo_hz + self.lo_error_hz) / (1 + self.ppm * 1e-6)
        dial_hz = shown_hz - lo_hz + chance.normal(0, 1, size) * sigma_hz
        middle_hz = float(dial_hz.mean())
        self.offset_hz = middle_hz - ((middle_hz + lo_hz) * (1 + self.ppm * 1e-6) - lo_hz - self.lo_error_hz)
        self.seen = [RasterCarrier(float(d), float(s)) for d, s in zip(dial_hz, sigma_hz, strict=True)]
        port_hz = (low + high) / 2
        self.ways = [Way("right", 0.0, lo_hz + port_hz, LO_SIGMA_HZ if has_lo else 0.0)]
        if has_lo and chance.random() < 0.5:
            other_hz = float(chance.choice((100e6, 116e6, 125e6)))
            self.ways.append(Way("wrong", LO_HZ - other_hz, other_hz + port_hz, 5e-6 * other_hz))
        self.rasters_hz = usual_rasters_hz(port_hz)


def prove() -> bool:
    """Decided, right, and the width of error over doubt; then the oscillator by 20 medium-wave carriers."""
    decided, right, pulls = 0, 0, []
    for seed in range(WORLDS):
        world = World(seed)
        found = fit_raster(world.seen, world.ways, world.rasters_hz)
        best = found.hypotheses[0]
        if not found.decided:
            continue
        decided += 1
        off_hz = best.offset_hz - world.offset_hz
        fits = (best.way, best.raster_hz, best.inverted) == ("right", world.raster_hz, False)
        if fits and abs(off_hz) < max(6 * best.sigma_hz, 1.0):
            right += 1
            pulls.append(off_hz / best.sigma_hz)
        else:
            print(
                f"world {seed}: {best} but truly {world.raster_hz:g} Hz, {world.offset_hz:.2f} Hz, {world.ppm:.2f} ppm"
            )
    width = float(np.std(pulls))
    good = right >= 0.99 * decided and abs(width - 1) <= 0.1
    print(
        f"{'ok  ' if good else 'MISS'} {WORLDS} worlds: {decided} decided, {right} of them right "
        f"({right / decided:.1%}); error over doubt {np.mean(pulls):+.2f} in the mean, {width:.2f} wide"
    )
    misses = []
    for seed in range(40):
        world = World(10_000 + seed, 0, 20)
        best = fit_raster(world.seen, world.ways[:1], (9e3,)).hypotheses[0]
        misses.append(abs(best.offset_hz - world.offset_hz))
    within = float(np.max(misses))
    ok = within <= 3.0
    mark = "ok  " if ok else "MISS"
    print(f"{mark} 20 medium-wave carriers through a converter, 40 worlds: within {within:.2f} Hz (<= 3)")
    return good and ok
