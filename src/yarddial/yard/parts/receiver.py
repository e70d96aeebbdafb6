"""Receivers."""

from typing import Literal

import msgspec

from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.spans import outside, span_text
from yarddial.yard.parts.supply import Feed
from yarddial.yard.parts.values import Origins, Value

# Nearer to a border of two sampling zones than this, a channel and its fold overlap.
ZONE_BORDER_HZ = 5e3


class DirectSampling(msgspec.Struct, frozen=True, omit_defaults=True):
    """Input past the tuner: the sample clock and the highest usable zone (0 is the first).

    low_pass_hz : pass band of a low-pass filter inside the receiver; None where it has none.
    """

    port: str
    clock_hz: float
    top_zone: int = 0
    low_pass_hz: float | None = None

    def zone(self, in_hz: float) -> int:
        """Zone number n = floor(2 f / C)."""
        return int(2 * in_hz / self.clock_hz)

    def folded_hz(self, in_hz: float) -> float:
        """Frequency at which a signal appears: f mod C in even zones, C - f mod C in odd ones."""
        rest = in_hz % self.clock_hz
        return rest if self.zone(in_hz) % 2 == 0 else self.clock_hz - rest

    def at_border(self, in_hz: float) -> bool:
        """Return True beside a border of two zones, where what lies on either side shows in one place."""
        away_hz = abs(in_hz - round(2 * in_hz / self.clock_hz) * self.clock_hz / 2)
        return in_hz > self.clock_hz / 4 and away_hz < ZONE_BORDER_HZ

    @property
    def top_hz(self) -> float:
        """Upper end of the highest usable zone."""
        return (self.top_zone + 1) * self.clock_hz / 2


# Uncertainty of a gain step.
STEP_SIGMA_DB = 0.5
# Share of the sample rate between the centre and the wanted frequency.
PARK_FRACTION = 0.15


class Port(msgspec.Struct, frozen=True, omit_defaults=True):
    """A socket of a receiver: connector, maximum input, and the bias current it can feed."""

    name: str
    socket: Socket = Socket()
    largest_dbm: Value | None = None
    bias: Feed | None = None


class GainStage(msgspec.Struct, frozen=True, omit_defaults=True):
    """A gain control with its real, uneven steps.

    steps_db : every available gain, rising.
    set_db : the gain set now.
    reads : what its control shows: gain, or attenuation below the highest gain.
    """

    name: str
    steps_db: tuple[float, ...]
    set_db: float
    reads: Literal["gain", "attenuation"] = "gain"

    def control_text(self, gain_db: float) -> str:
        """Reading of the control for a gain."""
        if self.reads == "gain":
            return f"{gain_db:g} dB"
        return f"{self.steps_db[-1] - gain_db:g} dB of attenuation"

    def nearest_db(self, gain_db: float) -> float:
        """Available step nearest to a gain."""
        return min(self.steps_db, key=lambda step: abs(step - gain_db))


class LevelCalibration(msgspec.Struct, frozen=True, omit_defaults=True):
    """Level calibration of a port: dBm = dBFS + offset, for the gains set at the time.

    offset_db : with the uncertainty of the stated level.
    """

    port: str
    gains_db: tuple[tuple[str, float], ...]
    offset_db: Value

    def offset_at(self, gains_db: tuple[tuple[str, float], ...]) -> Value:
        """Level offset for other gains, from the gain steps; each step is uncertain by half a decibel."""
        then, now = dict(self.gains_db), dict(gains_db)
        moved = [now.get(name, gain_db) - gain_db for name, gain_db in then.items()]
        changed = sum(1 for move in moved if move)
        sigma = (self.offset_db.sigma**2 + changed * STEP_SIGMA_DB**2) ** 0.5
        return msgspec.structs.replace(self.offset_db, value=self.offset_db.value - sum(moved), sigma=sigma)


class DeviceCorrections(msgspec.Struct, frozen=True, omit_defaults=True):
    """What was measured on a device and entered for it, while the receiver of the yard is another device.

    device : its address, without options.
    """

    device: str
    crystal_ppm: Value
    entered_ppm: float
    clock_ppm: Value | None = None
    lost_shares: tuple[tuple[float, float], ...] = ()
    calibrations: tuple[LevelCalibration, ...] = ()


