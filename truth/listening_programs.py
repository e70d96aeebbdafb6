"""Listening programs as models: what each makes of the numbers typed into it, apart from any arithmetic of ours.

A program turns a dial into a place for the device, and what the device counts into a reading. The device is a mixer
chain and a counter against its own crystal (see paths). Programs differ in how an offset, a correction and a sideband
are meant; each difference is a function here.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import paths

OFFSETS = ("added to the dial", "added to the tuner", "positive, with its side", "knows no inversion")
CORRECTIONS = ("crystal fast", "shown high", "ppb", "factor", "crystal in hertz", "whole ppm", "scales the dial")


@dataclass(frozen=True)
class Device:
    """Converters as they truly are, and how fast the crystal truly runs against its marking."""

    converters: Sequence[tuple[str, float]]
    crystal_hz: float
    crystal_factor: float
    # Direct sampling: the clock as marked; 0 behind a tuner.
    clock_hz: float = 0.0

    def counts(self, on_air_hz: float) -> float:
        """What its counter says of a signal, uncorrected."""
        here_hz = on_air_hz
        for keeps, oscillator_hz in self.converters:
            here_hz = paths.mixed(here_hz, oscillator_hz, keeps)
        if self.clock_hz:
            here_hz = paths.sampled(here_hz, self.clock_hz * self.crystal_factor)
        return here_hz / self.crystal_factor


@dataclass(frozen=True)
class Typed:
    """What the person typed: an offset with its side or sense, a correction, and the switch that exchanges I and Q."""

    offset_hz: float
    correction: float
    inverted: bool = False
    side: str = ""
    swapped: bool = False
    centre_hz: float = 0.0


def corrected(kind: str, typed: float, counted_hz: float, crystal_hz: float) -> float:
    """The counter's value as the program believes it."""
    factors: dict[str, Callable[[], float]] = {
        "crystal fast": lambda: 1 + typed / 1e6,
        "whole ppm": lambda: 1 + typed / 1e6,
        "shown high": lambda: 1 / (1 + typed / 1e6),
        "ppb": lambda: 1 + typed / 1e9,
        "factor": lambda: typed,
        "crystal in hertz": lambda: typed / crystal_hz,
        "scales the dial": lambda: 1.0,
    }
    return counted_hz * factors[kind]()


def reading(offset: str, correction: str, typed: Typed, device: Device, on_air_hz: float) -> float:
    """Where the program's dial shows a signal."""
    tuned_hz = corrected(correction, typed.correction, device.counts(on_air_hz), device.crystal_hz)
    turned = -1.0 if typed.inverted else 1.0
    if offset == "added to the dial":
        dial_hz = turned * (tuned_hz - typed.offset_hz)
    elif offset == "added to the tuner":
        dial_hz = turned * tuned_hz + typed.offset_hz
    elif offset == "positive, with its side":
        dial_hz = {
            "sum": tuned_hz - typed.offset_hz, "low": tuned_hz + typed.offset_hz, "high": typed.offset_hz - tuned_hz,
            "": tuned_hz,
        }[typed.side]  # fmt: skip
    else:
        # Its dial at the centre is the tuner less the offset; exchanging I and Q mirrors what is beside.
        away_hz = tuned_hz - typed.centre_hz
        dial_hz = typed.centre_hz - typed.offset_hz + (-away_hz if typed.swapped else away_hz)
    return dial_hz * (1 + typed.correction / 1e6) if correction == "scales the dial" else dial_hz


def goes_to(offset: str, typed: Typed, dial_hz: float) -> float:
    """Where the program sends the receiver for a dial."""
    turned = -1.0 if typed.inverted else 1.0
    if offset == "added to the dial":
        return turned * dial_hz + typed.offset_hz
    if offset == "added to the tuner":
        return turned * (dial_hz - typed.offset_hz)
    if offset == "positive, with its side":
        return {"sum": dial_hz + typed.offset_hz, "low": dial_hz - typed.offset_hz, "high": typed.offset_hz - dial_hz,
                "": dial_hz}[typed.side]  # fmt: skip
    return dial_hz + typed.offset_hz
