"""Readable ticks of an axis."""

from math import floor, log10

from yarddial.yard.frequency import MINUS, group_digits


def nice_step(width: float, limit: int) -> float:
    """Step of 1, 2 or 5 times a power of ten that gives at most about `limit` ticks over a width."""
    raw = width / max(limit, 1)
    power = 10.0 ** floor(log10(raw))
    return next(factor * power for factor in (1, 2, 5, 10) if factor * power >= raw * 0.999)


def tick_text(value: float, step: float, *, signed: bool = False) -> str:
    """Tick label with as many decimals as its step needs."""
    places = max(-floor(log10(step) + 1e-9), 0)
    whole, _, fraction = f"{abs(value):.{places}f}".partition(".")
    sign = MINUS if value < -step / 2 else "+" if signed and value > step / 2 else ""
    return sign + group_digits(whole) + ("." + fraction if fraction else "")
