"""Lost samples that nobody counted: steady lines jump in phase, all at once, each by its own frequency times the gap.

A gap of n samples turns a line at f by 2 pi f n / f_s. One line leaves n open by multiples of f_s / f; three or more
lines agree on one n alone. What turns them otherwise (fading, keying) fits no n and is no loss.
"""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.spectra import hann_spectra

Complex = NDArray[np.complex64]
# Samples averaged to one phase; minimum distance of lines from each other and from the centre.
BLOCK_SAMPLES, APART_HZ = 8192, 6_000.0
MIN_LINES, MAX_LINES = 3, 6
# A line exceeds its surroundings by this much and keeps its phase within this many radians per block.
STEADY_CNR_DB, STEADY_RAD = 18.0, 0.2
# Blocks evaluated on each side of a gap, widest first, because other gaps may be near.
SIDE_BLOCKS = (16, 8, 4, 1)
# Maximum chi-square of the phases on both sides, per block and line; noise alone gives 2.
MAX_BLOCK_CHI2 = 4.0
# Longest gap searched; chi-square that makes a jump; a gap explains it when less than the last value remains.
MAX_LOST, MIN_JUMP_CHI2, MAX_EXPLAINED_CHI2 = 20_000, 60.0, 45.0
# When more of the blocks than this jump, the cause is not gaps.
MAX_JUMPS = 0.5
# Report a count only when every other gap fits worse by this much in chi-square.
MIN_CHI2_MARGIN = 12.0


class Loss(msgspec.Struct, frozen=True):
    """A gap: approximate position (samples received before it, to one block), and number of missing samples.

    is_sure : False when another length explains the jump nearly as well.
    """

    index: int
    count: int
    is_sure: bool


