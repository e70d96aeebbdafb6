"""Prediction of all spurious signals in a span, from the strong signals and the parts' data."""

from collections.abc import Sequence
from itertools import combinations_with_replacement
from math import log10
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.ghosts.products import Products, products
from yarddial.analysis.ghosts.scene import Floats, Ghost, ReceiverModel, Scene, SpuriousKind
from yarddial.yard.frequency_conversion import Stage, lo_weights, path_sense, shown_for_dial

# Harmonics of a converter's oscillator, with their level relative to the fundamental.
LEAK_LEVELS_DB: tuple[tuple[int, float], ...] = ((1, 0.0), (2, -20.0))
MAX_TOLD = 400
# Maximum number of visible products that are traced further.
MAX_MADE = 1_500
# Distance from the centre within which the filter passes signals fully, as a share of the rate.
SPAN_SHARE = 0.45
# Number of the strongest signals in the span from which the ADC's products are calculated.
MAX_BENT, MAX_CONVERTED = 12, 28
Flags = NDArray[np.bool_]


class Arrivals(msgspec.Struct):
    """What reaches the tuner: true hertz at the socket, dBm there, and how each came about.

    falls : dB for each dB of attenuation at the antenna. at_rest : in the receiver's own counting (its crystal's).
    within : products of what lies in the span: the converter makes them too, behind the filter.
    width_hz : that each takes up.
    """

    socket_hz: Floats
    level_dbm: Floats
    kinds: list[SpuriousKind]
    sources: list[tuple[str, ...]]
    formulas: list[str]
    falls: Floats
    at_rest: NDArray[np.bool_]
    within: NDArray[np.bool_]
    width_hz: Floats


def predict(
    scene: Scene,
    centre_hz: float,
    rate_hz: float,
    min_dbm: float = -140.0,
    order: int = 3,
    *,
    with_true: bool = False,
) -> tuple[Ghost, ...]:
    """List what a span will show besides the true signals, strongest first.

    Parameters
    ----------
    scene : Scene
        True oscillators in its stages, entered ones as their `lo_hz`.
    centre_hz, rate_hz : float
        Of the span, on the dial; the sample rate.
    min_dbm : float
        Weaker ones drown: the floor in the resolution of interest.
    order : int
        Highest order of products.
    with_true : bool
        List the true signals too, kind "true".

    Notes
    -----
    The receiver counts h / (1 + p); with three times its oscillator it hears h - 3 f_c, so that h shows at
    h - 2 f_c. A mirror lies as far beyond the centre; what lies beyond half the rate is folded in by whole rates.
    Each place is an affine function of the centre, whose slope tells how it moves.
    """
    receiver = scene.receiver
    counted_c = shown_for_dial(centre_hz, _with_fold(scene, centre_hz)) / (1 + receiver.entered_ppm * 1e-6)
    # Third-order products of signals in one span reach half a span beyond it, and the ADC folds them in.
    reach_hz = 1.5 * rate_hz
    arrivals = _arrivals(scene, counted_c, reach_hz, min_dbm, order, rate_hz)
    seen = _seen(scene, arrivals, counted_c, rate_hz, min_dbm, _home_zone(scene, centre_hz))
    sense = path_sense(_with_fold(scene, centre_hz))
    ghosts: list[Ghost] = []
    for place, level, slope, slope_rate, index, kind, formula, width_hz, own_falls in seen:
        if (kind == "true" and not with_true) or abs(place) > rate_hz / 2:
            continue
        counted_hz = counted_c + place
        dial_hz = centre_hz + sense * place * (1 + receiver.entered_ppm * 1e-6)
        sources = arrivals.sources[index] if index >= 0 else ()
        falls = float(arrivals.falls[index]) if index >= 0 else 0.0
        falls = falls if own_falls is None else own_falls
        ghosts.append(
            Ghost(dial_hz, level, kind, sources, formula, slope, falls, sense * slope_rate, counted_hz, width_hz)
        )
    ghosts.sort(key=lambda ghost: -ghost.level_dbm)
    return tuple(ghosts[:MAX_TOLD])


