"""Models of a constant-level carrier whose phase shows its oscillator: drift, random walk, warm-up, jumps, gaps.

The unwrapped phase of the blocks is a straight line (frequency), a parabola (drift) or a few further shapes, on noise,
and for an oscillator that wanders a Gaussian process: white or random-walk frequency noise (IEEE Std 1139). Each is
solved by generalised least squares; what is told is the mean frequency over the record.
"""

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import OtherLine
from yarddial.dsp.spectral_line.blocks import MIN_BLOCKS, Blocks
from yarddial.dsp.spectral_line.explanation import Explanation

Floats = NDArray[np.float64]

# Minimum signal-to-noise ratio (power) of a block whose phase can be followed. Maximum number of phase points: for all
# models, and for drift and wander alone.
MIN_BLOCK_SNR, MAX_PHASE_POINTS, MAX_OSCILLATOR_POINTS = 8.0, 96, 32
# Share of the blocks that may be weaker. Maximum phase step between blocks, radians.
LOW_SHARE, MAX_TURN = 0.03, 2.2
# Prior width of a drift, of a frequency jump and of a warm-up.
PRIOR_DRIFT_HZ_PER_S, PRIOR_JUMP_HZ, PRIOR_WARM_UP_HZ = 1.0, 1.0, 5.0
# Prior width of the drift's own change over the record, as a share of the drift.
CURVATURE_SHARE = 0.5
# Prior probability of each model.
DRIFT_PRIOR, WANDER_PRIOR, WARM_UP_PRIOR, JUMP_PRIOR, BREAK_PRIOR = 0.1, 0.05, 0.02, 0.02, 0.05
# Number of random-walk sizes tried, and the log odds against a random walk of the phase.
RANDOM_WALK_SIZES, RANDOM_WALK_LOG_PENALTY = 14, 10.0
# Share of its trace added to the normal matrix to keep it regular.
RIDGE_SHARE = 1e-13
# Maximum number of breaks; their minimum distance from each other and from the ends; log odds that justify one more.
MAX_BREAKS, MIN_BREAK_DISTANCE_BLOCKS, BREAK_LOG_PRICE = 4, 3, 3.0
# Grid points for the position of a kink.
GRID_PLACES = 60


def explain_oscillator(blocks: Blocks) -> list[Explanation]:
    """Explain by a drift and by a random walk, seen or hidden in noise; empty where the phase cannot be followed."""
    track = _Track.of(blocks, MAX_OSCILLATOR_POINTS)
    return [] if track is None else track.oscillator()


def explain_phase(blocks: Blocks) -> list[Explanation]:
    """All explanations by phase; empty when it cannot be unwrapped."""
    track = _Track.of(blocks, MAX_PHASE_POINTS)
    return [] if track is None else [*track.oscillator(), *track.events()]


class _Profiled(msgspec.Struct):
    """Log of the integral, mean slope and variance, residual, and the likeliest parameter with its coefficients."""

    log: float
    place: float
    variance: float
    left: float
    at: float
    coefficients: Floats


class _Cuts(msgspec.Struct):
    """For every set of breaks tried: log of the integral, slope and its variance, residual."""

    logs: Floats
    places: Floats
    variances: Floats
    lefts: Floats


# For each design: coefficients, their covariance, residual.
_Solutions = tuple[Floats, Floats, Floats]


