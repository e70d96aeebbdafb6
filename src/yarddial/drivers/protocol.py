"""What every driver offers. A driver is data in, blocks of samples out; it knows nothing of dials or windows."""

from typing import Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray


class RequestedSettings(msgspec.Struct, frozen=True):
    """What the receiver is asked to be set to: tuner frequency and rate as the receiver counts them, and the port.

    bandwidth_hz : of the filter before sampling; 0 leaves it to the receiver.
    gains_db : (stage, gain) for the stages to be set; the others stay as they are.
    automatic_gain : the receiver's own control; gains are then ignored.
    bias : the port's bias feed, on or off. Never switched on but by a person.
    correction_ppm : a correction that the receiver itself applies; 0 leaves its counting alone.
    """

    centre_hz: float
    rate_hz: float
    port: str = ""
    bandwidth_hz: float = 0.0
    gains_db: tuple[tuple[str, float], ...] = ()
    automatic_gain: bool = False
    bias: bool = False
    correction_ppm: float = 0.0


class ActualSettings(msgspec.Struct, frozen=True):
    """What it was really set to, as the receiver believes; `restart` tells that the stream began anew."""

    centre_hz: float
    rate_hz: float
    port: str
    restart: bool = False
    bandwidth_hz: float = 0.0
    gains_db: tuple[tuple[str, float], ...] = ()
    automatic_gain: bool = False
    bias: bool = False
    correction_ppm: float = 0.0


class GainCapability(msgspec.Struct, frozen=True):
    """A gain stage as the driver offers it: its name and every step it has, dB, rising."""

    name: str
    steps_db: tuple[float, ...]


class Capabilities(msgspec.Struct, frozen=True):
    """What a receiver can do. A recording has one rate and one centre.

    restarts : settings after which the stream begins anew: of `rate`, `port`, `bandwidth`, `gain`, `bias`.
    bias_ports : ports that can feed current to the line.
    direct : (port, its converter's clock) for ports that go past the tuner: the centre lies below half the clock there.
    """

    name: str
    ranges_hz: tuple[tuple[float, float], ...]
    rates_hz: tuple[float, ...]
    ports: tuple[str, ...]
    bits: int
    is_live: bool = True
    gains: tuple[GainCapability, ...] = ()
    has_automatic_gain: bool = False
    bandwidths_hz: tuple[float, ...] = ()
    bias_ports: tuple[str, ...] = ()
    restarts: frozenset[str] = frozenset({"rate"})
    direct: tuple[tuple[str, float], ...] = ()

    def ranges_at(self, port: str) -> tuple[tuple[float, float], ...]:
        """Where the centre may lie on a port."""
        clock_hz = dict(self.direct).get(port)
        return self.ranges_hz if clock_hz is None else ((0.0, clock_hz / 2),)


class Block(msgspec.Struct, frozen=True):
    """A run of samples without a gap inside.

    samples : complex64, shape (n,), full scale 1.0.
    first_index : count of samples since the stream began, lost ones included.
    lost : samples lost just before this block.
    overflow : the receiver or its link said that it could not keep up.
    time_s : true time of the first sample, where the device knows it; otherwise not a number.
    remark : what the person should know about the stream, in a sentence; empty as a rule.
    """

    samples: NDArray[np.complex64]
    first_index: int
    lost: int = 0
    overflow: bool = False
    time_s: float = float("nan")
    remark: str = ""


class TimeSource(Protocol):
    """A clock that can be replaced: real time for people, virtual time for tests and `flat out`."""

    def now_s(self) -> float:
        """Seconds since some fixed moment."""
        ...

    def sleep_s(self, seconds: float) -> None:
        """Wait; a virtual clock only moves on."""
        ...


class Device(Protocol):
    """An open receiver."""

    @property
    def capabilities(self) -> Capabilities:
        """What it can do."""
        ...

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Set it; raises CannotTune or another YardDialError with what it covers. Nothing changes then."""
        ...

    def read(self) -> Block | None:
        """Wait for the next block; None at the end of a recording. Raises DeviceLost when it stops answering."""
        ...

    def close(self) -> None:
        """Give it back. May be called twice."""
        ...


class Driver(Protocol):
    """A kind of receiver: finds and opens devices."""

    name: str

    def discover(self) -> tuple[str, ...]:
        """Addresses that can be opened, without the driver's name."""
        ...

    def open(self, address: str, time: TimeSource) -> Device:
        """Open one; raises DeviceNotFound or another YardDialError."""
        ...