def _arrivals(scene: Scene, counted_c: float, reach_hz: float, min_dbm: float, order: int, rate_hz: float) -> Arrivals:
    receiver, stages = scene.receiver, scene.stages
    air = np.array([source.frequency_hz for source in scene.strong])
    level = np.array([source.level_dbm for source in scene.strong])
    names = [source.name or f"{source.frequency_hz / 1e6:.6g} MHz" for source in scene.strong]
    lo_hz = sum(w * (s.lo_hz + s.lo_error_hz) for w, s in zip(lo_weights(stages), stages, strict=True))
    conversions = [(path_sense(stages) * air + lo_hz, level, "true", "f")]
    if stages and scene.isolation_db is not None:
        conversions.append((air, level - scene.isolation_db, "leak-through", "f, unconverted"))
    hertz = np.concatenate([np.abs(place) for place, *_ in conversions]) if air.size else np.empty(0)
    power = (
        np.concatenate([conversion_loss_db for _, conversion_loss_db, *_ in conversions]) if air.size else np.empty(0)
    )
    if scene.gain_db is not None and hertz.size:
        power = power + scene.gain_db(hertz)
    kinds: list[SpuriousKind] = [kind for _, _, kind, _ in conversions for _ in names]  # type: ignore[misc]
    sources: list[tuple[str, ...]] = [(name,) for _ in conversions for name in names]
    formulas = [formula for *_, formula in conversions for _ in names]
    wide = np.tile([source.width_hz for source in scene.strong], len(conversions))
    mixed = _made(receiver, hertz, power, counted_c, reach_hz, min_dbm, order)
    for order_of, row, times in zip(mixed.order.tolist(), mixed.parents.tolist(), mixed.shape.tolist(), strict=True):
        kinds.append(_order_kind(order_of))
        sources.append(tuple(_of(names[p % len(names)], kinds[p]) for p in row if p >= 0))
        formulas.append(_formula(times))
    falls = np.concatenate([np.ones(hertz.size), mixed.order.astype(float)])
    at_rest = np.zeros(falls.size, bool)
    socket, dbm = np.concatenate([hertz, mixed.hertz]), np.concatenate([power, mixed.level_dbm])
    more = [*_leaks(scene), *_crystal(receiver, counted_c, reach_hz)]
    return Arrivals(
        np.concatenate([socket, [source[0] for source in more]]),
        np.concatenate([dbm, [source[1] for source in more]]),
        [*kinds, *(source[2] for source in more)],
        [*sources, *((source[3],) for source in more)],
        [*formulas, *(source[4] for source in more)],
        np.concatenate([falls, np.zeros(len(more))]),
        np.concatenate([at_rest, [source[2] == "crystal" for source in more]]).astype(bool),
        np.concatenate([_within(mixed, hertz, counted_c, receiver, rate_hz), np.zeros(len(more), bool)]),
        np.concatenate([wide, _widths(mixed, wide), np.zeros(len(more))]),
    )


def _within(combined: Products, hertz: Floats, counted_c: float, receiver: ReceiverModel, rate_hz: float) -> Flags:
    """Mark products whose parents all lie in the span; exclude the parents themselves."""
    near = np.abs(hertz / (1 + receiver.ppm * 1e-6) - counted_c) < SPAN_SHARE * rate_hz
    parents_near = (
        np.where(combined.parents >= 0, near[np.maximum(combined.parents, 0)], True)
        if hertz.size
        else combined.parents > 0
    )
    return np.concatenate([np.zeros(hertz.size, bool), parents_near.all(axis=1)])


def _widths(combined: Products, wide: Floats) -> Floats:
    """Width of a product: the sum of its parents' widths, each as often as it takes part."""
    of_each = np.where(combined.parents >= 0, np.append(wide, 0.0)[combined.parents], 0.0)
    return np.asarray((np.abs(combined.shape) * of_each).sum(axis=1))


def _made(
    receiver: ReceiverModel,
    hertz: Floats,
    power: Floats,
    counted_c: float,
    reach_hz: float,
    min_dbm: float,
    order: int,
) -> Products:
    """List visible products: near the centre, near three times it, or anywhere for direct sampling."""
    fast = 1 + receiver.ppm * 1e-6
    windows = [(counted_c * fast - reach_hz, counted_c * fast + reach_hz)]
    if not receiver.direct_clock_hz:
        windows += [(n * counted_c * fast - reach_hz, n * counted_c * fast + reach_hz) for n in receiver.mixes]
        if receiver.if_hz and receiver.image_db is not None:
            image_hz = (counted_c + 2 * receiver.if_hz) * fast
            windows.append((image_hz - reach_hz, image_hz + reach_hz))
    if receiver.direct_clock_hz:
        top = float(hertz.max(initial=0.0)) * order
        zones = range(int(2 * top / receiver.direct_clock_hz) + 1)
        windows = []
        for zone in zones:
            middle = _unfolded(counted_c, zone, receiver.direct_clock_hz)
            windows.append((middle - reach_hz, middle + reach_hz))
    mixed = products(hertz, power, receiver, order, min_dbm, tuple(windows))
    if mixed.hertz.size > MAX_MADE:
        mixed = mixed.take(np.argpartition(-mixed.level_dbm, MAX_MADE)[:MAX_MADE])
    return mixed


