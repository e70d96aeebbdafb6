"""Check of the tuner's range: finds where it really tunes, with its holes, by trial and bisection."""

from itertools import pairwise

import msgspec

from yarddial.drivers.protocol import Capabilities, Device, RequestedSettings
from yarddial.session.first_light.result import CheckResult
from yarddial.yard.errors import CannotTune
from yarddial.yard.frequency import format_bound
from yarddial.yard.plain_text import count_of
from yarddial.yard.resolved_route import ResolvedRoute

# Trial frequencies between the ends and slightly beyond; edges are then bisected down to this.
PLACES_TO_TRY, BEYOND_SHARE, EXACT_HZ = 64, 0.1, 10e3


def tuner_check(device: Device, able: Capabilities, ask: RequestedSettings, route: ResolvedRoute | None) -> CheckResult:
    """Try a grid of frequencies and the middles of all stated holes, then bisect each edge."""
    stated = able.ranges_at(ask.port)
    places = _places(stated, route)
    tunes = [_tunes(device, ask, hertz) for hertz in places]
    borders = []
    for i in range(1, len(places)):
        if tunes[i] != tunes[i - 1]:
            borders.append(_border(device, ask, places[i - 1], places[i], tunes[i - 1]))
    device.apply(ask)
    if tunes[0]:
        borders.insert(0, places[0])
    if tunes[-1]:
        borders.append(places[-1])
    measured = list(zip(borders[::2], borders[1::2], strict=True))
    figures = {"low_hz": borders[0], "high_hz": borders[-1]} if borders else {}
    for i, (low, high) in enumerate(zip(borders[1:-1:2], borders[2:-1:2], strict=True)):
        figures |= {f"hole_{i}_low_hz": low, f"hole_{i}_high_hz": high}
    spans = " and ".join(f"{format_bound(low)} to {format_bound(high)}" for low, high in measured)
    detail = f"{spans}, measured at {count_of(len(places), 'place')}"
    missing = [(low, high) for low, high in stated if not _covered(low, high, measured)]
    if missing:
        low, high = missing[0]
        what = f"it says {format_bound(low)} to {format_bound(high)}, and tunes {spans or 'nowhere'}"
        return CheckResult("tunes", "look", what, "Bench now has the measured range", figures=figures)
    hole = "".join(f"; a hole from {format_bound(a[1])} to {format_bound(b[0])}"
                   for a, b in pairwise(measured))  # fmt: skip
    return CheckResult("tunes", "good", detail + hole, figures=figures)


def _places(stated: tuple[tuple[float, float], ...], route: ResolvedRoute | None) -> list[float]:
    lowest, highest = stated[0][0], stated[-1][1]
    wide = highest - lowest
    places = {lowest + wide * k / PLACES_TO_TRY for k in range(PLACES_TO_TRY + 1)}
    places |= {
        max(lowest - BEYOND_SHARE * wide, 0.0),
        highest + BEYOND_SHARE * wide,
        *(edge for pair in stated for edge in pair),
    }
    places |= {(a[1] + b[0]) / 2 for a, b in pairwise(stated)}
    if route is not None and not route.receiver.samples_directly(route.port):
        places |= {(low + high) / 2 for low, high in route.receiver.holes_hz}
    return sorted(places)


def _tunes(device: Device, ask: RequestedSettings, hertz: float) -> bool:
    try:
        device.apply(msgspec.structs.replace(ask, centre_hz=hertz))
    except CannotTune:
        return False
    return True


def _border(device: Device, ask: RequestedSettings, low_hz: float, high_hz: float, tunes_low: bool) -> float:
    """Last frequency on the tuning side, to EXACT_HZ."""
    while high_hz - low_hz > EXACT_HZ:
        middle = (low_hz + high_hz) / 2
        if _tunes(device, ask, middle) == tunes_low:
            low_hz = middle
        else:
            high_hz = middle
    # Stated edges are round; take one that fits.
    exact = low_hz if tunes_low else high_hz
    return round(exact / EXACT_HZ) * EXACT_HZ if _tunes(device, ask, round(exact / EXACT_HZ) * EXACT_HZ) else exact


def _covered(low_hz: float, high_hz: float, measured: list[tuple[float, float]]) -> bool:
    return any(low - EXACT_HZ <= low_hz and high_hz <= high + EXACT_HZ for low, high in measured)