class Receiver(msgspec.Struct, frozen=True, omit_defaults=True, tag="receiver"):
    """A receiver: what it tunes, its crystal, and the correction entered.

    crystal_ppm is positive when the crystal runs fast; it drives tuner and converter, unless the converter has a clock
    of its own, whose error is clock_ppm then. `device` names the driver's address for it.
    iip2_dbm, iip3_dbm : intercepts at its socket. mirror_db : rejection of mirrors; harmonic_db : of what is mixed in
    by three times its oscillator; crystal_leak_dbm : level of its crystal's harmonics, as counted at the socket.
    even_db : of what is mixed in by twice its oscillator. tracking_db : what a filter that follows the tuner takes.
    if_hz : of a tuner with an intermediate frequency, its oscillator above; image_db : how far its image is down;
    half_if_dbm : second-order intercept of its half-IF response. reference_hz, reference_db : its oscillator's
    sidebands, so far away and down. phase_noise_dbc_hz : its oscillator's, 100 kHz away.
    tuner_step_hz : its synthesizer's step, 0 when it can go anywhere.
    park_share : of the rate, how far below the dial the centre is put; negative for above.
    calibrations : of its levels, the latest for a port first.
    effective_bits : of its converter (IEEE Std 1241). stream_bits : of each value sent to the computer; 0 for `bits`.
    automatic_gain : its own control sets the stages. bandwidth_hz : of its filter before sampling, 0 for its choice.
    fixed_centre_hz : where the centre stays of one that is tuned by hand or by another program; 0 for all others.
    lost_shares : (rate in hertz, share of the samples lost at it) for the rates that were watched.
    other_devices : corrections of devices that this receiver was before, for their return.
    """

    name: str
    tuner_low_hz: float
    tuner_high_hz: float
    crystal_hz: float
    crystal_ppm: Value
    entered_ppm: float
    rates_hz: tuple[float, ...]
    rate_hz: float
    bits: int
    device: str = ""
    holes_hz: tuple[tuple[float, float], ...] = ()
    direct: DirectSampling | None = None
    note: str = ""
    ports: tuple[Port, ...] = ()
    gain_stages: tuple[GainStage, ...] = ()
    tuner_step_hz: float = 0.0
    nf_db: Value | None = None
    iip3_dbm: Value | None = None
    iip2_dbm: Value | None = None
    mirror_db: Value | None = None
    harmonic_db: Value | None = None
    even_db: Value | None = None
    tracking_db: Value | None = None
    if_hz: float = 0.0
    image_db: Value | None = None
    half_if_dbm: Value | None = None
    reference_hz: float = 0.0
    reference_db: Value | None = None
    phase_noise_dbc_hz: Value | None = None
    crystal_leak_dbm: Value | None = None
    lost_shares: tuple[tuple[float, float], ...] = ()
    calibrations: tuple[LevelCalibration, ...] = ()
    clock_ppm: Value | None = None
    effective_bits: Value | None = None
    stream_bits: int = 0
    park_share: float = PARK_FRACTION
    automatic_gain: bool = False
    bandwidth_hz: float = 0.0
    fixed_centre_hz: float = 0.0
    origins: Origins = {}
    other_devices: tuple[DeviceCorrections, ...] = ()

    @property
    def device_name(self) -> str:
        """Address of its device without options: the same device is meant whatever they are."""
        return self.device.partition("?")[0]

    @property
    def park_hz(self) -> float:
        """Distance of the centre below the wanted signal: off the spike, inside the alias-free part."""
        return self.park_share * self.rate_hz

    def gains_db(self) -> tuple[tuple[str, float], ...]:
        """Present gains of its stages."""
        return tuple((stage.name, stage.set_db) for stage in self.gain_stages)

    def level_offset(self, port: str) -> Value | None:
        """Offset from dBFS to dBm at a port with the present gains; None before a calibration."""
        calibration = next((candidate for candidate in self.calibrations if candidate.port == port), None)
        return None if calibration is None else calibration.offset_at(self.gains_db())

    def calibrated(self, port: str, offset_db: Value) -> "Receiver":
        """Return a copy with a level calibration for a port at the present gains, replacing an older one."""
        others = tuple(calibration for calibration in self.calibrations if calibration.port != port)
        return msgspec.structs.replace(self, calibrations=(LevelCalibration(port, self.gains_db(), offset_db), *others))

    def port(self, name: str) -> Port:
        """Port by name; defaults when it is not described."""
        return next((port for port in self.ports if port.name == name), Port(name))

    def feeds(self, port: str) -> bool:
        """Return True when a port's bias feed is on."""
        bias = self.port(port).bias
        return bias is not None and bias.on

    def samples_directly(self, port: str) -> bool:
        """Return True for the port that bypasses the tuner."""
        return self.direct is not None and bool(port) and port == self.direct.port

    def why_not(self, in_hz: float, port: str = "") -> str:
        """Reason why a port does not reach a frequency; empty when it does."""
        if self.direct is not None and self.samples_directly(port):
            return outside(f"{self.name}'s direct input", in_hz, 0.0, self.direct.top_hz)
        low_hz, high_hz = self.tuned_span_hz
        if not low_hz <= in_hz <= high_hz:
            return f"{self.name} tunes {span_text(low_hz, high_hz)}"
        return self.hole_at(in_hz)

    @property
    def tuned_span_hz(self) -> tuple[float, float]:
        """Lowest and highest frequency: the tuner's range, or half the rate on each side of a fixed centre."""
        if not self.fixed_centre_hz:
            return self.tuner_low_hz, self.tuner_high_hz
        return max(self.fixed_centre_hz - self.rate_hz / 2, 0.0), self.fixed_centre_hz + self.rate_hz / 2

    def hole_at(self, in_hz: float) -> str:
        """Describe the hole in the tuner's range at a frequency; empty outside holes."""
        for low_hz, high_hz in self.holes_hz:
            if low_hz < in_hz < high_hz:
                return f"{self.name} has a hole at {span_text(low_hz, high_hz)}"
        return ""

    def edges_hz(self, port: str) -> tuple[float, ...]:
        """Frequencies at a port at which its reach begins, ends or inverts."""
        if self.direct is not None and self.samples_directly(port):
            borders = [zone * self.direct.clock_hz / 2 for zone in range(1, self.direct.top_zone + 2)]
            return (0.0, *(hertz + by for hertz in borders for by in (-ZONE_BORDER_HZ, 0.0, ZONE_BORDER_HZ)))
        return (*self.tuned_span_hz, *(edge for hole in self.holes_hz for edge in hole))