def _leaks(scene: Scene) -> list[tuple[float, float, SpuriousKind, str, str]]:
    if scene.lo_leak_dbm is None:
        return []
    return [
        (
            harmonic * (stage.lo_hz + stage.lo_error_hz), scene.lo_leak_dbm + more_db, "oscillator",
            stage.name or "converter", f"{harmonic} L" if harmonic > 1 else "L",
        )
        for stage in scene.stages
        for harmonic, more_db in LEAK_LEVELS_DB
    ]  # fmt: skip


def _crystal(
    receiver: ReceiverModel, counted_c: float, reach_hz: float
) -> list[tuple[float, float, SpuriousKind, str, str]]:
    if receiver.crystal_dbm is None or not receiver.crystal_hz or receiver.direct_clock_hz:
        return []
    near = set()
    for times in (1, *receiver.mixes):
        first = max(int(np.ceil((times * counted_c - reach_hz) / receiver.crystal_hz)), 1)
        near |= set(range(first, int(np.floor((times * counted_c + reach_hz) / receiver.crystal_hz)) + 1))
    return [(k * receiver.crystal_hz, receiver.crystal_dbm, "crystal", "its crystal", f"{k} X") for k in sorted(near)]


class PredictedPlace(NamedTuple):
    """A predicted place in the span: offset from the centre, level in dBm, motion with centre and rate, source.

    arrival : -1 for none. falls : dB per dB of attenuation; None follows its arrival.
    """

    place: float
    level_dbm: float
    slope: float
    slope_rate: float
    arrival: int
    kind: SpuriousKind
    formula: str
    width_hz: float
    falls: float | None = None


