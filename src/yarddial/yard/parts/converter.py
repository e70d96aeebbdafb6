"""Frequency converters: boxes with one oscillator, and LNBs with one for each band."""

from typing import Literal

import msgspec

from yarddial.yard.frequency_conversion import ConverterKind, Stage
from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.spans import outside, span_text
from yarddial.yard.parts.supply import Need
from yarddial.yard.parts.values import Origins, Value

# Above every frequency that this program can dial.
NO_LIMIT_HZ = 1e12


class Converter(msgspec.Struct, frozen=True, omit_defaults=True, tag="converter"):
    """A box that moves a band: kind, ranges, its oscillator, and the value entered in the listening program.

    isolation_db : how far a signal that passes unconverted is weakened.
    lo_leak_dbm : the oscillator's own power that comes out with the signals.
    largest_dbm : most that its input bears.
    follows_dial : true of a transceiver's IF, whose oscillator moves with the dial and is not for us to enter.
    """

    name: str
    kind: ConverterKind
    lo_hz: Value
    entered_lo_hz: float
    input_low_hz: float
    input_high_hz: float
    note: str = ""
    follows_dial: bool = False
    output_low_hz: float = 0.0
    output_high_hz: float = NO_LIMIT_HZ
    gain_db: Value | None = None
    nf_db: Value | None = None
    iip3_dbm: Value | None = None
    isolation_db: Value | None = None
    lo_leak_dbm: Value | None = None
    largest_dbm: Value | None = None
    need: Need | None = None
    input: Socket = Socket()
    output: Socket = Socket()
    origins: Origins = {}

    @property
    def nominal_lo_hz(self) -> float:
        """Nominal oscillator frequency; errors are counted from here."""
        return self.lo_hz.unmeasured().value

    def stage(self) -> Stage:
        """Conversion of this box, with its oscillator's error against the entered value."""
        return Stage(self.kind, self.entered_lo_hz, self.lo_hz.value - self.entered_lo_hz, self.name)

    def why_not(self, in_hz: float) -> str:
        """Reason why it cannot take a frequency; empty when it can."""
        if self.output_low_hz > 0.0 or self.output_high_hz < NO_LIMIT_HZ:
            out_hz = Stage(self.kind, self.entered_lo_hz).convert(in_hz)
            if not self.output_low_hz <= out_hz <= self.output_high_hz:
                return f"{self.name} gives {span_text(self.output_low_hz, self.output_high_hz)}"
        return outside(self.name, in_hz, self.input_low_hz, self.input_high_hz)

    def converter_at(self, in_hz: float) -> "Converter":
        """Return itself: it has one oscillator."""
        return self

    def edges_hz(self) -> tuple[float, ...]:
        """Input frequencies at the ends of its range."""
        edges = [self.input_low_hz, self.input_high_hz]
        stage = Stage(self.kind, self.entered_lo_hz)
        edges += [(edge - stage.offset_hz) * stage.sense for edge in (self.output_low_hz, self.output_high_hz)]
        return tuple(edge for edge in edges if edge < NO_LIMIT_HZ / 2)


class LnbBand(msgspec.Struct, frozen=True, omit_defaults=True):
    """One band of an LNB: its oscillator, and the tone that selects it."""

    name: str
    lo_hz: Value
    entered_lo_hz: float
    input_low_hz: float
    input_high_hz: float
    tone_khz: float = 0.0
    kind: ConverterKind = "low"


Polarisation = Literal["vertical", "horizontal", "right-hand", "left-hand"]
LOWER_VOLTAGE: tuple[Polarisation, ...] = ("vertical", "right-hand")
# The polarisation that the other voltage selects.
OTHER_POLARISATION: dict[Polarisation, Polarisation] = {
    "vertical": "horizontal", "horizontal": "vertical", "right-hand": "left-hand", "left-hand": "right-hand",
}  # fmt: skip


class Lnb(msgspec.Struct, frozen=True, omit_defaults=True, tag="lnb"):
    """Low-noise block of a dish: tone selects the oscillator, supply voltage the polarisation.

    vertical_v, horizontal_v : the voltages that select a polarisation; `polarisation` is the one in use. Of circular
    ones the lower voltage selects the right-hand, the higher the left-hand sense.
    """

    name: str
    bands: tuple[LnbBand, ...]
    note: str = ""
    polarisation: Polarisation = "vertical"
    vertical_v: float = 13.0
    horizontal_v: float = 18.0
    current_ma: float = 0.0
    gain_db: Value | None = None
    nf_db: Value | None = None
    output: Socket = Socket()
    origins: Origins = {}

    @property
    def input(self) -> Socket:
        """Input socket: unknown, because nothing is connected at the feed."""
        return Socket()

    @property
    def need(self) -> Need | None:
        """Supply: through its line, at the voltage that selects the polarisation."""
        low_v, high_v = self.window_v(self.polarisation)
        return Need(low_v, high_v, self.current_ma, "line")

    def window_v(self, polarisation: str) -> tuple[float, float]:
        """Supply range that selects a polarisation: customarily 11.5 to 14 V vertical, 16 to 19 V horizontal.

        Source: EN 61319-1, 13 V and 18 V with their tolerances at the LNB.
        """
        if polarisation in LOWER_VOLTAGE:
            return self.vertical_v - 1.5, self.vertical_v + 1.0
        return self.horizontal_v - 2.0, self.horizontal_v + 1.0

    def why_not(self, in_hz: float) -> str:
        """Reason why no band takes a frequency; empty when one does."""
        if any(band.input_low_hz <= in_hz <= band.input_high_hz for band in self.bands):
            return ""
        spans = " and ".join(span_text(band.input_low_hz, band.input_high_hz) for band in self.bands)
        return f"{self.name} takes {spans}"

    def converter_at(self, in_hz: float) -> Converter:
        """Band for a frequency, or the nearest one, as a plain converter."""
        return self.as_converter(self.band_at(in_hz))

    def band_at(self, in_hz: float) -> LnbBand:
        """Band for a frequency, or the nearest one."""
        return min(self.bands, key=lambda b: max(b.input_low_hz - in_hz, in_hz - b.input_high_hz, 0.0))

    def as_converter(self, band: LnbBand) -> Converter:
        """A band as a plain converter, named after LNB and band."""
        name = f"{self.name} {band.name}" if len(self.bands) > 1 else self.name
        return Converter(
            name, band.kind, band.lo_hz, band.entered_lo_hz, band.input_low_hz, band.input_high_hz, self.note
        )

    def edges_hz(self) -> tuple[float, ...]:
        """Input frequencies at the ends of its bands."""
        return tuple(edge for band in self.bands for edge in (band.input_low_hz, band.input_high_hz))
