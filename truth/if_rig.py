"""A transceiver with an IF output, by hand: where an antenna frequency comes out; knows nothing of the program."""

import random
from dataclasses import dataclass, field


@dataclass
class IfRig:
    """One with its own oscillator plan.

    if_hz : the middle of its IF. turned : the spectrum comes out the other way round. steps_hz : its display's step.
    shifts_hz : by its own modes, how far the middle of its IF lies from its display.
    """

    if_hz: float
    turned: bool
    step_hz: float
    shifts_hz: dict[str, float] = field(default_factory=dict)
    display_hz: float = 7e6
    mode: str = "AM"

    def tune(self, hertz: float) -> None:
        """To its own step."""
        self.display_hz = round(hertz / self.step_hz) * self.step_hz

    def out_hz(self, antenna_hz: float) -> float:
        """Where a signal stands at the IF output: its distance from the middle, turned or not."""
        away_hz = antenna_hz - (self.display_hz + self.shifts_hz[self.mode])
        return self.if_hz - away_hz if self.turned else self.if_hz + away_hz


def random_rig(chance: random.Random) -> tuple[IfRig, float, float]:
    """One, and its shifts in SSB and in CW on the upper side."""
    ssb_hz, cw_hz = chance.choice((0.0, 1_400.0, 1_500.0, -1_500.0)), chance.choice((0.0, 600.0, 700.0, -800.0))
    shifts = {"AM": 0.0, "USB": ssb_hz, "LSB": -ssb_hz, "CW": cw_hz, "CWR": -cw_hz}
    step_hz = chance.choice((1.0, 1.0, 10.0, 100.0))
    rig = IfRig(round(chance.uniform(4e6, 75e6)), chance.random() < 0.5, step_hz, shifts)
    return rig, ssb_hz, cw_hz
