"""A carrier of constant level whose phase tells how its oscillator moves: drifts, wanders, warms up, jumps, or is cut.

The unwrapped phase of the blocks is a straight line (frequency), a parabola (drift) or a few further shapes, on noise,
and for an oscillator that wanders a Gaussian process: white or random-walk frequency noise (IEEE Std 1139). Each is
solved by generalised least squares; what is told is the mean frequency over the record.
"""

from collections.abc import Callable
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.line.blocks import FINE, Blocks
from yarddial.dsp.line.explanation import Explanation

Floats = NDArray[np.float64]

# A block stands so far over its noise that its phase can be followed, and points at most.
CLEAR, POINTS, FEW_POINTS = 8.0, 96, 32
# Share of the blocks that may be lower; from one to the next the phase turns by no more than this.
LOW_SHARE, MOST_TURN = 0.03, 2.2
# What a drift is before it is known, hertz a second, and a frequency's jump, hertz.
DRIFT_HZ_PER_S, JUMP_HZ, WARMING_HZ = 1.0, 1.0, 5.0
# A drift's own change over the record, as a share of it.
CURVED = 0.5
# Before looking.
DRIFTS, WANDERS, WARMS, JUMPS, BREAKS = 0.1, 0.05, 0.02, 0.02, 0.05
WALKS, RARE = 14, 10.0
# Keeps the normal matrix from being singular; of its trace.
RIDGE = 1e-13
# Breaks that are told one by one, how far from each other and from the ends, blocks; the log of odds that one is worth.
MOST_BREAKS, EDGE, WORTH = 4, 3, 3.0
# Where a kink, a step or a warm-up's time constant is tried: points.
PLACES = 60


def explain_oscillator(blocks: Blocks) -> list[Explanation]:
    """A drift and a wander, seen or hidden in the noise; empty where the phase cannot be followed."""
    track = _Track.of(blocks, FEW_POINTS)
    return [] if track is None else track.oscillator()


def explain_phase(blocks: Blocks) -> list[Explanation]:
    """Everything that the phase tells; empty where it cannot be followed."""
    track = _Track.of(blocks, POINTS)
    return [] if track is None else [*track.oscillator(), *track.events()]


class _Profiled(msgspec.Struct):
    """Log of the integral, mean slope and variance, what is left, and the likeliest parameter with its coefficients."""

    log: float
    place: float
    variance: float
    left: float
    at: float
    coefficients: Floats


