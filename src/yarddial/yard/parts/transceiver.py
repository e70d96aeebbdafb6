"""Transceivers as parts of a receiving path."""

from typing import Literal

import msgspec

from yarddial.yard.frequency_conversion import ConverterKind
from yarddial.yard.parts.converter import Converter
from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.spans import outside
from yarddial.yard.parts.values import Origins, Value

Output = Literal["if", "antenna"]


class Transceiver(msgspec.Struct, frozen=True, omit_defaults=True, tag="transceiver"):
    """A transceiver by its IF output or its receive-antenna output.

    tap : the output in use; a route may choose the other one.
    if_hz : the fixed intermediate frequency at the IF output.
    sense : +1, or -1 when the spectrum comes out inverted.
    rig_ppm : error of its own frequencies, positive when it tunes high.
    offsets_hz : by mode, what stands in the middle of its IF minus what its display shows, on the upper sideband.
    link : the address by which it is controlled, see `drivers.rig.opening`; empty where it is not.
    menu_set_utc : when its reference was last set in its own menu; what was measured of it before no longer counts.
    menu_before_ppm : its known error then, to tell afterwards whether the menu has changed anything.
    transmit_w : its power; 0 for one that cannot transmit.
    duty_share : largest share of any 30 minutes in which it transmits with full power, pauses and mode counted.
    isolation_db : how far the outputs are below the transmitter while it transmits, at worst.
    """

    name: str
    tap: Output
    low_hz: float
    high_hz: float
    if_hz: float = 0.0
    sense: Literal[1, -1] = 1
    rig_ppm: Value = Value(0.0, 0.5, "stated")
    menu_set_utc: str = ""
    menu_before_ppm: float | None = None
    offsets_hz: dict[str, float] = {}
    note: str = ""
    transmit_w: float = 0.0
    duty_share: float = 1.0
    isolation_db: Value | None = None
    input: Socket = Socket()
    if_output: Socket = Socket()
    antenna_output: Socket = Socket()
    link: str = ""
    origins: Origins = {}

    @property
    def output(self) -> Socket:
        """Socket of the output in use."""
        return self.if_output if self.tap == "if" else self.antenna_output

    @property
    def need(self) -> None:
        """None: a transceiver has its own supply."""
        return

    def why_not(self, in_hz: float) -> str:
        """Reason why it does not receive a frequency; empty when it does."""
        return outside(self.name, in_hz, self.low_hz, self.high_hz)

    def offset_hz(self, mode: str, *, is_lower: bool = False) -> float:
        """Middle of the IF minus display in one mode; the sign changes for the lower sideband."""
        offset_hz = self.offsets_hz.get(mode, 0.0)
        return -offset_hz if is_lower else offset_hz

    def converter_at(self, in_hz: float) -> Converter | None:
        """Equivalent converter for in_hz at the middle of its IF: its oscillator is at in_hz -+ IF."""
        if self.tap == "antenna":
            return None
        lo_hz = in_hz - self.if_hz if self.sense > 0 else in_hz + self.if_hz
        kind: ConverterKind = "high" if self.sense < 0 else "low" if lo_hz >= 0 else "sum"
        # Its oscillator errs by its own frequency's share, as every oscillator locked to one crystal does.
        value = Value(abs(lo_hz), self.rig_ppm.sigma * 1e-6 * abs(lo_hz), self.rig_ppm.provenance)
        if self.rig_ppm.provenance == "measured":
            true_hz = abs(lo_hz) * (1 + self.rig_ppm.value * 1e-6)
            value = msgspec.structs.replace(value, provenance="stated").measured(
                true_hz, value.sigma, self.rig_ppm.date, self.rig_ppm.note
            )
        return Converter(f"{self.name} IF", kind, value, abs(lo_hz), self.low_hz, self.high_hz, self.note, True)

    def edges_hz(self) -> tuple[float, ...]:
        """Frequencies at the ends of its range."""
        return (self.low_hz, self.high_hz)
