"""One look at a known carrier: where it should be, where the dial showed it, and what was entered at the time."""

import msgspec

from yarddial.yard.oscillators import crystal_of, lo_of
from yarddial.yard.path import Kind, Stage, path_sense, shown_for_dial


class SeenStage(msgspec.Struct, frozen=True, omit_defaults=True):
    """A converter as it stood during an observation: its nominal oscillator and the value then entered, hertz."""

    name: str
    kind: Kind
    nominal_lo_hz: float
    entered_lo_hz: float


class Observation(msgspec.Struct, frozen=True, omit_defaults=True):
    """A measured carrier of known frequency.

    reference_hz, reference_sigma_hz : the true frequency and its one-sigma doubt as received.
    dial_hz, sigma_hz : what the dial showed and the one-sigma doubt of that measurement.
    entered_ppm : the correction entered at the time, positive for a fast crystal.
    """

    receiver: str
    reference_hz: float
    reference_sigma_hz: float
    dial_hz: float
    sigma_hz: float
    stages: tuple[SeenStage, ...] = ()
    entered_ppm: float = 0.0
    reference_name: str = ""
    route: str = ""

    @property
    def error_hz(self) -> float:
        """Dial minus true, hertz."""
        return self.dial_hz - self.reference_hz

    @property
    def unknowns(self) -> tuple[str, ...]:
        """The oscillators that this observation says something about."""
        return (crystal_of(self.receiver), *(lo_of(stage.name) for stage in self.stages))

    @property
    def total_sigma_hz(self) -> float:
        """Doubt of measurement and reference together."""
        return float((self.sigma_hz**2 + self.reference_sigma_hz**2) ** 0.5)

    def entered_stages(self) -> tuple[Stage, ...]:
        """The converters with the values entered at the time."""
        return tuple(Stage(s.kind, s.entered_lo_hz, 0.0, s.name) for s in self.stages)

    def shown_uncorrected_hz(self) -> float:
        """What the receiver would have shown with no correction entered."""
        return shown_for_dial(self.dial_hz, self.entered_stages()) / (1 + self.entered_ppm * 1e-6)

    @property
    def sense(self) -> int:
        """+1, or -1 for an inverted route."""
        return path_sense(self.entered_stages())