def steady_lines(samples: Complex, rate_hz: float) -> NDArray[np.float64]:
    """Frequencies in hertz, relative to the centre, of lines whose phase can be followed; the strongest first.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        A quarter of a second or more; n >= 16 BLOCK.
    """
    points = 1 << 14
    count = min(samples.size // points, 48)
    if count < 2:
        return np.empty(0)
    power = hann_spectra(samples[: count * points].reshape(count, points)).mean(axis=0)
    places = np.fft.fftshift(np.fft.fftfreq(points, 1 / rate_hz))
    floor = np.median(power.reshape(64, -1), axis=1).repeat(points // 64)
    standing = np.where((np.abs(places) > APART_HZ) & (np.abs(places) < 0.42 * rate_hz), power / floor, 0.0)
    lines_hz: list[float] = []
    while len(lines_hz) < 4 * MAX_LINES and standing.max() > 10 ** (STEADY_CNR_DB / 10):
        place = float(places[np.argmax(standing)])
        lines_hz.append(place)
        standing[np.abs(places - place) < APART_HZ] = 0.0
    if not lines_hz:
        return np.empty(0)
    lines = np.asarray(lines_hz)
    phasors = _phasors(samples[: samples.size // BLOCK_SAMPLES * BLOCK_SAMPLES], lines, rate_hz, 0)
    turned = np.angle(phasors[1:] * phasors[:-1].conj() * _trend(phasors).conj())
    return lines[_spread(turned) < STEADY_RAD][:MAX_LINES]


class LossWatch:
    """Follow steady lines through a stream of consecutive samples."""

    def __init__(self, rate_hz: float, lines_hz: NDArray[np.float64]) -> None:
        self._rate_hz, self._lines_hz = rate_hz, lines_hz
        self._rest = np.empty(0, np.complex64)
        self._phasors = np.empty((0, lines_hz.size), np.complex128)
        self._block = 0
        self._searched = -4 * BLOCK_SAMPLES

    @property
    def can_see(self) -> bool:
        """Whether enough lines are present to decide."""
        return self._lines_hz.size >= MIN_LINES

    def push(self, samples: Complex) -> list[Loss]:
        """Take samples; return the gaps in those whose surroundings are complete."""
        if not self.can_see:
            return []
        joined = np.concatenate([self._rest, samples])
        whole = joined.size // BLOCK_SAMPLES * BLOCK_SAMPLES
        self._rest = joined[whole:]
        fresh = _phasors(joined[:whole], self._lines_hz, self._rate_hz, self._block)
        self._block += whole // BLOCK_SAMPLES
        self._phasors = np.concatenate([self._phasors, fresh])
        if self._phasors.shape[0] < 4 * SIDE_BLOCKS[0]:
            return []
        losses = self._search(SIDE_BLOCKS[0])
        # A gap shows against both neighbours, so the last blocks are evaluated again with the next ones.
        self._phasors = self._phasors[-2 * SIDE_BLOCKS[0] :]
        return losses

    def finish(self) -> list[Loss]:
        """Return the gaps in the last blocks, judged without later samples."""
        if not self.can_see or self._phasors.shape[0] < 2 * SIDE_BLOCKS[2] + 1:
            return []
        return self._search(SIDE_BLOCKS[2])

    def _search(self, latest: int) -> list[Loss]:
        """Search for gaps with a minimum number of blocks after them."""
        phasors, first_block = self._phasors, self._block - self._phasors.shape[0]
        trend = _trend(phasors)
        across = np.angle(phasors[2:] * phasors[:-2].conj() * (trend * trend).conj())
        sigma = np.maximum(_spread(across), 0.01)
        size = np.abs(phasors)
        heard = (size[2:] > 0.3 * np.median(size, axis=0)) & (size[:-2] > 0.3 * np.median(size, axis=0))
        chi2 = np.where(heard, (across / sigma) ** 2, 0.0).sum(axis=1)
        losses: list[Loss] = []
        if np.mean(chi2 > MIN_JUMP_CHI2) > MAX_JUMPS:
            # Lines that jump all the time were never steady: modulation, or products of an ADC.
            return losses
        # Blocks near the end wait for the next samples; before the stream's start there are none.
        earliest = SIDE_BLOCKS[0] if first_block else SIDE_BLOCKS[2]
        for j in (1 + np.flatnonzero(chi2 > MIN_JUMP_CHI2)).tolist():
            place = (first_block + j) * BLOCK_SAMPLES
            if place <= self._searched + 2 * BLOCK_SAMPLES or not earliest <= j < phasors.shape[0] - latest:
                continue
            best = self._best(phasors, trend, sigma, heard, j)
            if best is not None and best.left < MAX_EXPLAINED_CHI2:
                self._searched = (first_block + best.block) * BLOCK_SAMPLES
                losses.append(Loss(self._searched, best.count, best.is_sure))
        return losses

    def _best(
        self,
        phasors: NDArray[np.complex128],
        trend: NDArray[np.complex128],
        sigma: NDArray[np.float64],
        heard: NDArray[np.bool_],
        first: int,
    ) -> "_Fit | None":
        """Best gap at or just after a block: from the widest smooth surroundings on both sides."""
        for sides in SIDE_BLOCKS:
            jumps = [
                jump
                for k in range(first, first + 3)
                if sides <= k < phasors.shape[0] - sides and heard[k - 1].sum() >= MIN_LINES
                for jump in [_jump(phasors, trend, sigma, heard[k - 1], k, sides)]
                if jump.rest < MAX_BLOCK_CHI2 * sides * heard[k - 1].sum()
            ]
            if jumps:
                best = min(jumps, key=lambda jump: jump.rest)
                return self._fit(best, trend, heard[best.block - 1])
        return None

    def _fit(self, jump: "_Jump", trend: NDArray[np.complex128], heard: NDArray[np.bool_]) -> "_Fit | None":
        """Find the number of samples that best explains the jumps of the lines."""
        if (np.abs(jump.turned / jump.sigma)[heard] > 4.0).sum() < 2:
            return None
        lines_hz = self._lines_hz + np.angle(trend) / (2 * np.pi) * self._rate_hz / BLOCK_SAMPLES
        turns = np.outer(np.arange(1, MAX_LOST + 1), lines_hz / self._rate_hz)
        apart = np.angle(np.exp(1j * (jump.turned - 2 * np.pi * (turns % 1.0))))[:, heard] / jump.sigma[heard]
        # Long gaps are rarer than short ones: log-uniform prior.
        left = (apart**2).sum(axis=1) + 2 * np.log(np.arange(1, MAX_LOST + 1))
        best = int(np.argmin(left))
        second = np.delete(left, best).min()
        return _Fit(float(left[best]), best + 1, bool(second > left[best] + MIN_CHI2_MARGIN), jump.block)


class _Jump(msgspec.Struct, frozen=True):
    """Phase step of each line across a block, its sigma, and the chi-square of straightness on both sides."""

    turned: NDArray[np.float64]
    sigma: NDArray[np.float64]
    rest: float
    block: int


class _Fit(msgspec.Struct, frozen=True):
    """Chi-square with the gap, its length, whether it is unique, and its block."""

    left: float
    count: int
    is_sure: bool
    block: int


def _jump(
    phasors: NDArray[np.complex128],
    trend: NDArray[np.complex128],
    sigma: NDArray[np.float64],
    heard: NDArray[np.bool_],
    block: int,
    sides: int,
) -> _Jump:
    """Fit straight lines of one common slope to the phases before and after a block; return the step between them.

    sigma : of the phase difference of two blocks, sqrt(2) times that of one.
    """
    step = np.arange(1, sides + 1)[:, None]
    before = phasors[block - sides : block][::-1] * trend**step
    after = phasors[block + 1 : block + 1 + sides] * trend.conj() ** step
    ends = before.sum(axis=0), after.sum(axis=0)
    turned = np.angle(ends[1] * ends[0].conj())
    jump_sigma = np.maximum(sigma / np.sqrt(2), 0.004)
    if sides == 1:
        return _Jump(turned, jump_sigma * np.sqrt(2), 0.0, block)
    # Use small angles about each side's mean, so that nothing needs unwrapping; time runs backwards before the block.
    phases = [np.angle(side * end.conj()) for side, end in zip((before, after), ends, strict=True)]
    phases = [phase - phase.mean(axis=0) for phase in phases]
    off = step - (sides + 1) / 2
    spread = 2.0 * (off**2).sum()
    slope = ((phases[1] - phases[0]) * off).sum(axis=0) / spread
    rest = (phases[0] + slope * off) ** 2 + (phases[1] - slope * off) ** 2
    sigma_turned = jump_sigma * np.sqrt(2 / sides + (sides + 1) ** 2 / spread)
    chi2 = float((rest / jump_sigma**2)[:, heard].sum())
    return _Jump(turned - slope * (sides + 1), sigma_turned, chi2, block)


def _phasors(
    samples: Complex, lines_hz: NDArray[np.float64], rate_hz: float, first_block: int
) -> NDArray[np.complex128]:
    """Mean of each block at each line, shape (blocks, lines), with phases counted from the stream's first sample."""
    rows = samples.reshape(-1, BLOCK_SAMPLES)
    turns = np.outer(np.arange(BLOCK_SAMPLES), lines_hz / rate_hz)
    means = rows @ (np.exp(-2j * np.pi * turns) / BLOCK_SAMPLES).astype(np.complex64)
    starts = np.outer((first_block + np.arange(rows.shape[0])) * BLOCK_SAMPLES, lines_hz / rate_hz) % 1.0
    return np.asarray(means * np.exp(-2j * np.pi * starts), np.complex128)


def _trend(phasors: NDArray[np.complex128]) -> NDArray[np.complex128]:
    """Phase step of each line per block, as a unit phasor: the median, which no single jump affects."""
    steps = phasors[1:] * phasors[:-1].conj()
    mean = steps.mean(axis=0)
    rough = mean / np.maximum(np.abs(mean), 1e-30)
    rest = np.median(np.angle(steps * rough.conj()), axis=0)
    return np.asarray(rough * np.exp(1j * rest), np.complex128)


def _spread(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Standard deviation from the median absolute deviation, column by column."""
    return np.asarray(1.4826 * np.median(np.abs(values - np.median(values, axis=0)), axis=0))
