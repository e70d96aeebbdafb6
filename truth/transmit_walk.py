"""Every path of transmit power through a shack, walked in watts; knows nothing of the program.

A shack is a graph: sockets joined by boxes. Each box says which of its sockets it joins and what it does to a power
that goes from the one to the other, in watts. Power leaves each transmitter at its aerial socket; at every box every
way out is tried, a switch or relay in both of its positions (a relay sticks), and through the air from every aerial
that the power reaches to every other. What arrives at a delicate socket is compared with what that takes, in watts.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

Watts = Callable[[float], float]


@dataclass
class Shack:
    """doors : by socket, the ways on: (next socket, what becomes of the power, box). takes_w : largest safe powers."""

    doors: dict[str, list[tuple[str, Watts, str]]] = field(default_factory=dict)
    takes_w: dict[str, float] = field(default_factory=dict)

    def join(self, here: str, there: str, becomes: Watts, box: str) -> None:
        """Power goes from here to there, in this direction alone."""
        self.doors.setdefault(here, []).append((there, becomes, box))


def loss(decibels: float) -> Watts:
    """Leaves a share."""
    return lambda watts: watts / 10 ** (decibels / 10)


def amplifier(decibels: float, most_w: float) -> Watts:
    """Amplifies up to what it gives at most."""
    return lambda watts: min(watts * 10 ** (decibels / 10), most_w)


def at_most(most_w: float) -> Watts:
    """Lets no more through."""
    return lambda watts: min(watts, most_w)


def harmed(shack: Shack, begins: str, watts: float) -> dict[str, float]:
    """Sockets that get more than they take, with the largest power that reaches each; every path is tried."""
    worst: dict[str, float] = {}

    def walk(here: str, power_w: float, passed: frozenset[str]) -> None:
        if power_w < 1e-9:
            return
        if here in shack.takes_w and power_w > shack.takes_w[here]:
            worst[here] = max(worst.get(here, 0.0), power_w)
        for there, becomes, _ in shack.doors.get(here, []):
            if there not in passed:
                walk(there, becomes(power_w), passed | {there})

    walk(begins, watts, frozenset({begins}))
    return worst
