"""The linear equations behind the fit, exact and free of cancellation.

A receiver that shows r (its typed-in correction removed) hears r (1 + p) at its socket, and the path delivers
s F + sum of w_i L_i there, s the sense and w_i = +-1. With L_i = N_i + d_i and entered oscillators E_i,

    r p  -  sum w_i d_i  =  s (F - D) + sum w_i (N_i - E_i) + r p_e

for a dial reading D: linear in the unknowns p and d_i, with nothing neglected. Where the sample clock is off by c of
its own and the centre is f_c, r p becomes f_c p + (r - f_c) c. A transceiver's d_i is N_i times its reference's error.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yarddial.yard.frequency_conversion import lo_weights
from yarddial.yard.observation import CrystalAndClock, Observation, OneCrystal, SamplingOnly, path_of
from yarddial.yard.oscillators import clock_of, crystal_of

Matrix = NDArray[np.float64]

# Share of a reference's variance that is common to all its observations; the rest, such as sky-wave Doppler, is new
# each time.
LASTING_SHARE = 0.5
# Share of the daily sky-wave Doppler that is constant within a day. Layers rise and sink over hours, and swing over
# minutes.
DAILY_SHARE = 0.5


def unknowns_of(observations: Sequence[Observation]) -> tuple[str, ...]:
    """All oscillators that the observations involve, in order of appearance."""
    return tuple(dict.fromkeys(name for observation in observations for name in observation.unknowns))


class ObservationNoise(NamedTuple):
    """Uncertainties of the right-hand sides: independent ones, and those that rows share within a day or permanently.

    The covariance is diag(sigma^2) + d d^T within each day of a path + s s^T within each reference; group -1 shares
    nothing. All in hertz.
    """

    sigma: Matrix
    daily: Matrix
    day: NDArray[np.int64]
    shared: Matrix
    group: NDArray[np.int64]

    @property
    def total_hz(self) -> Matrix:
        """Total uncertainty of each observation."""
        total: Matrix = np.sqrt(self.sigma**2 + self.shared**2 + self.daily**2)
        return total

    def take(self, rows: NDArray[np.int64]) -> "ObservationNoise":
        """Uncertainties of some rows."""
        return ObservationNoise(self.sigma[rows], self.daily[rows], self.day[rows], self.shared[rows], self.group[rows])

    def with_lies(self, lies_hz: Matrix) -> "ObservationNoise":
        """Add the error of a wrongly identified carrier; all observations of it share that error."""
        named = self.group >= 0
        signs = np.where(self.shared < 0, -1.0, 1.0)
        return self._replace(
            sigma=np.hypot(self.sigma, np.where(named, 0.0, lies_hz)),
            shared=np.where(named, signs * np.hypot(self.shared, lies_hz), self.shared),
        )


def equations(observations: Sequence[Observation], names: Sequence[str]) -> tuple[Matrix, Matrix, ObservationNoise]:
    """Build rows, right-hand sides and the uncertainties of the right-hand sides.

    Returns
    -------
    rows : ndarray, shape (n, k)
        Hertz per ppm for crystals, hertz per hertz for converters' oscillators.
    right : ndarray, shape (n,)
        Hertz.
    noise : Noise
        Measuring a named reference again averages only a part of its error away: such rows share what its path does on
        one day, and LASTING_SHARE of the rest of its variance for good.
    """
    rows = np.zeros((len(observations), len(names)))
    right = np.zeros(len(observations))
    column = {name: j for j, name in enumerate(names)}
    for i, seen in enumerate(observations):
        shown_hz = seen.shown_uncorrected_hz()
        match seen.tells_of:
            case OneCrystal():
                rows[i, column[crystal_of(seen.receiver)]] = shown_hz * 1e-6
            case CrystalAndClock(centre_hz):
                rows[i, column[crystal_of(seen.receiver)]] = centre_hz * 1e-6
                rows[i, column[clock_of(seen.receiver)]] = (shown_hz - centre_hz) * 1e-6
            case SamplingOnly():
                rows[i, column[clock_of(seen.receiver)]] = shown_hz * 1e-6
        right[i] = -seen.sense * seen.error_hz + shown_hz * seen.entered_ppm * 1e-6
        for stage, weight in zip(seen.stages, lo_weights(seen.entered_stages()), strict=True):
            rows[i, column[stage.unknown]] -= weight * stage.hertz_per_unit
            right[i] += weight * (stage.nominal_lo_hz - stage.entered_lo_hz)
    return rows, right, _noise(observations)


# From this many rows on, solve the normal equations: a hundred times faster, but less exact when sigmas differ by
# millions.
MANY_ROWS = 1_000


def whiten(rows: Matrix, right: Matrix, noise: ObservationNoise) -> tuple[Matrix, Matrix]:
    """Transform equations with shared uncertainties to independent ones with sigma 1."""
    table = whitened(np.column_stack([rows, right]), noise)
    return table[:, :-1], table[:, -1]


def whitened(table: Matrix, noise: ObservationNoise) -> Matrix:
    """Multiply the columns by the symmetric inverse root of the covariance.

    With shared over independent uncertainties as V = Q L R^T, the inverse root of I + V V^T is
    I - Q (1 - 1 / sqrt(1 + L^2)) Q^T, so no inverse over all rows is needed.
    """
    own2, columns = noise.sigma**2, []
    for shared, group in ((noise.daily, noise.day), (noise.shared, noise.group)):
        members = np.flatnonzero((group >= 0) & (shared != 0))
        _, kinds, counts = np.unique(group[members], return_inverse=True, return_counts=True)
        # Groups with a single member share nothing.
        alone = members[counts[kinds] == 1]
        own2[alone] += shared[alone] ** 2
        for kind in np.flatnonzero(counts > 1):
            alike = members[kinds == kind]
            column = np.zeros(noise.sigma.size)
            column[alike] = shared[alike]
            columns.append(column)
    own = np.sqrt(own2)
    turned: Matrix = table / own[:, None]
    if columns and own.size > MANY_ROWS:
        # The same from the small matrix V^T V = R L^2 R^T: 1 - 1 / s is L^2 / (s (s + 1)), s = sqrt(1 + L^2).
        shares = np.stack(columns, axis=1) / own[:, None]
        squares, turns = np.linalg.eigh(shares.T @ shares)
        sizes = np.sqrt(1 + np.maximum(squares, 0.0))
        along = turns.T @ (shares.T @ turned)
        turned = turned - shares @ (turns @ (along / (sizes * (sizes + 1))[:, None]))
    elif columns:
        common, sizes, _ = np.linalg.svd(np.stack(columns, axis=1) / own[:, None], full_matrices=False)
        turned = turned - common @ ((1 - 1 / np.sqrt(1 + sizes**2))[:, None] * (common.T @ turned))
    return turned


def _noise(observations: Sequence[Observation]) -> ObservationNoise:
    groups: dict[str, int] = {}
    days: dict[tuple[str, str], int] = {}
    sigma, daily, day, shared, group = [], [], [], [], []
    for seen in observations:
        named = bool(seen.shares)
        wander = min(seen.wander_hz, seen.reference_sigma_hz) ** 2
        own = seen.reference_sigma_hz**2 - wander
        lasting, within_day = (LASTING_SHARE, DAILY_SHARE) if named else (0.0, 0.0)
        group.append(groups.setdefault(seen.shares, len(groups)) if named else -1)
        # The ionosphere shifts all frequencies of one transmitter alike.
        day.append(days.setdefault((path_of(seen.reference_name) or seen.shares, seen.day), len(days)) if named else -1)
        sigma.append((seen.sigma_hz**2 + (1 - lasting) * own + (1 - within_day) * wander) ** 0.5)
        daily.append(seen.sense * (within_day * wander) ** 0.5)
        shared.append(seen.sense * (lasting * own) ** 0.5)
    return ObservationNoise(np.array(sigma), np.array(daily), np.array(day), np.array(shared), np.array(group))
