"""Detection of observations that do not fit the others."""

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.correction.design import Matrix, ObservationNoise, whiten, whitened

# Chi-square that dropping one more observation must save: 3.5 sigma squared.
OUTLIER_CHI2 = 12.25
MAX_DROPPED = 3
# Above this many rows there are too many triples; drop one or two rows at a time and restore those that fit.
EXHAUSTIVE_ROWS = 60
# Above this many rows avoid square matrices.
MAX_ROWS = 1_000
# An observation with less redundancy is checked by no other.
MIN_REDUNDANCY = 1e-6
# Share of the original determinant: below it the remaining rows lost a direction.
MIN_DETERMINANT = 1e-9


def outlying(rows: Matrix, right: Matrix, noise: ObservationNoise) -> tuple[int, ...]:
    """Choose the rows to leave out, by chi-square with a price for each row dropped.

    Every subset with up to three rows dropped is tried (up to 60 rows; beyond that the best one or two at a time,
    each taken back that fits in the end). A subset must keep the rank and at least one degree of freedom, so that
    what is left still checks itself. No subset is solved: with P the projector off the fit in the metric of the
    covariance and v = P y, dropping the rows S saves v_S' P_SS^-1 v_S [1]_.

    Parameters
    ----------
    rows, right, noise
        As `design.equations` gives them.

    References
    ----------
    .. [1] Cook & Weisberg, Residuals and Influence in Regression (1982), section 3.4 and appendix A.2.
    """
    count, rank = rows.shape[0], _rank(rows)
    limit = count - rank - 1
    if limit < 1:
        return ()
    if count > MAX_ROWS:
        return _by_residuals(rows, right, noise, rank)
    projector = _projector(rows, noise)
    if count <= EXHAUSTIVE_ROWS:
        return _exhaustive(projector, projector @ right, min(MAX_DROPPED, limit))
    return _stepwise(projector, projector @ right, min(limit, count // 3))


def unchecked(rows: Matrix, group: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return the rows whose removal would leave something unknown: no other row can check them.

    rows : as `design.equations` gives them. A leverage of one is a matter of what was measured, not of how well.
    group : whose look each row is; looks at one carrier, which lies in all of them alike, do not check each other.
        Group -1 is each its own.
    """
    left, sizes, _ = np.linalg.svd(_scaled(rows), full_matrices=False)
    basis = left[:, sizes > 1e-10 * max(float(sizes[0]), 1e-300)]
    alone: NDArray[np.bool_] = np.sum(basis**2, axis=1) > 1 - MIN_REDUNDANCY
    numbers, counts = np.unique(group[group >= 0], return_counts=True)
    # Treat observations of one carrier as a single row.
    for number in numbers[counts > 1]:
        alike = group == number
        # A direction that only these rows determine has all of its weight in them.
        alone[alike] = float(np.linalg.norm(basis[alike].T @ basis[alike], 2)) > 1 - MIN_REDUNDANCY
    return alone


def chi_square(white_rows: Matrix, white_right: Matrix) -> float:
    """Residual sum of squares of the whitened fit; the least-norm one for deficient rank."""
    scaled = _scaled(white_rows)
    residual: Matrix = white_right - scaled @ np.linalg.lstsq(scaled, white_right, rcond=1e-10)[0]
    return float(residual @ residual)


def _projector(rows: Matrix, noise: ObservationNoise) -> Matrix:
    """P = C^-1 - C^-1 A (A' C^-1 A)^-1 A' C^-1, shape (n, n)."""
    root = whitened(np.eye(rows.shape[0]), noise)
    white = _scaled(whiten(rows, np.zeros(rows.shape[0]), noise)[0])
    left, sizes, _ = np.linalg.svd(white, full_matrices=False)
    basis = left[:, sizes > 1e-10 * max(float(sizes[0]), 1e-300)]
    turned = basis.T @ root
    projector: Matrix = root.T @ root - turned.T @ turned
    return projector


def _saved(projector: Matrix, along: Matrix, subsets: NDArray[np.int64]) -> Matrix:
    """Chi-square saved by dropping each subset, shape (subsets,); minus infinity where it costs rank."""
    inner = projector[subsets[:, :, None], subsets[:, None, :]]
    sizes = np.sqrt(np.maximum(np.diagonal(inner, axis1=1, axis2=2), 1e-300))
    scaled = inner / (sizes[:, :, None] * sizes[:, None, :])
    scaled[~(sizes > 1e-150).all(axis=1)] = 0.0
    fine = np.linalg.det(scaled) > MIN_DETERMINANT
    saved = np.full(subsets.shape[0], -np.inf)
    ends = along[subsets[fine]] / sizes[fine]
    saved[fine] = np.einsum("ij,ij->i", ends, np.linalg.solve(scaled[fine], ends[:, :, None])[:, :, 0])
    return saved


def _exhaustive(projector: Matrix, along: Matrix, limit: int) -> tuple[int, ...]:
    best: tuple[float, tuple[int, ...]] = (0.0, ())
    for size in range(1, limit + 1):
        subsets = np.array(list(combinations(range(along.size), size)))
        gains = _saved(projector, along, subsets) - OUTLIER_CHI2 * size
        at = int(np.argmax(gains))
        if gains[at] > best[0]:
            best = (float(gains[at]), tuple(subsets[at].tolist()))
    return best[1]


def _stepwise(projector: Matrix, along: Matrix, limit: int) -> tuple[int, ...]:
    """Drop the best one or two rows at a time while it pays, then restore each that costs less than its price."""
    left, dropped = np.arange(along.size), list[int]()
    inner, ends = projector, along
    # For pairs consider only rows with large residuals of their own.
    while len(dropped) < limit:
        own = np.maximum(np.diag(inner), 1e-300)
        prominent = np.sort(np.argsort(-(ends**2) / own)[:EXHAUSTIVE_ROWS])
        tried = [prominent[:, None], np.array(list(combinations(prominent.tolist(), 2)))]
        gains = [
            _saved(inner, ends, subsets) - OUTLIER_CHI2 * subsets.shape[1] for subsets in tried[: limit - len(dropped)]
        ]
        size = int(np.argmax([gain.max() for gain in gains]))
        at = int(np.argmax(gains[size]))
        if gains[size][at] <= 0:
            break
        gone = tried[size][at]
        used_rows = np.setdiff1d(np.arange(left.size), gone)
        cross = np.linalg.solve(inner[np.ix_(gone, gone)], inner[np.ix_(gone, used_rows)])
        ends = ends[used_rows] - cross.T @ ends[gone]
        inner = inner[np.ix_(used_rows, used_rows)] - inner[np.ix_(used_rows, gone)] @ cross
        dropped += left[gone].tolist()
        left = left[used_rows]
    for row in list(dropped):
        others = np.array([[other_row for other_row in dropped if other_row != row]], dtype=np.int64)
        everything = np.array([dropped], dtype=np.int64)
        without = float(_saved(projector, along, others)[0]) if others.size else 0.0
        if float(_saved(projector, along, everything)[0]) - without < OUTLIER_CHI2:
            dropped.remove(row)
    return tuple(sorted(dropped))


def _by_residuals(rows: Matrix, right: Matrix, noise: ObservationNoise, rank: int) -> tuple[int, ...]:
    """For very many rows: drop the largest whitened residual while it pays, at most a third of all rows."""
    used_rows = np.arange(rows.shape[0])
    min_rows = max(rank + 2, rows.shape[0] * 2 // 3)
    while used_rows.size > min_rows:
        white = whiten(rows[used_rows], right[used_rows], noise.take(used_rows))
        scaled = _scaled(white[0])
        residual = white[1] - scaled @ np.linalg.lstsq(scaled, white[1], rcond=1e-10)[0]
        fewer = np.delete(used_rows, int(np.argmax(np.abs(residual))))
        saved = residual @ residual - chi_square(*whiten(rows[fewer], right[fewer], noise.take(fewer)))
        if saved <= OUTLIER_CHI2 or _rank(rows[fewer]) < rank:
            break
        used_rows = fewer
    return tuple(int(i) for i in np.setdiff1d(np.arange(rows.shape[0]), used_rows))


def _rank(rows: Matrix) -> int:
    return int(np.linalg.matrix_rank(_scaled(rows)))


def _scaled(rows: Matrix) -> Matrix:
    norms = np.linalg.norm(rows, axis=0)
    return rows / np.where(norms > 0, norms, 1.0)
