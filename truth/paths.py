"""What converters and samplers do to a tone, from the product of two cosines.

Nothing here is an equation for a dial: a tone is a set of frequencies with signs, a mixer adds and subtracts another
set, a filter keeps some, a sampler folds them. The dial follows from what is left.
"""


def mixed(tone_hz: float, oscillator_hz: float, keeps: str) -> float:
    """cos a cos b = half of cos(a + b) and cos(a - b): the filter behind keeps the sum or the difference.

    The sign is that of the tone's own phase in what is kept, so a spectrum that is turned over has a negative one
    where the difference is written with the oscillator first.
    """
    products = {"sum": tone_hz + oscillator_hz, "low": tone_hz - oscillator_hz, "high": oscillator_hz - tone_hz}
    return products[keeps]


def sampled(tone_hz: float, clock_hz: float) -> float:
    """Where a real tone stands once sampled: the alias in the first zone, from cosines that agree at every sample."""
    turns = (tone_hz / clock_hz) % 1.0
    return min(turns, 1.0 - turns) * clock_hz


def shown(tone_hz: float, converters: list[tuple[str, float]], true_clock: float, marked_clock: float) -> float:
    """What a receiver's counter says: it counts against its own clock and believes what is marked on that."""
    here_hz = tone_hz
    for keeps, oscillator_hz in converters:
        here_hz = mixed(here_hz, oscillator_hz, keeps)
    return here_hz * marked_clock / true_clock
