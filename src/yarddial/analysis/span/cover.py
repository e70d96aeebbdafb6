"""Rate and centre that keep a band in the clean part, and everything unwanted off the wanted channels.

What is unwanted depends on the centre: the spike at the centre itself, the mirror 2 c - s of every strong signal in the
span, the alias s -+ f_s of every strong one beside it; the crystal's harmonics stay where they are. Every centre on the
tuner's grid is tried, since there are only a few thousand.
"""

from itertools import product
from math import ceil, floor

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.span.rates import CLEAN_SHARE
from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import format_bound, format_frequency, format_hertz

# More distance than this between a channel and anything unwanted brings nothing.
ENOUGH_HZ = 25_000.0
MAX_CENTRES = 20_000
# Proposals closer together than this count as one.
APART_HZ = 20_000.0


class Channel(msgspec.Struct, frozen=True):
    """A wanted channel at the receiver: its middle and half its width."""

    name: str
    middle_hz: float
    half_hz: float


class CoverRequest(msgspec.Struct, frozen=True):
    """Band to cover, at the receiver's own frequencies.

    strong : (hertz, name) of signals strong enough for a mirror or an alias.
    ranges_hz : tuning ranges of the receiver.
    is_mixed_in_numbers : a direct sampler, whose exact mixer has neither a spike at the centre nor mirrors.
    """

    low_hz: float
    high_hz: float
    channels: tuple[Channel, ...]
    rates_hz: tuple[float, ...]
    ranges_hz: tuple[tuple[float, float], ...]
    strong: tuple[tuple[float, str], ...] = ()
    crystal_hz: float = 0.0
    step_hz: float = 1_000.0
    is_mixed_in_numbers: bool = False


class Cover(msgspec.Struct, frozen=True):
    """One proposal.

    hits : number of unwanted signals on channels; room_hz : distance from the nearest channel edge to an unwanted
    signal; closest, channel : that pair; stays : no other centre moves it away.
    """

    rate_hz: float
    centre_hz: float
    hits: int
    room_hz: float
    off_middle_hz: float
    closest: str = ""
    channel: str = ""
    stays: bool = False

    def why(self) -> str:
        """Reason for this proposal, as a sentence."""
        if self.hits:
            more = f", and {self.hits - 1} more" if self.hits > 1 else ""
            stays = "; no centre moves it: another route would" if self.stays else ""
            return f"{self.closest} falls on {self.channel}{more}{stays}"
        if self.room_hz >= ENOUGH_HZ:
            return "nothing unwanted is near a channel you want"
        return f"closest is {self.closest}, {format_hertz(self.room_hz, 1.0, signed=False)} beside {self.channel}"


def best_covers(request: CoverRequest, limit: int = 5) -> tuple[Cover, ...]:
    """The best ways, best first: fewest hits, then most room, then the lowest rate, then nearest to the band's middle.

    Raises
    ------
    BadPath
        The band does not fit into the clean part of any rate: a step plan serves, see `step_plan`.
    """
    ranked_covers: list[tuple[tuple[float, float, float, float, float], Cover]] = []
    for rate_hz in request.rates_hz:
        centres = possible_centres(request, rate_hz)
        if not centres.size:
            continue
        hits, room_hz = _judged(request, rate_hz, centres)
        off_hz = np.abs(centres - (request.low_hz + request.high_hz) / 2)
        order = np.lexsort((centres, off_hz, -np.minimum(room_hz, ENOUGH_HZ), hits))
        for i in _apart(centres, order, limit):
            cover = Cover(rate_hz, float(centres[i]), int(hits[i]), float(room_hz[i]), float(off_hz[i]))
            key = (float(hits[i]), -min(cover.room_hz, ENOUGH_HZ), rate_hz, cover.off_middle_hz, cover.centre_hz)
            ranked_covers.append((key, cover))
    if not ranked_covers:
        widest = CLEAN_SHARE * max(request.rates_hz)
        raise BadPath(
            f"{format_bound(request.low_hz)} to {format_bound(request.high_hz)} does not fit into the clean part of "
            f"any rate, {format_bound(widest)} at most: cover it in steps"
        )
    best = [cover for _, cover in sorted(ranked_covers, key=lambda item: item[0])[:limit]]
    return tuple(_with_closest(request, cover) for cover in best)


def _apart(centres: NDArray[np.float64], order: NDArray[np.intp], limit: int) -> list[int]:
    """Select the best proposals, without those too close to a better one."""
    chosen: list[int] = []
    for i in order.tolist():
        if all(abs(centres[i] - centres[j]) >= APART_HZ for j in chosen):
            chosen.append(i)
            if len(chosen) == limit:
                break
    return chosen


