"""Observations: one measurement of a known carrier, its true frequency, and the values entered at the time."""

import re

import msgspec

from yarddial.yard.frequency_conversion import ConverterKind, Stage, path_sense, shown_for_dial
from yarddial.yard.oscillators import clock_of, crystal_of, lo_of, rig_of
from yarddial.yard.parts import Converter
from yarddial.yard.references import wander_of
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

# Share of observations of a wrong line (a neighbour, a spurious signal), and how far off those are.
LIE_CHANCE, LIE_HZ, LIE_PPM = 0.02, 20.0, 0.3
LOWEST_LIE_HZ = 100e3


class SeenStage(msgspec.Struct, frozen=True, omit_defaults=True):
    """A converter at the time of an observation: its nominal oscillator and the value entered then, hertz.

    follows_dial : it is a transceiver's oscillator, whose error grows with the tuned frequency.
    """

    name: str
    kind: ConverterKind
    nominal_lo_hz: float
    entered_lo_hz: float
    follows_dial: bool = False

    @property
    def unknown(self) -> str:
        """Name of the oscillator concerned."""
        return rig_of(self.name) if self.follows_dial else lo_of(self.name)

    @property
    def hertz_per_unit(self) -> float:
        """Change in hertz of the oscillator per unit of the unknown."""
        return 1e-6 * self.nominal_lo_hz if self.follows_dial else 1.0


class OneCrystal(msgspec.Struct, frozen=True, tag="one crystal"):
    """The observation depends on one crystal, which drives tuner and sampling."""


class CrystalAndClock(msgspec.Struct, frozen=True, tag="crystal and sampling clock"):
    """The observation depends on the tuner's crystal and on a separate sample clock, in shares set by the centre."""

    centre_hz: float


class SamplingOnly(msgspec.Struct, frozen=True, tag="sampling clock"):
    """The observation depends on the sample clock alone, such as an audio tone of known pitch."""


TellsOf = OneCrystal | CrystalAndClock | SamplingOnly


class Observation(msgspec.Struct, frozen=True, omit_defaults=True):
    """A measured carrier of known frequency.

    reference_hz, reference_sigma_hz : the true frequency and its one-sigma uncertainty as received.
    dial_hz, sigma_hz : what the dial showed and the one-sigma uncertainty of that measurement.
    entered_ppm : the correction entered at the time, positive for a fast crystal.
    at_utc : when, as 2026-11-25T18:30:00Z; what a sky-wave does is alike for looks of one day.
    wander_hz : the part of the reference's uncertainty that is new each day.
    tells_of : which of the receiver's clocks it says something about, beside the converters of `stages`.
    drift_hz_per_s : how fast the dial's reading moved while it was measured, where that was seen.
    device : address of the receiver's device, without options; empty where unknown.
    shares : whose lasting error it has: observations of the same text have it in common; empty for nobody's.
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
    at_utc: str = ""
    wander_hz: float = 0.0
    tells_of: TellsOf = OneCrystal()
    shares: str = ""
    drift_hz_per_s: float = 0.0
    device: str = ""

    @property
    def day(self) -> str:
        """Date of the measurement; empty where unknown."""
        return self.at_utc[:10]

    @property
    def error_hz(self) -> float:
        """Dial error, dial minus true, hertz."""
        return self.dial_hz - self.reference_hz

    @property
    def unknowns(self) -> tuple[str, ...]:
        """Oscillators that this observation constrains."""
        crystal, clock = crystal_of(self.receiver), clock_of(self.receiver)
        match self.tells_of:
            case OneCrystal():
                clocks: tuple[str, ...] = (crystal,)
            case CrystalAndClock():
                clocks = (crystal, clock)
            case SamplingOnly():
                clocks = (clock,)
        return (*clocks, *(stage.unknown for stage in self.stages))

    @property
    def lie_sigma_hz(self) -> float:
        """Extra uncertainty for a possible wrong line, as long as no other observation confirms this one.

        Tones and pilots are exempt: their programme identifies them.
        """
        if isinstance(self.tells_of, SamplingOnly) or self.reference_hz < LOWEST_LIE_HZ:
            return 0.0
        return float(LIE_CHANCE**0.5) * max(LIE_HZ, LIE_PPM * 1e-6 * self.reference_hz)

    @property
    def total_sigma_hz(self) -> float:
        """Combined uncertainty of measurement and reference."""
        return float((self.sigma_hz**2 + self.reference_sigma_hz**2) ** 0.5)

    def entered_stages(self) -> tuple[Stage, ...]:
        """Converters with the values entered at the time."""
        return tuple(Stage(s.kind, s.entered_lo_hz, 0.0, s.name) for s in self.stages)

    def shown_uncorrected_hz(self) -> float:
        """Frequency that the receiver would have shown without a correction."""
        return shown_for_dial(self.dial_hz, self.entered_stages()) / (1 + self.entered_ppm * 1e-6)

    @property
    def sense(self) -> int:
        """+1, or -1 for an inverted route."""
        return path_sense(self.entered_stages())


def observed(
    route: ResolvedRoute,
    reference: Reference,
    dial_hz: float,
    sigma_hz: float,
    at_utc: str = "",
    centre_hz: float | None = None,
) -> Observation:
    """Make the observation of a station over a route, with the values entered now.

    centre_hz : the receiver's centre as it counts; by default where it is parked for this station.
    """
    route = route.at(reference.frequency_hz)
    receiver = route.receiver
    if centre_hz is None:
        centre_hz = route.parked_hz(route.counted_hz(reference.frequency_hz), receiver.park_hz)
    return Observation(
        receiver=receiver.name,
        reference_hz=reference.frequency_hz,
        reference_sigma_hz=reference.sigma_hz,
        dial_hz=dial_hz,
        sigma_hz=sigma_hz,
        stages=tuple(seen_stage(converter) for converter in route.converters),
        entered_ppm=receiver.entered_ppm,
        reference_name=reference.name,
        route=route.name,
        at_utc=at_utc,
        wander_hz=wander_of(reference.kind, reference.sigma_hz),
        tells_of=OneCrystal() if receiver.clock_ppm is None else CrystalAndClock(centre_hz),
        shares=lasting_error_of(reference.name, reference.frequency_hz),
        device=receiver.device_name,
    )


def tells_of_centre(centre_hz: float | None) -> TellsOf:
    """Decode the centre of version 1 files: none means one crystal, 0 the sample clock alone, otherwise both."""
    if centre_hz is None:
        return OneCrystal()
    return CrystalAndClock(centre_hz) if centre_hz else SamplingOnly()


def path_of(name: str) -> str:
    """Name shared by the frequencies of one station: its name without numbers."""
    return re.sub(r"[\d.,]+\s*([kM]?Hz)?", "", name).strip() or name


def lasting_error_of(name: str, frequency_hz: float) -> str:
    """Owner of an observation's lasting error: the named station's carrier; none without a name."""
    return f"{name} at {frequency_hz!r} Hz" if name else ""


def seen_stage(converter: Converter) -> SeenStage:
    """Record a converter's present state."""
    return SeenStage(
        converter.name, converter.kind, converter.nominal_lo_hz, converter.entered_lo_hz, converter.follows_dial
    )