def _seen(
    scene: Scene, arrivals: Arrivals, counted_c: float, rate_hz: float, min_dbm: float, home: int
) -> list[PredictedPlace]:
    """List every place in the span: (from the centre, dBm, slope with centre, with rate, arrival, kind, formula,
    width).
    """
    receiver = scene.receiver
    counted = np.where(arrivals.at_rest, arrivals.socket_hz, arrivals.socket_hz / (1 + receiver.ppm * 1e-6))
    predicted_places: list[PredictedPlace] = []
    if receiver.direct_clock_hz:
        zone = np.floor(2 * counted / receiver.direct_clock_hz).astype(int)
        turned = np.where(zone % 2, -1, 1)
        folded = turned * (counted - (zone + 1) // 2 * receiver.direct_clock_hz)
        conversions = [(folded - counted_c, np.zeros(counted.size), 0.0, zone != home, "zone", "f folded at C/2")]
    else:
        none = np.zeros(counted.size, bool)
        conversions = [(counted - counted_c, np.zeros(counted.size), 0.0, none, "true", "")]
        for times, down_db in receiver.mixes.items():
            down = np.full(counted.size, -down_db)
            away = counted - times * counted_c
            conversions.append((away, down, 1.0 - times, ~none, "harmonic mixing", f"{{}} − {times} f_c"))
        still = ~arrivals.at_rest
        if receiver.if_hz and receiver.image_db is not None:
            # f_c + 2 IF - f: inverted like a mirror, but about another frequency.
            down = np.where(still, -receiver.image_db, -np.inf)
            away = counted_c + 2 * receiver.if_hz - counted
            conversions.append((away, down, 2.0, ~none, "tuner image", "2 f_c + 2 IF − {}"))
        if receiver.reference_hz and receiver.reference_db is not None:
            down = np.where(still, -receiver.reference_db, -np.inf)
            for sign, text in ((1, "+"), (-1, "−")):
                away = counted - counted_c + sign * receiver.reference_hz
                conversions.append((away, down, 0.0, ~none, "sideband", f"{{}} {text} f_ref"))
    for away, more_db, slope, marked, mark, formula in conversions:
        turns = np.round(away / rate_hz)
        filtered_db = np.where(arrivals.within, 0.0, receiver.filtered_db(away / rate_hz))
        level = arrivals.level_dbm + more_db + filtered_db
        near = np.abs(away) < np.where(arrivals.within, 1.5, receiver.folds_share) * rate_hz
        for i in np.flatnonzero(near & (level > min_dbm)).tolist():
            # Harmonics of the crystal keep their name, whatever they are mixed with.
            own = not marked[i] or bool(arrivals.at_rest[i])
            kind: SpuriousKind = arrivals.kinds[i] if own else mark  # type: ignore[assignment]
            text = formula.format(arrivals.formulas[i]) if marked[i] else arrivals.formulas[i]
            if turns[i]:
                kind = "alias" if kind == "true" else kind
                text = f"{text} {'−' if turns[i] > 0 else '+'} {_count(abs(int(turns[i])))}f_s"
            place = float(away[i] - turns[i] * rate_hz)
            width_hz = float(arrivals.width_hz[i])
            predicted_places.append(
                PredictedPlace(place, float(level[i]), slope, -float(turns[i]), i, kind, text, width_hz)
            )
    if not receiver.direct_clock_hz:
        predicted_places += _half_if(receiver, arrivals, counted, counted_c, rate_hz, min_dbm)
    predicted_places += _bent(receiver, predicted_places, rate_hz, min_dbm)
    predicted_places += _mirrors(receiver, predicted_places, min_dbm)
    if receiver.spike_dbm is not None and receiver.spike_dbm > min_dbm:
        predicted_places.append(PredictedPlace(0.0, receiver.spike_dbm, 1.0, 0.0, -1, "spike", "f_c", 0.0))
    if not receiver.direct_clock_hz:
        # The ADCs follow the imbalance of the two branches, so they see mirrors and the spike as well.
        predicted_places += _converters(receiver, predicted_places, rate_hz, min_dbm)
    return predicted_places


def _half_if(
    receiver: ReceiverModel, arrivals: Arrivals, counted: Floats, counted_c: float, rate_hz: float, min_dbm: float
) -> list[PredictedPlace]:
    """Half-IF response: 2 f - 2 f_c - IF, with its own intercept."""
    if not receiver.if_hz or receiver.half_if_dbm is None:
        return []
    away = 2 * counted - 2 * counted_c - receiver.if_hz
    turns = np.round(away / rate_hz)
    level = 2 * arrivals.level_dbm - receiver.half_if_dbm + receiver.filtered_db(away / rate_hz)
    near = (np.abs(away) < receiver.folds_share * rate_hz) & (level > min_dbm) & ~arrivals.at_rest
    return [
        PredictedPlace(
            float(away[i] - turns[i] * rate_hz), float(level[i]), -1.0, -float(turns[i]), i, "half-IF",
            f"2 {_in_brackets(arrivals.formulas[i])} − 2 f_c − IF", 2 * float(arrivals.width_hz[i]),
            2 * float(arrivals.falls[i]),
        )
        for i in np.flatnonzero(near).tolist()
    ]  # fmt: skip


def _converters(
    receiver: ReceiverModel, predicted: Sequence[PredictedPlace], rate_hz: float, min_dbm: float
) -> list[PredictedPlace]:
    """What the two branches' converters add: spurs a quarter of the rate away, and third harmonics, -3 x about the
    centre, and -(2 x + y) of two, three times as large, and -(x + y + z) of three, six times."""
    places: list[PredictedPlace] = []
    if receiver.quarter_dbm is not None and receiver.quarter_dbm > min_dbm:
        for sign in (1, -1):
            share = sign / 4
            formula = f"f_c {'+' if sign > 0 else '−'} f_s / 4"
            places.append(
                PredictedPlace(share * rate_hz, receiver.quarter_dbm, 1.0, share, -1, "converter", formula, 0.0)
            )
    if receiver.third_dbm is None:
        return places
    inside = sorted((p for p in predicted if abs(p.place) < rate_hz / 2), key=lambda p: -p.level_dbm)[:MAX_CONVERTED]
    for parts in combinations_with_replacement(inside, 3):
        more_db = 20 * log10((1.0, 3.0, 6.0)[len(set(parts)) - 1])
        level_dbm = sum(p.level_dbm for p in parts) - 2 * receiver.third_dbm + more_db
        if level_dbm < min_dbm:
            continue
        away = -sum(p.place for p in parts)
        turns = round(away / rate_hz)
        # A place is its dial frequency minus the centre.
        slope = 1 - sum(p.slope - 1 for p in parts)
        slope_rate = -sum(p.slope_rate for p in parts) - turns
        width_hz = sum(p.width_hz for p in parts)
        formula = "−(" + " + ".join(p.formula for p in parts) + ") in the converter"
        place = away - turns * rate_hz
        places.append(
            PredictedPlace(place, level_dbm, slope, slope_rate, parts[0].arrival, "converter", formula, width_hz, 3.0)
        )
    return places


def _bent(
    receiver: ReceiverModel, places: Sequence[PredictedPlace], rate_hz: float, min_dbm: float
) -> list[PredictedPlace]:
    """Third-order products in the ADC of harmonics and aliases with all else in the span."""
    strange = [place for place in places if place[5] in ("harmonic mixing", "alias", "crystal")]
    if receiver.iip3_dbm is None or not strange or receiver.direct_clock_hz:
        return []
    # Only strong ones, offset so that no frequency is negative.
    inside = sorted((p for p in places if abs(p[0]) < rate_hz / 2), key=lambda p: -p[1])[:MAX_BENT]
    far_hz = 10 * rate_hz
    hertz, level = np.array([p[0] + far_hz for p in inside]), np.array([p[1] for p in inside])
    only_third = ReceiverModel(iip3_dbm=receiver.iip3_dbm)
    window = (far_hz - 1.5 * rate_hz, far_hz + 1.5 * rate_hz)
    mixed = products(hertz, level, only_third, 3, min_dbm, (window,))
    bent: list[PredictedPlace] = []
    for row, (indices, shape) in enumerate(zip(mixed.parents.tolist(), mixed.shape.tolist(), strict=True)):
        parents = [inside[p] for p in indices if p >= 0]
        times = [t for t in shape if t]
        if not any(parent in strange for parent in parents):
            continue
        away = float(mixed.hertz[row]) - far_hz
        turns = round(away / rate_hz)
        slope = sum(t * parent[2] for t, parent in zip(times, parents, strict=True))
        rate_slope = sum(t * parent[3] for t, parent in zip(times, parents, strict=True)) - turns
        formula = _formula(shape) + " in the converter"
        level_dbm = float(mixed.level_dbm[row])
        width_hz = sum(abs(t) * parent[7] for t, parent in zip(times, parents, strict=True))
        place = away - turns * rate_hz
        bent.append(
            PredictedPlace(place, level_dbm, slope, rate_slope, parents[0].arrival, "third order", formula, width_hz)
        )
    return bent


def _mirrors(receiver: ReceiverModel, places: Sequence[PredictedPlace], min_dbm: float) -> list[PredictedPlace]:
    if receiver.mirror_db is None or receiver.direct_clock_hz:
        return []
    return [
        PredictedPlace(
            -place,
            level - receiver.mirror_db,
            2.0 - slope,
            -slope_rate,
            index,
            "mirror",
            f"2 f_c − {_in_brackets(formula)}",
            width_hz,
            falls,
        )
        for place, level, slope, slope_rate, index, _, formula, width_hz, falls in places
        if level - receiver.mirror_db > min_dbm
    ]


def _in_brackets(formula: str) -> str:
    return f"({formula})" if " " in formula else formula


def _with_fold(scene: Scene, centre_hz: float) -> tuple[Stage, ...]:
    clock_hz = scene.receiver.direct_clock_hz
    socket_hz = shown_for_dial(centre_hz, scene.stages)
    if not clock_hz or socket_hz < clock_hz / 2:
        return scene.stages
    zone = int(2 * socket_hz / clock_hz)
    return (*scene.stages, Stage("high" if zone % 2 else "low", (zone + 1) // 2 * clock_hz, 0.0, "sampling"))


def _home_zone(scene: Scene, centre_hz: float) -> int:
    """Direct-sampling zone that holds the span before folding; 0 with a tuner."""
    clock_hz = scene.receiver.direct_clock_hz
    return int(2 * shown_for_dial(centre_hz, scene.stages) / clock_hz) if clock_hz else 0


def _unfolded(counted_hz: float, zone: int, clock_hz: float) -> float:
    return (zone + 1) // 2 * clock_hz + (-counted_hz if zone % 2 else counted_hz)


def _order_kind(order: int) -> SpuriousKind:
    return "second order" if order == 2 else "third order" if order == 3 else "higher order"


def _of(name: str, kind: SpuriousKind) -> str:
    return f"{name}, leaked through" if kind == "leak-through" else name


def _formula(times: Sequence[int]) -> str:
    text = ""
    for number, count in enumerate((t for t in times if t), 1):
        sign = " − " if count < 0 else " + " if text else ""
        text += f"{sign or ('−' if count < 0 else '')}{_count(abs(count))}f{number}"
    return text.removeprefix(" − ") if not text.startswith(" − ") else "−" + text[3:]


def _count(number: int) -> str:
    return "" if number == 1 else f"{number} "