def possible_centres(request: CoverRequest, rate_hz: float) -> NDArray[np.float64]:
    """List every grid centre that keeps the band in the clean part and that the receiver can tune to."""
    half = CLEAN_SHARE * rate_hz / 2
    first, last = ceil((request.high_hz - half) / request.step_hz), floor((request.low_hz + half) / request.step_hz)
    if last < first:
        return np.empty(0)
    # A rate far wider than the band allows too many centres: take those around the band's middle.
    middle = round((request.low_hz + request.high_hz) / 2 / request.step_hz)
    first, last = max(first, middle - MAX_CENTRES // 2), min(last, middle + MAX_CENTRES // 2)
    centres = np.arange(first, last + 1) * request.step_hz
    tunes = np.zeros(centres.size, bool)
    for low, high in request.ranges_hz:
        tunes |= (centres >= low) & (centres <= high)
    return np.asarray(centres[tunes], np.float64)


def unwanted_at(request: CoverRequest, rate_hz: float, centre_hz: float) -> list[tuple[float, str]]:
    """List unwanted signals for one centre, with their kind."""
    unwanted = [] if request.is_mixed_in_numbers else [(centre_hz, "the spike at the centre")]
    half = rate_hz / 2
    for hertz, name in request.strong:
        if abs(hertz - centre_hz) < half and not request.is_mixed_in_numbers:
            unwanted.append((2 * centre_hz - hertz, f"the mirror of {name}"))
        elif half <= abs(hertz - centre_hz) < 1.5 * rate_hz:
            side = -1 if hertz > centre_hz else 1
            unwanted.append((hertz + side * rate_hz, f"the alias of {name}"))
    if request.crystal_hz:
        first = ceil((centre_hz - half) / request.crystal_hz)
        last = floor((centre_hz + half) / request.crystal_hz)
        unwanted += [(k * request.crystal_hz, f"{k} times the crystal") for k in range(max(first, 1), last + 1)]
    return unwanted


def step_plan(low_hz: float, high_hz: float, rate_hz: float) -> tuple[float, ...]:
    """Centres that cover a band wider than the span, evenly, each with its clean part."""
    clean_hz = CLEAN_SHARE * rate_hz
    count = max(ceil((high_hz - low_hz) / clean_hz), 1)
    width_hz = (high_hz - low_hz) / count
    return tuple(low_hz + (k + 0.5) * width_hz for k in range(count))


def _judged(
    request: CoverRequest, rate_hz: float, centres: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """For every centre: channels hit, and distance from the nearest channel edge."""
    half = rate_hz / 2
    places = [] if request.is_mixed_in_numbers else [centres]
    for hertz, _ in request.strong:
        inside = np.abs(hertz - centres) < half
        beside = ~inside & (np.abs(hertz - centres) < 1.5 * rate_hz)
        alias = hertz + np.where(hertz > centres, -rate_hz, rate_hz)
        mirror = np.full(centres.size, np.inf) if request.is_mixed_in_numbers else 2 * centres - hertz
        places.append(np.where(inside, mirror, np.where(beside, alias, np.inf)))
    if request.crystal_hz:
        first, last = (
            ceil((centres.min() - half) / request.crystal_hz),
            floor((centres.max() + half) / request.crystal_hz),
        )
        for k in range(max(first, 1), last + 1):
            hertz = k * request.crystal_hz
            places.append(np.where(np.abs(hertz - centres) <= half, hertz, np.inf))
    hits = np.zeros(centres.size, np.int64)
    room_hz = np.full(centres.size, np.inf)
    for channel in request.channels:
        nearest = np.full(centres.size, np.inf)
        for place in places:
            away = np.abs(place - channel.middle_hz) - channel.half_hz
            hits += away <= 0
            np.minimum(nearest, away, out=nearest)
        np.minimum(room_hz, np.maximum(nearest, 0.0), out=room_hz)
    return hits, room_hz


def _with_closest(request: CoverRequest, cover: Cover) -> Cover:
    """Add the unwanted signal closest to a channel."""
    pairs = product(unwanted_at(request, cover.rate_hz, cover.centre_hz), request.channels)
    nearest = min(
        ((abs(hertz - channel.middle_hz) - channel.half_hz, name, hertz, channel.name)
         for (hertz, name), channel in pairs),
        default=None,
    )  # fmt: skip
    if nearest is None:
        return cover
    _, name, hertz, channel_name = nearest
    closest = f"{name} at {format_frequency(hertz, 0)}"
    stays = name.endswith("times the crystal")
    return msgspec.structs.replace(cover, closest=closest, channel=channel_name, stays=stays)
