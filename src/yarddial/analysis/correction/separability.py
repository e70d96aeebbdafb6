"""Separability: which oscillators the observations can determine individually."""

from collections.abc import Mapping

import numpy as np

from yarddial.analysis.correction.design import Matrix

# Above this condition number separate values depend on the last millihertz of each measurement: only their sum is
# known.
CONDITION_LIMIT = 30.0
CORRELATION_LIMIT = 0.99
# A crystal with a larger uncertainty, when tied to another unknown, is hardly better known than from its data sheet.
USEFUL_PPM = 1.0
# An unknown counts as measured when its sigma is this many times smaller than the data sheet's.
MIN_IMPROVEMENT = 3.0


def tied(rows: Matrix) -> list[tuple[int, ...]]:
    """Find groups of unknowns that the geometry of the observations cannot separate.

    Parameters
    ----------
    rows : ndarray, shape (n, k)
        Design matrix, rows unweighted: a condition of the places measured, not of how long each was measured.

    Returns
    -------
    list of tuple of int
        Columns that hang together; an untouched column is a group of its own.

    Notes
    -----
    Columns are scaled to unit length, which makes the condition number independent of units. A direction whose
    singular value is under 1/30 of the largest ties every unknown that takes part in it; so does a correlation
    beyond 0.99 between two.
    """
    norms = np.linalg.norm(rows, axis=0)
    lost: list[tuple[int, ...]] = [(int(j),) for j in np.flatnonzero(norms == 0)]
    live = np.flatnonzero(norms > 0)
    if live.size == 0:
        return lost
    scaled = rows[:, live] / norms[live]
    # With fewer rows than unknowns include the directions that no row determines.
    _, singular, directions = np.linalg.svd(scaled, full_matrices=scaled.shape[0] < scaled.shape[1])
    singular = np.concatenate([singular, np.zeros(live.size - singular.size)])
    weak = singular < singular[0] / CONDITION_LIMIT
    links = {tuple(live[np.abs(direction) > 0.05]) for direction in directions[weak]}
    if not weak.any():
        links |= {tuple(live[list(pair)]) for pair in _correlated(np.linalg.inv(scaled.T @ scaled))}
    return lost + _merge(links)


def _correlated(covariance: Matrix) -> list[tuple[int, int]]:
    sigma = np.sqrt(np.diag(covariance))
    correlation = np.abs(covariance / np.outer(sigma, sigma))
    pairs = np.argwhere(np.triu(correlation, 1) > CORRELATION_LIMIT)
    return [(int(i), int(j)) for i, j in pairs]


def _merge(links: set[tuple[int, ...]]) -> list[tuple[int, ...]]:
    groups: list[set[int]] = []
    for link in sorted(links):
        joined = {int(j) for j in link}
        apart = [group for group in groups if not group & joined]
        for group in groups:
            if group & joined:
                joined |= group
        groups = [*apart, joined]
    return [tuple(sorted(group)) for group in groups]


def weakly_known(covariance: Matrix, names: tuple[str, ...]) -> list[tuple[int, ...]]:
    """Find pairs tied by the weighted fit whose crystal is not even known to `USEFUL_PPM`."""
    return [
        pair
        for pair in _correlated(covariance)
        for j in pair
        if names[j].startswith("crystal:") and covariance[j, j] > USEFUL_PPM**2
    ]


def unseen_clocks(
    covariance: Matrix, names: tuple[str, ...], priors: Mapping[str, tuple[float, float]]
) -> list[tuple[int, ...]]:
    """Find sample clocks that the observations determine no better than the data sheet, since all were near the centre.

    covariance : without any prior. Each clock is named with its receiver's crystal.
    """
    unseen_groups: list[tuple[int, ...]] = []
    for j, name in enumerate(names):
        kind, _, receiver = name.partition(":")
        known = priors.get(name)
        crystal = f"crystal:{receiver}"
        if kind == "clock" and known is not None and crystal in names and covariance[j, j] > known[1] ** 2:
            unseen_groups.append((names.index(crystal), j))
    return unseen_groups


def known_alone(
    rows: Matrix, sigma_hz: Matrix, names: tuple[str, ...], priors: Mapping[str, tuple[float, float]]
) -> tuple[int, ...]:
    """Find unknowns that single observations determine, one after the other; known ones help with the next.

    Parameters
    ----------
    rows : ndarray, shape (n, k)
        Design matrix, hertz per unit.
    sigma_hz : ndarray, shape (n,)
        Uncertainty of each look in whole.
    priors : mapping of name to (value, sigma)
        Better by BETTER than its sheet is known; without one there is nothing to go by, and nothing is known.

    Returns
    -------
    tuple of int
        Columns. However alike another column is in other looks, these do not lean on it.
    """
    variance = np.square(sigma_hz)
    left = list(range(len(names)))
    known_indices: list[int] = []
    while True:
        best: tuple[float, int] | None = None
        for j in left:
            lone = [i for i in range(rows.shape[0]) if rows[i, j] and not any(rows[i, k] for k in left if k != j)]
            known = priors.get(names[j])
            if not lone or known is None or not known[1] > 0:
                continue
            ratio = float(np.sum(rows[lone, j] ** 2 / variance[lone])) ** -0.5 / known[1]
            if ratio < 1 / MIN_IMPROVEMENT and (best is None or ratio < best[0]):
                best = (ratio, j)
        if best is None:
            return tuple(sorted(known_indices))
        ratio, j = best
        sigma = ratio * priors[names[j]][1]
        # The remaining uncertainty counts as noise of the other observations that involve it.
        variance = variance + np.square(rows[:, j] * sigma)
        left.remove(j)
        known_indices.append(j)
