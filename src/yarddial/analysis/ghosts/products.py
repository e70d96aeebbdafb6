"""Intermodulation products of many strong signals: all pairs up to an order, and triples in a window, vectorised."""

from collections.abc import Sequence
from itertools import combinations
from math import factorial, log10
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.ghosts.scene import ReceiverModel

Floats = NDArray[np.float64]
Ints = NDArray[np.int16 | np.int32]
Decibels = NDArray[np.float32 | np.float64]
# Level of a harmonic and of a triple product relative to the two-tone products that define the intercept, dB.
HARMONICS_DB, TRIPLE_DB = {2: -6.02, 3: -9.54, 4: -12.04, 5: -20.0}, 6.02
# Limits on the triples examined in a window and on the signals they are made of.
MAX_TRIPLES, MAX_COMBINED = 1_000_000, 1_200
Window = tuple[float, float]
# Strongest signals used for triple products of order 4 and 5.
MAX_THREES = 48
_THREES = ((2, 1, 1), (1, 2, 1), (1, 1, 2), (3, 1, 1), (1, 3, 1), (1, 1, 3), (2, 2, 1), (2, 1, 2), (1, 2, 2))
# Coefficients of each signal.
_FORMS = [
    *((n, 0, 0) for n in (2, 3, 4, 5)),
    *((total - b, sign * b, 0) for total in (2, 3, 4, 5) for b in range(1, total // 2 + 1) for sign in (1, -1)),
    (1, 1, -1),
    (1, 1, 1),
    # With three signals any of them may take part more than once; the negated form is the same place.
    *((a, sign_b * b, sign_c * c) for a, b, c in _THREES for sign_b in (1, -1) for sign_c in (1, -1)),
]
FORMS = np.array(_FORMS)


class Products(NamedTuple):
    """Frequencies, hertz, positive; levels, dBm; what each is made of and how often, negative where it is subtracted.

    first, second, third : shape (n,), indices of the signals, -1 where there are fewer.
    form : shape (n,), row of FORMS; negative (~form) where all of it is subtracted.
    """

    hertz: Floats
    level_dbm: Decibels
    first: Ints
    second: Ints
    third: Ints
    form: NDArray[np.int8]

    def take(self, rows: NDArray[np.bool_] | NDArray[np.int64]) -> "Products":
        """Select rows by mask or index."""
        return Products(*(part[rows] for part in self))  # type: ignore[arg-type]

    @property
    def shape(self) -> NDArray[np.int64]:
        """Coefficients of each product, shape (n, 3); their absolute values sum to the order."""
        turned = self.form < 0
        coefficients: NDArray[np.int64] = (
            np.where(turned[:, None], -1, 1) * FORMS[np.where(turned, ~self.form, self.form)]
        )
        return coefficients

    @property
    def order(self) -> NDArray[np.int64]:
        """Order of each product, shape (n,)."""
        return np.asarray(np.abs(self.shape).sum(axis=1))

    @property
    def parents(self) -> Ints:
        """Indices of each product's parents, shape (n, 3); -1 for none."""
        return np.stack([self.first, self.second, self.third], axis=1)


def products(
    hertz: Floats,
    level_dbm: Floats,
    receiver: ReceiverModel,
    order: int = 3,
    min_dbm: float = -np.inf,
    windows: tuple[Window, ...] = (),
) -> Products:
    """List |a f1 + b f2| of all pairs up to an order, own harmonics, and |a f1 + b f2 + c f3| of triples.

    Levels: order n of a P1 + b P2 - (n - 1) IIPn; a harmonic and a triple by what a power series makes of them: n! over
    the factorials of how often each takes part, against what makes the intercept.

    Parameters
    ----------
    hertz, level_dbm : ndarray, shape (n,)
        Signals at the socket.
    receiver : ReceiverModel
        Its intercepts. One of order 4 or 5 that is not known is taken to be that of order 2 or 3, as it is within a
        decibel for a smooth saturation (of tanh x, IIP5 = IIP3 - 0.6 dB); another that is not known is left out.
    order : int
        Highest order. Of triples of order 4 and 5 only the strongest signals' are made.
    min_dbm : float
        Weaker ones are left out.
    windows : tuple of (low_hz, high_hz)
        Only what falls into one of these, found by binary search among sorted signals; all, when empty. Triples are
        looked for in windows only, for they are many.
    """
    intercepts = intercepts_of(receiver)
    able = {n: value for n, value in intercepts.items() if value is not None and n <= order}
    if not windows:
        return _positive(_all(hertz, level_dbm, able), min_dbm)
    ranked = np.argsort(hertz, kind="stable").astype(np.int32)
    f, p = hertz[ranked], level_dbm[ranked]
    # Frequencies may be computed negative and are visible all the same.
    both = [*windows, *((-high, -low) for low, high in windows)]
    batches = [_harmonics(f, p, able), *_in_windows(f, p, able, both)]
    if 3 in able:
        batches += [_triples(f, p, able[3], min_dbm, window) for window in both]
        batches.append(_threes(f, p, {3: able[3]}, min_dbm, both, ((1, 1, 1),)))
    if higher := {n: value for n, value in able.items() if n > 3}:
        batches.append(_threes(f, p, higher, min_dbm, both, _FORMS[_FORMS.index((1, 1, 1)) + 1 :]))
    every = _positive(_joined(batches), min_dbm)
    every = every.take(_inside(every.hertz, windows) & (every.hertz > 0))
    first, second, third = (_named(ranked, index) for index in (every.first, every.second, every.third))
    return Products(every.hertz, every.level_dbm, first, second, third, every.form)


def intercepts_of(receiver: ReceiverModel) -> dict[int, float | None]:
    """Intercepts by order; higher ones are assumed where unknown."""
    iip4 = receiver.iip2_dbm if receiver.iip4_dbm is None else receiver.iip4_dbm
    iip5 = receiver.iip3_dbm if receiver.iip5_dbm is None else receiver.iip5_dbm
    return {2: receiver.iip2_dbm, 3: receiver.iip3_dbm, 4: iip4, 5: iip5}


def _threes(
    f: Floats, p: Floats, able: dict[int, float], min_dbm: float, windows: list[Window],
    forms: Sequence[tuple[int, int, int]],
) -> Products:  # fmt: skip
    """Every form of every three of the strongest signals that falls into a window."""
    chosen = np.sort(np.argsort(-p, kind="stable")[:MAX_THREES]).astype(np.int32)
    if chosen.size < 3:
        return _none()
    i, j, k = (chosen[first] for first in np.array(list(combinations(range(chosen.size), 3))).T)
    batches = [_none()]
    for form in forms:
        order = sum(abs(times) for times in form)
        if order not in able:
            continue
        a, b, c = form
        hertz = a * f[i] + b * f[j] + c * f[k]
        inside = np.flatnonzero(_inside(hertz, tuple(windows)))
        first, two, three = i[inside], j[inside], k[inside]
        level = a * p[first] + abs(b) * p[two] + abs(c) * p[three] - (order - 1) * able[order] + _more_db(form)
        strong = np.flatnonzero(level > min_dbm)
        batches.append(_block(hertz[inside][strong], level[strong], first[strong], two[strong], three[strong], form))
    return _joined(batches)


def _more_db(form: tuple[int, int, int]) -> float:
    """Level of a form relative to the two tones that define the order's intercept, for a power series."""
    order = sum(abs(times) for times in form)
    sizes = [factorial(abs(times)) for times in form]
    pair = {3: 3, 4: 4, 5: 10}[order]
    return 20 * log10(factorial(order) / (sizes[0] * sizes[1] * sizes[2]) / pair)


def _positive(every: Products, min_dbm: float) -> Products:
    """Keep products above the level limit, and mirror negative frequencies in place."""
    if np.isfinite(min_dbm):
        every = every.take(every.level_dbm > min_dbm)
    negative = every.hertz < 0
    np.abs(every.hertz, out=every.hertz)
    np.invert(every.form, out=every.form, where=negative)
    return every


def _shapes(able: dict[int, float]) -> list[tuple[int, int, float]]:
    """Every (a, b, intercept) with a >= b."""
    return [(total - b, b, iip) for total, iip in able.items() for b in range(1, total // 2 + 1)]


def _harmonics(f: Floats, p: Floats, able: dict[int, float]) -> Products:
    parts = [_none()]
    index = np.arange(f.size, dtype=np.int32)
    for n, more_db in HARMONICS_DB.items():
        if n in able:
            parts.append(_block(n * f, n * p - (n - 1) * able[n] + more_db, index, None, None, (n, 0, 0)))
    return _joined(parts)


def _joined(groups: list[Products]) -> Products:
    whole = [products_found for products_found in groups if products_found.hertz.size] or [groups[0]]
    if len(whole) == 1:
        return whole[0]
    return Products(*(np.concatenate(parts) for parts in zip(*whole, strict=True)))


def _all(f: Floats, p: Floats, able: dict[int, float]) -> Products:
    """Harmonics, then a f1 +- b f2 of every pair, both ways round where a and b differ.

    Results are written in pieces into narrow arrays of their final size, because they are large.
    """
    harmonics = _harmonics(f, p, able)
    index: type[np.int16 | np.int32] = np.int16 if f.size < 1 << 15 else np.int32
    i, j = (indices.astype(index) for indices in np.triu_indices(f.size, 1))
    orders = [(a, b, iip, turned) for a, b, iip in _shapes(able) for turned in ((False,) if a == b else (False, True))]
    count, begin = i.size, harmonics.hertz.size
    total = begin + 2 * len(orders) * count
    batch = Products(
        np.empty(total), np.empty(total, np.float32), np.empty(total, index), np.empty(total, index),
        np.broadcast_to(index(-1), total), np.empty(total, np.int8),
    )  # fmt: skip
    batch.hertz[:begin], batch.level_dbm[:begin] = harmonics.hertz, harmonics.level_dbm
    batch.first[:begin], batch.second[:begin], batch.form[:begin] = harmonics.first, harmonics.second, harmonics.form
    narrow = p.astype(np.float32)
    fi, fj, pi, pj = f[i], f[j], narrow[i], narrow[j]
    af, bf, bp = np.empty_like(fi), np.empty_like(fi), np.empty_like(pi)
    for a, b, iip, turned in orders:
        (first, two), (f1, f2), (p1, p2) = ((j, i), (fj, fi), (pj, pi)) if turned else ((i, j), (fi, fj), (pi, pj))
        plus, minus = slice(begin, begin + count), slice(begin + count, begin + 2 * count)
        begin += 2 * count
        np.multiply(f1, a, out=af)
        np.multiply(f2, b, out=bf)
        np.add(af, bf, out=batch.hertz[plus])
        np.subtract(af, bf, out=batch.hertz[minus])
        level = np.multiply(p1, np.float32(a), out=batch.level_dbm[plus])
        level += np.multiply(p2, np.float32(b), out=bp)
        level -= np.float32((a + b - 1) * iip)
        batch.level_dbm[minus] = level
        for part, sign in ((plus, 1), (minus, -1)):
            batch.first[part], batch.second[part] = first, two
            batch.form[part] = _FORMS.index((a, sign * b, 0))
    return batch


def _in_windows(f: Floats, p: Floats, able: dict[int, float], windows: list[Window]) -> list[Products]:
    """The same within windows only: for each first signal a range of the sorted second ones."""
    batches = [_none()]
    index = np.arange(f.size)
    for a, b, iip in _shapes(able):
        for sign in (1, -1):
            for low_hz, high_hz in windows:
                # Condition: a f_i + sign b f_j is between low and high.
                ends = ((low_hz - a * f) / (sign * b), (high_hz - a * f) / (sign * b))
                begin = np.searchsorted(f, np.minimum(*ends), "left")
                end = np.searchsorted(f, np.maximum(*ends), "right")
                first, two = _stretches(index, begin, end)
                apart = first < two if a == b else first != two
                first, two = first[apart], two[apart]
                level = a * p[first] + b * p[two] - (a + b - 1) * iip
                batches.append(_block(a * f[first] + sign * b * f[two], level, first, two, None, (a, sign * b, 0)))
    return batches


def _triples(f: Floats, p: Floats, iip3_dbm: float, min_dbm: float, window: Window) -> Products:
    """f1 + f2 - f3 in a window: the sums are sorted once, and each f3 selects a range of them.

    Where memory would not suffice, only the strongest signals are combined.
    """
    chosen = np.sort(np.argsort(-p, kind="stable")[:MAX_COMBINED]).astype(np.int32)
    while chosen.size:
        triples, count = _triples_of(f[chosen], p[chosen], iip3_dbm, min_dbm, window)
        if triples is not None:
            first, second, third = (chosen[index] for index in (triples.first, triples.second, triples.third))
            return Products(triples.hertz, triples.level_dbm, first, second, third, triples.form)
        # The number of triples grows with the cube of the number of signals.
        fit = min(int(chosen.size * 0.9 * (MAX_TRIPLES / count) ** (1 / 3)), chosen.size - 1)
        chosen = np.sort(chosen[np.argsort(-p[chosen], kind="stable")[:fit]])
    return _none()


def _triples_of(f: Floats, p: Floats, iip3_dbm: float, min_dbm: float, window: Window) -> tuple[Products | None, int]:
    """All triple products, up to a limit; also the number in the window, strong or weak."""
    first, two = np.triu_indices(f.size, 1)
    level = p[first] + p[two] - 2 * iip3_dbm + TRIPLE_DB
    # Drop pairs too weak for even the strongest third signal before sorting.
    strong = np.flatnonzero(level + p.max(initial=-np.inf) > min_dbm)
    first, two, level = first[strong], two[strong], level[strong]
    sums = f[first] + f[two]
    order = np.argsort(sums)
    sums, level, first, two = sums[order], level[order], first[order], two[order]
    begin = np.searchsorted(sums, f + window[0], "left")
    end = np.searchsorted(sums, f + window[1], "right")
    count = int(np.maximum(end - begin, 0).sum())
    if count > MAX_TRIPLES:
        return None, count
    third, within = _stretches(np.arange(f.size), begin, end)
    strength = level[within] + p[third]
    above_floor = np.flatnonzero((strength > min_dbm) & (first[within] != third) & (two[within] != third))
    within, third = within[above_floor], third[above_floor]
    i, j = first[within], two[within]
    return _block(sums[within] - f[third], strength[above_floor], i, j, third, (1, 1, -1)), count


def _stretches(
    index: NDArray[np.int64], begin: NDArray[np.int64], end: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Expand to every (index[k], m) with begin[k] <= m < end[k]."""
    reach = np.maximum(end - begin, 0)
    outer = np.repeat(index, reach)
    inner = np.arange(int(reach.sum())) - np.repeat(np.cumsum(reach) - reach, reach) + np.repeat(begin, reach)
    return outer, inner


def _block(
    hertz: Floats, level: Floats, first: NDArray[np.integer], two: NDArray[np.integer] | None,
    three: NDArray[np.integer] | None, times: tuple[int, int, int],
) -> Products:  # fmt: skip
    absent = np.full(hertz.size, -1, np.int32)
    second = absent if two is None else two.astype(np.int32, copy=False)
    third = absent if three is None else three.astype(np.int32, copy=False)
    form = np.full(hertz.size, _FORMS.index(times), np.int8)
    return Products(hertz, level, first.astype(np.int32, copy=False), second, third, form)


def _none() -> Products:
    none, index = np.empty(0), np.empty(0, np.int32)
    return Products(none, none, index, index, index, np.empty(0, np.int8))


def _inside(place: Floats, windows: tuple[Window, ...]) -> NDArray[np.bool_]:
    if not windows:
        return np.ones(place.shape, bool)
    inside = np.zeros(place.shape, bool)
    for low, high in windows:
        inside |= (place >= low) & (place <= high)
    return inside


def _named(ranked: Ints, index: Ints) -> Ints:
    """Map back to the original order of the signals; -1 stays."""
    return np.append(ranked, np.int32(-1))[index]