class _Track:
    """Phases over time in units of the duration; their noise has variance 1/2 in these units."""

    def __init__(self, blocks: Blocks, phase: Floats, level: float) -> None:
        self.duration_s = blocks.duration_s
        self.level, self.energy = level, blocks.energy
        self.u = blocks.time_s / self.duration_s
        # Duration of the whole record in the same units, because means refer to all of it.
        self.whole = blocks.record_s / self.duration_s
        self.seen = level * phase
        self.count = phase.size
        # In-phase residual of a constant level.
        self.along = float(np.sum((np.abs(blocks.means) - level) ** 2)) - 0.25 * self.count / max(level**2, 1.0)

    @classmethod
    def of(cls, blocks: Blocks, limit: int) -> "_Track | None":
        points = int(min(limit, blocks.energy / (1.5 * MIN_BLOCK_SNR)))
        if points < 12:
            return None
        fine = blocks
        if blocks.energy / blocks.means.size < MIN_BLOCK_SNR:
            fine = blocks.condensed(points)
        size = np.abs(fine.means)
        middle = float(np.median(size))
        if np.mean(size < 0.35 * middle) > LOW_SHARE:
            return None
        phase = np.unwrap(np.angle(fine.means))
        turns = np.diff(phase)
        if np.mean(np.abs(turns - np.median(turns)) > MAX_TURN) > LOW_SHARE:
            return None
        few = fine.condensed(limit)
        rows, group = few.means.size, fine.means.size // few.means.size
        # Remove the track from every block before summing, so that rotation within a sum costs no level.
        smooth = np.interp(fine.time_s, few.time_s, phase.reshape(rows, group).mean(axis=1))
        sums = (fine.means * np.exp(-1j * smooth)).reshape(rows, group).sum(axis=1) / np.sqrt(group)
        phase = np.interp(few.time_s, few.time_s, smooth.reshape(rows, group).mean(axis=1)) + np.angle(sums)
        size = np.abs(sums)
        few = Blocks(size * np.exp(1j * phase), few.time_s, few.block_s, few.record_s)
        return cls(few, phase, float(np.sqrt(max(np.mean(size**2) - 1.0, 1.0))))

    def oscillator(self) -> list[Explanation]:
        """Explanations by the oscillator: it drifts, evenly or not, or wanders."""
        straight = [np.ones(self.count), self.u]
        bent = [*straight, self.u**2 - np.mean(self.u**2)]
        return [self._drifting(bent), self._curving(bent), self._wandering(straight)]

    def events(self) -> list[Explanation]:
        """Explanations by events: it warms up, jumps, or is broken."""
        straight = [np.ones(self.count), self.u]
        explanations = [self._warming(straight), self._jumping(straight), self._broken(straight)]
        return [explanation for explanation in explanations if explanation is not None]

    def _solved(self, columns: list[Floats]) -> tuple[Floats, Floats, float]:
        """Coefficients, their covariance, and the residual quadratic form."""
        coefficients, covariance, left = self._solved_each(np.stack(columns, axis=1)[None])
        return coefficients[0], covariance[0], float(left[0])

    def _solved_each(self, designs: Floats, weights: Floats | None = None, seen: Floats | None = None) -> _Solutions:
        """Least squares for every design at once.

        Parameters
        ----------
        designs : ndarray, shape (m, n, c)
            m designs of c columns over n points.
        weights : ndarray, shape (m, n), optional
            Inverse variance of every point; default 2, the blocks' own noise.
        seen : ndarray, shape (n,), optional
            What is explained; default the phase.

        Returns
        -------
        tuple of ndarray, shapes (m, c), (m, c, c), (m,)
            Coefficients, their covariance, and half the weighted sum of squares left over.
        """
        seen = self.seen if seen is None else seen
        weighted = 2 * designs if weights is None else weights[:, :, None] * designs
        normal = designs.transpose(0, 2, 1) @ weighted
        # Two shapes may coincide when a break or a kink is at the very end.
        ridge = RIDGE_SHARE * np.trace(normal, axis1=1, axis2=2)
        normal += ridge[:, None, None] * np.eye(normal.shape[1])
        covariance = np.asarray(np.linalg.inv(normal), float)
        coefficients = np.matvec(covariance, np.vecmat(seen, weighted))
        rest = seen - np.matvec(designs, coefficients)
        left = np.sum((2.0 if weights is None else weights) * rest**2, axis=1) / 2
        return coefficients, covariance, left

    def _told(
        self,
        name: str,
        prior: float,
        left: float,
        log: float,
        mean_slope: float,
        variance: float,
        used: int,
        **more: object,
    ) -> Explanation:
        """Convert slopes in levels per duration to hertz."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        # Include the integrals over amplitude, phase and frequency as `path_models` counts them.
        log_evidence = self.energy - self.along - left + log + np.log(prior) - 0.5 * np.log(MIN_BLOCKS)
        freedom = 2 * self.count - 1 - used
        return Explanation(
            name, float(log_evidence), mean_slope * to_hz, variance * to_hz**2,
            2 * (self.along + left) / freedom, freedom, signal=self.count * self.level**2, **more,  # type: ignore[arg-type]
        )  # fmt: skip

    def _common(self, covariance: Floats) -> Floats:
        """Log of the integral over phase and frequency, for covariances of shape (..., c, c)."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        phase_variance, slope_variance = covariance[..., 0, 0], covariance[..., 1, 1]
        # Both have the same uncertainty: phase and amplitude in units of the level.
        return 0.5 * np.asarray(
            np.log(2 * np.maximum(phase_variance, 1e-30) * self.count / MIN_BLOCKS)
            + np.log(2 * np.pi * np.maximum(slope_variance, 1e-30) * to_hz**2)
        )

    def _drifting(self, columns: list[Floats]) -> Explanation:
        c, covariance, left = self._solved(columns)
        # phase = 2 pi r t^2 / 2, so the u^2 coefficient is level pi r T^2.
        to_rate = 1 / (np.pi * self.level * self.duration_s**2)
        sigma = float(covariance[2, 2] ** 0.5) * to_rate
        log = float(self._common(covariance)) + _occam(sigma, PRIOR_DRIFT_HZ_PER_S)
        return self._told("drifting", DRIFT_PRIOR, left, log, c[1], covariance[1, 1], 3,
                          drift_hz_per_s=float(c[2]) * to_rate, drift_sigma=sigma)  # fmt: skip

    def _curving(self, columns: list[Floats]) -> Explanation:
        """Explain by a drift that changes over the record by a share of itself."""
        cubic = self.u**3 - 3 / 20 * self.u
        c, covariance, left = self._solved([*columns, cubic])
        # phase = a u^2 + b u^3: the frequency changes by 2 a, and that change by 6 b.
        before = CURVATURE_SHARE * abs(float(c[2])) / 3
        sigma2 = float(covariance[3, 3])
        # A Gaussian prior shrinks the coefficient and its variance.
        shrink = before**2 / (before**2 + sigma2)
        log = float(self._common(covariance)) + 0.5 * float(np.log(sigma2 / (before**2 + sigma2)))
        left += 0.5 * float(c[3]) ** 2 / (before**2 + sigma2)
        to_rate = 1 / (np.pi * self.level * self.duration_s**2)
        sigma = float(covariance[2, 2] ** 0.5) * to_rate
        log += _occam(sigma, PRIOR_DRIFT_HZ_PER_S)
        # Mean slope of u^3 - 3/20 u over the record.
        mean = self.whole**2 / 4 - 3 / 20
        place = float(c[1]) + mean * shrink * float(c[3])
        variance = float(covariance[1, 1]) + mean**2 * shrink * sigma2
        return self._told("drifting", DRIFT_PRIOR / 3, left, log, place, variance, 4,
                          drift_hz_per_s=float(c[2]) * to_rate, drift_sigma=sigma)  # fmt: skip

    def _wandering(self, columns: list[Floats]) -> Explanation:
        """Explain by random walks of frequency and of phase, averaged over their sizes by likelihood."""
        logs, places, variances, lefts = [], [], [], []
        for kind in (0, 1):
            random_walk = _random_walk(kind, self.count, round(self.whole, 4))
            to_mean, ends = random_walk.to_mean / self.whole, random_walk.ends / self.whole**2
            limit = 30 * float(np.var(self.seen)) / (random_walk.trace / self.count)
            powers = np.geomspace(0.03 / random_walk.trace, max(limit, 1.0), RANDOM_WALK_SIZES)
            # Along the random walk's eigenvectors every size is a plain variance of each point.
            design = random_walk.axes.T @ np.stack(columns, axis=1)
            seen = random_walk.axes.T @ self.seen
            noise = 0.5 + powers[:, None] * random_walk.sizes
            designs = np.broadcast_to(design, (RANDOM_WALK_SIZES, *design.shape))
            c, covariance, left = self._solved_each(designs, 1 / noise, seen)
            rest = seen - np.matvec(designs, c)
            along = powers[:, None] * (random_walk.axes.T @ to_mean) / noise
            # Mean frequency: the straight line's, plus the random walk's from end to end.
            gain = np.array([0.0, 1.0]) - along @ design
            places.append(c[:, 1] + np.vecdot(along, rest))
            variances.append(
                powers * ends
                - powers * np.vecdot(along, random_walk.axes.T @ to_mean)
                + np.vecdot(gain, np.matvec(covariance, gain))
            )
            log_det = 0.5 * np.log(noise).sum(axis=1) + 0.5 * self.count * np.log(2)
            # A random walk of the phase is rarer than a break, which it can always imitate.
            logs.append(-left - log_det + self._common(covariance) - (RANDOM_WALK_LOG_PENALTY if kind == 0 else 0.0))
            lefts.append(left)
        every_log = np.concatenate(logs)
        log, place, variance = _mixed(every_log, np.concatenate(places), np.concatenate(variances))
        best = int(np.argmax(every_log))
        left_over = float(np.concatenate(lefts)[best])
        return self._told("wandering", WANDER_PRIOR / every_log.size, left_over, log, place, variance, 2)

    def _warming(self, columns: list[Floats]) -> Explanation:
        """Explain by a warm-up: the phase is a straight line and an exponential of any time constant."""

        def shape(log_constant: float) -> tuple[Floats, float]:
            constant = float(np.exp(log_constant))
            wave = np.exp(-(self.u + 0.5) / constant) * constant**2
            ends = np.exp(-(0.5 + np.array([-0.5, 0.5]) * self.whole) / constant) * constant**2
            return wave, float(ends[1] - ends[0]) / self.whole

        profiled = self._profiled(columns, np.linspace(np.log(0.15), np.log(4.0), 16), shape, PRIOR_WARM_UP_HZ)
        # Drift in the middle of the record.
        constant = float(np.exp(profiled.at))
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        rate = float(profiled.coefficients[2]) * float(np.exp(-0.5 / constant)) * to_hz / self.duration_s
        return self._told(
            "warming up",
            WARM_UP_PRIOR,
            profiled.left,
            profiled.log,
            profiled.place,
            profiled.variance,
            4,
            drift_hz_per_s=rate,
        )

    def _jumping(self, columns: list[Floats]) -> Explanation:
        """Explain by one frequency jump, a kink of the phase: the answer is the longer part's frequency."""

        def shape(at: float) -> tuple[Floats, float]:
            # The answer is the frequency of the longer part; the mean of both is in neither.
            return np.maximum(self.u - at, 0.0), 0.0 if at > 0 else 1.0

        profiled = self._profiled(columns, np.linspace(-0.45, 0.45, GRID_PLACES), shape, PRIOR_JUMP_HZ)
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        size_hz = float(profiled.coefficients[2]) * to_hz * (1.0 if profiled.at > 0 else -1.0)
        other = OtherLine(profiled.place * to_hz + size_hz, profiled.variance**0.5 * to_hz, 0.0)
        return self._told(
            "jumping", JUMP_PRIOR, profiled.left, profiled.log, profiled.place, profiled.variance, 4,
            changes=1, others=(other,),
        )  # fmt: skip

    def _profiled(
        self,
        columns: list[Floats],
        grid: Floats,
        shape: Callable[[float], tuple[Floats, float]],
        before_hz: float,
    ) -> "_Profiled":
        """Add one shape with a parameter, integrated over a grid that narrows around the maximum."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        width = float(grid[-1] - grid[0])
        while True:
            waves, mean_slopes = zip(*(shape(at) for at in grid.tolist()), strict=True)
            designs = np.stack([np.stack([*columns, wave], axis=1) for wave in waves])
            c, covariance, left = self._solved_each(designs)
            to_mean = np.stack([np.array([0.0, 1.0, slope]) for slope in mean_slopes])
            occam = _occam(np.sqrt(np.maximum(covariance[:, 2, 2], 0.0)) * to_hz, before_hz)
            logs = -left + occam + self._common(covariance)
            best = int(np.argmax(logs))
            low, high = grid[max(best - 1, 0)], grid[min(best + 1, grid.size - 1)]
            beside = logs[[max(best - 1, 0), min(best + 1, grid.size - 1)]]
            if logs[best] - beside.min() < 2.0 or high - low < 1e-5 * width:
                break
            grid = np.linspace(low, high, 9)
        variances = np.vecdot(to_mean, np.matvec(covariance, to_mean))
        log, place, variance = _mixed(logs, np.vecdot(to_mean, c), variances)
        log += float(np.log((grid[1] - grid[0]) / width))
        return _Profiled(log, place, variance, float(left[best]), float(grid[best]), c[best])

    def _broken(self, columns: list[Floats]) -> Explanation | None:
        """Explain by steps of the phase, as from lost samples: add one while it helps, then adjust all of them."""
        edges: list[int] = []
        explanation: Explanation | None = None
        best = float(self._cut(columns, [[]]).logs[0])
        for number in range(1, MAX_BREAKS + 1):
            able = [
                e
                for e in range(MIN_BREAK_DISTANCE_BLOCKS, self.count - MIN_BREAK_DISTANCE_BLOCKS)
                if all(abs(e - other) >= MIN_BREAK_DISTANCE_BLOCKS for other in edges)
            ]
            if not able:
                break
            tried = self._cut(columns, [[*edges, edge] for edge in able])
            edges, around = self._settled(columns, [*edges, able[int(np.argmax(tried.logs))]])
            log, place, variance = _mixed(around.logs, around.places, around.variances)
            # Each break may be at any block.
            log -= number * float(np.log(self.count))
            if log > best + BREAK_LOG_PRICE:
                best, left = log, float(around.lefts[int(np.argmax(around.logs))])
                explanation = self._told(
                    "broken", BREAK_PRIOR, left, log, place, variance, 2 + 3 * number, changes=number
                )
        return explanation

    def _settled(self, columns: list[Floats], edges: list[int]) -> tuple[list[int], "_Cuts"]:
        """Adjust each break by a few blocks while the fit improves; return it with all neighbours tried."""
        around = self._cut(columns, [edges])
        for _ in range(2):
            for which in range(len(edges)):
                moved = [
                    [*edges[:which], edges[which] + away, *edges[which + 1 :]]
                    for away in range(-MIN_BREAK_DISTANCE_BLOCKS, MIN_BREAK_DISTANCE_BLOCKS + 1)
                    if MIN_BREAK_DISTANCE_BLOCKS <= edges[which] + away < self.count - MIN_BREAK_DISTANCE_BLOCKS
                ]
                moved = [
                    breaks
                    for breaks in moved
                    if np.min(np.diff(sorted(breaks)), initial=MIN_BREAK_DISTANCE_BLOCKS) >= 2
                ]
                around = self._cut(columns, moved)
                edges = moved[int(np.argmax(around.logs))]
        return edges, around

    def _cut(self, columns: list[Floats], tried: list[list[int]]) -> "_Cuts":
        """Fit steps at these blocks for each list in `tried`; the block that contains a step has no weight."""
        at = np.arange(self.count)[None, :, None]
        edges = np.array(tried, int).reshape(len(tried), 1, -1)
        straight = np.broadcast_to(np.stack(columns, axis=1), (len(tried), self.count, len(columns)))
        designs = np.concatenate([straight, at >= edges, at == edges], axis=2)
        c, covariance, left = self._solved_each(designs)
        sigmas = np.sqrt(np.maximum(np.diagonal(covariance, axis1=1, axis2=2)[:, len(columns) :], 1e-30))
        logs = -left + self._common(covariance) + np.sum(_occam(sigmas, 2 * np.pi * self.level), axis=1)
        return _Cuts(logs, c[:, 1], covariance[:, 1, 1], left)


def _occam(sigma: Any, before: float) -> Any:
    """Occam factor of a parameter with prior width `before` and posterior sigma; elementwise for arrays."""
    return np.log(np.minimum(np.sqrt(2 * np.pi) * sigma / (2 * before), 1.0))


def _mixed(logs: Floats, places: Floats, variances: Floats) -> tuple[float, float, float]:
    limit = float(logs.max())
    weights = np.exp(logs - limit)
    total = float(weights.sum())
    share = weights / total
    mean = float(share @ places)
    return limit + float(np.log(total)), mean, float(share @ (variances + (places - mean) ** 2))


class _RandomWalk(msgspec.Struct, frozen=True):
    """Random walk of unit size over the blocks, along its eigenvectors.

    `sizes` are its variances along `axes`, `trace` their sum; `to_mean` is its covariance with the change from end to
    end, `ends` the variance of that change.
    """

    axes: Floats
    sizes: Floats
    trace: float
    to_mean: Floats
    ends: float


@lru_cache(maxsize=32)
def _random_walk(kind: int, count: int, whole: float) -> _RandomWalk:
    """Random walk of phase (kind 0) or frequency (kind 1) over a record of unit length, blocks in its middle."""
    at = ((np.arange(count) + 0.5) / count - 0.5) / whole + 0.5
    earlier, two = np.minimum(at[:, None], at[None, :]), np.maximum(at[:, None], at[None, :])
    if kind == 0:
        kernel, to_mean, ends = earlier, at.copy(), 1.0
    else:
        kernel, to_mean, ends = earlier**2 * (3 * two - earlier) / 6, at**2 * (3 - at) / 6, 1 / 3
    sizes, axes = np.linalg.eigh(kernel)
    # Eigenvalues of a covariance are not negative: remove rounding errors.
    return _RandomWalk(axes, np.maximum(sizes, 0.0), float(np.trace(kernel)), to_mean, ends)
