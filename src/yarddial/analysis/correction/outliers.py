"""Which observations do not fit the others?"""

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from yarddial.analysis.correction.design import Matrix, ObservationNoise, whiten

# Chi-square that one more dropped observation must save: 3.5 sigma squared.
PRICE = 12.25
MOST_DROPPED = 3
# Above this many rows all triples are too many; rows are then dropped one at a time.
EXHAUSTIVE_ROWS = 40


def outlying(rows: Matrix, right: Matrix, noise: ObservationNoise) -> tuple[int, ...]:
    """Choose the rows to leave out, by chi-square with a price for each row dropped.

    Every subset with up to three rows dropped is tried (up to 40 rows; beyond that greedily). A subset must keep
    the rank and at least one degree of freedom, so that what is left still checks itself.

    Parameters
    ----------
    rows, right, noise
        As `design.equations` gives them.
    """
    count = rows.shape[0]
    rank = _rank(rows)
    if count > EXHAUSTIVE_ROWS:
        return _greedy(rows, right, noise, rank)
    best: tuple[float, tuple[int, ...]] = (chi_square(*whiten(rows, right, noise)), ())
    for dropped in _subsets(count, rank):
        if best[0] <= PRICE * len(dropped):
            break
        kept = np.delete(np.arange(count), dropped)
        if _rank(rows[kept]) < rank:
            continue
        cost = chi_square(*whiten(rows[kept], right[kept], noise.take(kept))) + PRICE * len(dropped)
        if cost < best[0]:
            best = (cost, dropped)
    return best[1]


def chi_square(white_rows: Matrix, white_right: Matrix) -> float:
    """Residual sum of squares of the whitened fit, the least-norm one where the rank is short."""
    residual = _residual(white_rows, white_right)
    return float(residual @ residual)


def _residual(white_rows: Matrix, white_right: Matrix) -> Matrix:
    scaled = _scaled(white_rows)
    residual: Matrix = white_right - scaled @ np.linalg.lstsq(scaled, white_right, rcond=1e-10)[0]
    return residual


def _subsets(count: int, rank: int) -> Iterator[tuple[int, ...]]:
    for size in range(1, min(MOST_DROPPED, count - rank - 1) + 1):
        yield from combinations(range(count), size)


def _greedy(rows: Matrix, right: Matrix, noise: ObservationNoise, rank: int) -> tuple[int, ...]:
    """Drop the row with the largest whitened residual while that pays; at most a third of all rows."""
    kept = np.arange(rows.shape[0])
    least = max(rank + 2, rows.shape[0] * 2 // 3)
    while kept.size > least:
        white = whiten(rows[kept], right[kept], noise.take(kept))
        residual = _residual(*white)
        fewer = np.delete(kept, int(np.argmax(np.abs(residual))))
        saved = residual @ residual - chi_square(*whiten(rows[fewer], right[fewer], noise.take(fewer)))
        if saved <= PRICE or _rank(rows[fewer]) < rank:
            break
        kept = fewer
    return tuple(int(i) for i in np.setdiff1d(np.arange(rows.shape[0]), kept))


def _rank(rows: Matrix) -> int:
    return int(np.linalg.matrix_rank(_scaled(rows)))


def _scaled(rows: Matrix) -> Matrix:
    norms = np.linalg.norm(rows, axis=0)
    return rows / np.where(norms > 0, norms, 1.0)