class _Track:
    """Phases, in units in which their noise has variance 1/2, over time in units of the duration."""

    def __init__(self, blocks: Blocks, phase: Floats, level: float) -> None:
        self.duration_s = blocks.duration_s
        self.level, self.energy = level, blocks.energy
        self.u = blocks.time_s / self.duration_s
        # The record's ends, in the same units: means are over all of it.
        self.whole = blocks.record_s / self.duration_s
        self.seen = level * phase
        self.count = phase.size
        # In phase: what a constant level leaves.
        self.along = float(np.sum((np.abs(blocks.means) - level) ** 2)) - 0.25 * self.count / max(level**2, 1.0)

    @classmethod
    def of(cls, blocks: Blocks, most: int) -> "_Track | None":
        points = int(min(most, blocks.energy / (1.5 * CLEAR)))
        if points < 12:
            return None
        fine = blocks
        if blocks.energy / blocks.means.size < CLEAR:
            fine = blocks.condensed(points)
        size = np.abs(fine.means)
        middle = float(np.median(size))
        if np.mean(size < 0.35 * middle) > LOW_SHARE:
            return None
        phase = np.unwrap(np.angle(fine.means))
        turns = np.diff(phase)
        if np.mean(np.abs(turns - np.median(turns)) > MOST_TURN) > LOW_SHARE:
            return None
        few = fine.condensed(most)
        rows, group = few.means.size, fine.means.size // few.means.size
        # Every block turned back by the track so far and only then summed: no turn within a sum costs level.
        smooth = np.interp(fine.time_s, few.time_s, phase.reshape(rows, group).mean(axis=1))
        sums = (fine.means * np.exp(-1j * smooth)).reshape(rows, group).sum(axis=1) / np.sqrt(group)
        phase = np.interp(few.time_s, few.time_s, smooth.reshape(rows, group).mean(axis=1)) + np.angle(sums)
        size = np.abs(sums)
        few = Blocks(size * np.exp(1j * phase), few.time_s, few.block_s, few.record_s)
        return cls(few, phase, float(np.sqrt(max(np.mean(size**2) - 1.0, 1.0))))

    def oscillator(self) -> list[Explanation]:
        """It drifts, evenly or not, or wanders."""
        straight = [np.ones(self.count), self.u]
        bent = [*straight, self.u**2 - np.mean(self.u**2)]
        return [self._drifting(bent), self._curving(bent), self._wandering(straight)]

    def events(self) -> list[Explanation]:
        """It warms up, jumps, or is broken."""
        straight = [np.ones(self.count), self.u]
        found = [self._warming(straight), self._jumping(straight), self._broken(straight)]
        return [one for one in found if one is not None]

    def _solved(self, columns: list[Floats], inverse: Floats | None = None) -> tuple[Floats, Floats, float, float]:
        """Coefficients, their covariance, the quadratic form left over, and log det of the normal matrix."""
        a = np.stack(columns, axis=1)
        weighted = 2 * a if inverse is None else inverse @ a
        normal = a.T @ weighted
        # Two shapes may be alike where a break or a kink stands at the very end.
        normal = normal + RIDGE * np.trace(normal) * np.eye(normal.shape[0])
        covariance = np.asarray(np.linalg.inv(normal), float)
        coefficients = np.asarray(covariance @ (weighted.T @ self.seen), float)
        rest = self.seen - a @ coefficients
        left = float(rest @ (2 * rest if inverse is None else inverse @ rest)) / 2
        return coefficients, covariance, left, float(np.linalg.slogdet(normal)[1])

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
        """From slopes in levels a duration to hertz."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        # The amplitude's own integral, and the phase's and frequency's as `path_models` counts them.
        log_evidence = self.energy - self.along - left + log + np.log(prior) - 0.5 * np.log(FINE)
        freedom = 2 * self.count - 1 - used
        return Explanation(
            name, float(log_evidence), mean_slope * to_hz, variance * to_hz**2,
            2 * (self.along + left) / freedom, freedom, signal=self.count * self.level**2, **more,  # type: ignore[arg-type]
        )  # fmt: skip

    def _common(self, phase_variance: float, slope_variance: float) -> float:
        """Log of the integral over phase and frequency."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        # Both are known to so much; the phase's unit is a level's, as the amplitude's.
        return 0.5 * float(
            np.log(2 * max(phase_variance, 1e-30) * self.count / FINE)
            + np.log(2 * np.pi * max(slope_variance, 1e-30) * to_hz**2)
        )

    def _drifting(self, columns: list[Floats]) -> Explanation:
        c, covariance, left, _ = self._solved(columns)
        # phase = 2 pi r t^2 / 2: u^2 carries level pi r T^2.
        to_rate = 1 / (np.pi * self.level * self.duration_s**2)
        sigma = float(covariance[2, 2] ** 0.5) * to_rate
        log = self._common(covariance[0, 0], covariance[1, 1]) + _occam(sigma, DRIFT_HZ_PER_S)
        return self._told("drifting", DRIFTS, left, log, c[1], covariance[1, 1], 3,
                          drift_hz_per_s=float(c[2]) * to_rate, drift_sigma=sigma)  # fmt: skip

    def _curving(self, columns: list[Floats]) -> Explanation:
        """A drift that slows or quickens, as most do: by a share of itself over the record."""
        cubic = self.u**3 - 3 / 20 * self.u
        c, covariance, left, _ = self._solved([*columns, cubic])
        # phase = a u^2 + b u^3: the frequency's change is 2 a, what that changes by 6 b.
        before = CURVED * abs(float(c[2])) / 3
        sigma2 = float(covariance[3, 3])
        # A Gaussian before: it takes the coefficient, and its variance, towards zero.
        shrink = before**2 / (before**2 + sigma2)
        log = self._common(covariance[0, 0], covariance[1, 1]) + 0.5 * float(np.log(sigma2 / (before**2 + sigma2)))
        left += 0.5 * float(c[3]) ** 2 / (before**2 + sigma2)
        to_rate = 1 / (np.pi * self.level * self.duration_s**2)
        sigma = float(covariance[2, 2] ** 0.5) * to_rate
        log += _occam(sigma, DRIFT_HZ_PER_S)
        # The mean slope of u^3 - 3/20 u over the record.
        mean = self.whole**2 / 4 - 3 / 20
        place = float(c[1]) + mean * shrink * float(c[3])
        variance = float(covariance[1, 1]) + mean**2 * shrink * sigma2
        return self._told("drifting", DRIFTS / 3, left, log, place, variance, 4,
                          drift_hz_per_s=float(c[2]) * to_rate, drift_sigma=sigma)  # fmt: skip

    def _wandering(self, columns: list[Floats]) -> Explanation:
        """Walks of the frequency and of the phase of every size, weighed by their likelihood."""
        logs, places, variances, lefts = [], [], [], []
        for kind in (0, 1):
            kernel, to_mean, ends = _walk(kind, self.count, round(self.whole, 4))
            to_mean, ends = to_mean / self.whole, ends / self.whole**2
            most = 30 * float(np.var(self.seen)) / float(np.trace(kernel) / self.count)
            for power in np.geomspace(0.03 / float(np.trace(kernel)), max(most, 1.0), WALKS):
                full = 0.5 * np.eye(self.count) + power * kernel
                lower = np.linalg.cholesky(full)
                inverse = np.linalg.inv(full)
                c, covariance, left, _ = self._solved(columns, inverse)
                rest = self.seen - np.stack(columns, axis=1) @ c
                along = power * to_mean @ inverse
                # The mean frequency: the straight line's and what the walk added from end to end.
                gain = np.array([0.0, 1.0]) - along @ np.stack(columns, axis=1)
                places.append(float(c[1] + along @ rest))
                variances.append(
                    float(power * ends - power * to_mean @ inverse @ to_mean * power + gain @ covariance @ gain)
                )
                log_det = float(np.log(np.diag(lower)).sum()) + 0.5 * self.count * np.log(2)
                log = -left - log_det + self._common(covariance[0, 0], covariance[1, 1])
                # A phase that walks by itself is rarer than one that is cut, which it can always imitate.
                logs.append(log - (RARE if kind == 0 else 0.0))
                lefts.append(left)
        log, place, variance = _mixed(np.array(logs), np.array(places), np.array(variances))
        best = int(np.argmax(logs))
        return self._told("wandering", WANDERS / len(logs), lefts[best], log, place, variance, 2)

    def _warming(self, columns: list[Floats]) -> Explanation:
        """An exponential approach: the phase is a straight line and an exponential of every time constant."""

        def shape(log_constant: float) -> tuple[Floats, float]:
            constant = float(np.exp(log_constant))
            wave = np.exp(-(self.u + 0.5) / constant) * constant**2
            ends = np.exp(-(0.5 + np.array([-0.5, 0.5]) * self.whole) / constant) * constant**2
            return wave, float(ends[1] - ends[0]) / self.whole

        found = self._profiled(columns, np.linspace(np.log(0.15), np.log(4.0), 16), shape, WARMING_HZ)
        # The drift in the middle of the record.
        constant = float(np.exp(found.at))
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        rate = float(found.coefficients[2]) * float(np.exp(-0.5 / constant)) * to_hz / self.duration_s
        return self._told(
            "warming up", WARMS, found.left, found.log, found.place, found.variance, 4, drift_hz_per_s=rate
        )

    def _jumping(self, columns: list[Floats]) -> Explanation:
        """The frequency jumps once: the phase has a kink."""

        def shape(at: float) -> tuple[Floats, float]:
            return np.maximum(self.u - at, 0.0), (0.5 * self.whole - at) / self.whole

        found = self._profiled(columns, np.linspace(-0.45, 0.45, PLACES), shape, JUMP_HZ)
        return self._told("jumping", JUMPS, found.left, found.log, found.place, found.variance, 4, changes=1)

    def _profiled(
        self,
        columns: list[Floats],
        grid: Floats,
        shape: Callable[[float], tuple[Floats, float]],
        before_hz: float,
    ) -> "_Profiled":
        """One more shape with a parameter of its own, integrated over a grid that closes in on the likeliest."""
        to_hz = 1 / (2 * np.pi * self.level * self.duration_s)
        width = float(grid[-1] - grid[0])
        while True:
            tried = []
            for at in grid.tolist():
                wave, mean_slope = shape(at)
                c, covariance, left, _ = self._solved([*columns, wave])
                to_mean = np.array([0.0, 1.0, mean_slope])
                occam = _occam(float(max(covariance[2, 2], 0.0) ** 0.5) * to_hz, before_hz)
                log = -left + occam + self._common(covariance[0, 0], covariance[1, 1])
                tried.append((log, float(to_mean @ c), float(to_mean @ covariance @ to_mean), left, at, c))
            logs = np.array([one[0] for one in tried])
            best = int(np.argmax(logs))
            low, high = grid[max(best - 1, 0)], grid[min(best + 1, grid.size - 1)]
            beside = logs[[max(best - 1, 0), min(best + 1, grid.size - 1)]]
            if logs[best] - beside.min() < 2.0 or high - low < 1e-5 * width:
                break
            grid = np.linspace(low, high, 9)
        log, place, variance = _mixed(logs, np.array([one[1] for one in tried]), np.array([one[2] for one in tried]))
        log += float(np.log((grid[1] - grid[0]) / width))
        return _Profiled(log, place, variance, tried[best][3], tried[best][4], tried[best][5])

    def _broken(self, columns: list[Floats]) -> Explanation | None:
        """The phase steps, as where samples are lost: one step more while it helps, all moved to where they fit."""
        edges: list[int] = []
        told: Explanation | None = None
        best = self._cut(columns, []).log
        for number in range(1, MOST_BREAKS + 1):
            able = [e for e in range(EDGE, self.count - EDGE) if all(abs(e - other) >= EDGE for other in edges)]
            tried = [self._cut(columns, [*edges, edge]) for edge in able]
            if not tried:
                break
            edges = [*edges, able[int(np.argmax([one.log for one in tried]))]]
            edges, around = self._settled(columns, edges)
            logs = np.array([one.log for one in around])
            places, variances = (np.array([getattr(one, name) for one in around]) for name in ("place", "variance"))
            log, place, variance = _mixed(logs, places, variances)
            # Every break may be anywhere.
            log -= number * float(np.log(self.count))
            if log > best + WORTH:
                best, left = log, around[int(np.argmax(logs))].left
                told = self._told("broken", BREAKS, left, log, place, variance, 2 + 3 * number, changes=number)
        return told

    def _settled(self, columns: list[Floats], edges: list[int]) -> tuple[list[int], list["_Profiled"]]:
        """Each break moved by a few blocks while that fits better; and all that was tried about the last place."""
        around = [self._cut(columns, edges)]
        for _ in range(2):
            for which in range(len(edges)):
                moved = [
                    [*edges[:which], edges[which] + away, *edges[which + 1 :]]
                    for away in range(-EDGE, EDGE + 1)
                    if EDGE <= edges[which] + away < self.count - EDGE
                ]
                moved = [one for one in moved if np.min(np.diff(sorted(one)), initial=EDGE) >= 2]
                around = [self._cut(columns, one) for one in moved]
                edges = moved[int(np.argmax([one.log for one in around]))]
        return edges, around

    def _cut(self, columns: list[Floats], edges: list[int]) -> "_Profiled":
        """With steps at these blocks; the block with a step in it is worth nothing."""
        at = np.arange(self.count)
        shapes = [shape for edge in edges for shape in ((at >= edge).astype(float), (at == edge).astype(float))]
        c, covariance, left, _ = self._solved([*columns, *shapes])
        log = -left + self._common(covariance[0, 0], covariance[1, 1])
        for number in range(2, 2 + len(shapes)):
            log += _occam(float(max(covariance[number, number], 1e-30) ** 0.5), 2 * np.pi * self.level)
        return _Profiled(log, float(c[1]), float(covariance[1, 1]), left, 0.0, c)


def _occam(sigma: float, before: float) -> float:
    """What a parameter costs that was known to `before` and now is to sigma."""
    return float(np.log(min(np.sqrt(2 * np.pi) * sigma / (2 * before), 1.0)))


def _mixed(logs: Floats, places: Floats, variances: Floats) -> tuple[float, float, float]:
    most = float(logs.max())
    weights = np.exp(logs - most)
    total = float(weights.sum())
    share = weights / total
    mean = float(share @ places)
    return most + float(np.log(total)), mean, float(share @ (variances + (places - mean) ** 2))


@lru_cache(maxsize=32)
def _walk(kind: int, count: int, whole: float) -> tuple[Floats, Floats, float]:
    """Covariance of a phase that walks (0) or whose frequency does (1), over a record of one, blocks in its middle.

    Returns it at the blocks' middles, with the way from end to end, and that way's own variance.
    """
    at = ((np.arange(count) + 0.5) / count - 0.5) / whole + 0.5
    one, two = np.minimum(at[:, None], at[None, :]), np.maximum(at[:, None], at[None, :])
    if kind == 0:
        return one, at.copy(), 1.0
    return one**2 * (3 * two - one) / 6, at**2 * (3 - at) / 6, 1 / 3
