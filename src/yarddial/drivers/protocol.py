"""The interface of every driver: settings in, blocks of samples out. It knows nothing of dials or windows."""

from typing import Literal, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.bounds import Hertz, LevelDb, Name, RateHz, WidthHz

# What prevents access to a receiver that is present.
FoundState = Literal["ready", "claimed", "denied", "busy", "missing", "module not loaded", "no driver"]


class FoundReceiver(msgspec.Struct, frozen=True):
    """A receiver that a driver finds without opening it.

    address : what `open` takes, without the driver's name and without options.
    bus : where it hangs, in words; speed_mbps : of that link, 0 where nobody knows.
    state : `claimed` by another driver of the kernel, `denied` to this person, `busy` with another program,
        `missing` what it is read through; `module not loaded` of the kernel, that would serve it; `no driver` knows it.
    usb_id : vendor and product. held_by : the driver or program that has it. module : of the kernel, that serves it.
    why : what is in the way, a sentence; cure : the line that takes it away, for the person to read and to run.
    """

    address: str
    name: str = ""
    bus: str = ""
    speed_mbps: float = 0.0
    state: FoundState = "ready"
    why: str = ""
    cure: str = ""
    usb_id: str = ""
    held_by: str = ""
    module: str = ""


class RequestedSettings(msgspec.Struct, frozen=True):
    """Requested settings: tuner frequency and rate as the receiver counts them, and the port.

    bandwidth_hz : of the filter before sampling; 0 leaves it to the receiver.
    gains_db : (stage, gain) for the stages to be set; the others stay as they are.
    automatic_gain : the receiver's own control; gains are then ignored.
    bias : the port's bias feed, on or off. Only a person ever switches it on.
    """

    centre_hz: Hertz
    rate_hz: RateHz
    port: Name = ""
    bandwidth_hz: WidthHz = 0.0
    gains_db: tuple[tuple[Name, LevelDb], ...] = ()
    automatic_gain: bool = False
    bias: bool = False


class ActualSettings(msgspec.Struct, frozen=True):
    """Settings in force as the receiver counts them; the rate is the one it keeps, not the requested one.

    restart : the count of samples began anew.
    gains_db : of every stage that it knows the gain of; under automatic gain what that has set, or nothing.
    """

    centre_hz: float
    rate_hz: float
    port: str
    restart: bool = False
    bandwidth_hz: float = 0.0
    gains_db: tuple[tuple[str, float], ...] = ()
    automatic_gain: bool = False
    bias: bool = False


class GainCapability(msgspec.Struct, frozen=True):
    """A gain stage as the driver offers it: its name and every step it has, dB, rising.

    A step is always a gain: an attenuator of 0, 10 and 20 dB has the steps -20, -10 and 0.
    reads : what the receiver's own control or its maker's leaflet calls it by.
    """

    name: str
    steps_db: tuple[float, ...]
    reads: Literal["gain", "attenuation"] = "gain"


class Capabilities(msgspec.Struct, frozen=True):
    """What a receiver can do. A recording or a stream has one rate and one centre.

    ranges_hz : where the centre may lie, rising, holes left out. rates_hz : rising.
    gains : in the order in which the signal meets them.
    bandwidths_hz : of the filter before sampling, where it can be chosen.
    bias_ports : ports that can feed current to the line.
    direct : (port, its converter's clock) for ports that go past the tuner: the centre lies below half the clock there.
    fixed_centre_hz : where the centre stays of what is not tuned from here, such as a recording; 0 for all others.
    own_clock : the sampling has an oscillator of its own; otherwise the tuner's crystal makes both.
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
    direct: tuple[tuple[str, float], ...] = ()
    own_clock: bool = False
    fixed_centre_hz: float = 0.0

    def ranges_at(self, port: str) -> tuple[tuple[float, float], ...]:
        """Tuning ranges of a port."""
        clock_hz = dict(self.direct).get(port)
        return self.ranges_hz if clock_hz is None else ((0.0, clock_hz / 2),)


class Block(msgspec.Struct, frozen=True):
    """A run of samples without a gap inside.

    samples : complex64, shape (n,), full scale 1.0, n > 0.
    first_index : samples delivered and lost since the count began. Samples that a driver drops because of former
        settings count neither as delivered nor as lost.
    lost : samples lost just before this block, which first_index skips. Either of the two is enough.
    missed : samples that found no room because this computer was busy; counted by the engine, not by drivers.
    time_s : true time of the first sample, where the device knows it; otherwise NaN.
    remark : a sentence for the person about the stream; normally empty.
    tuning : id of the tuning that the samples were taken with; set by the engine, not by drivers.
    """

    samples: NDArray[np.complex64]
    first_index: int
    lost: int = 0
    missed: int = 0
    time_s: float = float("nan")
    remark: str = ""
    tuning: int = 0


class TimeSource(Protocol):
    """A replaceable clock: real time for people, virtual time for tests and `flat out`."""

    def now_s(self) -> float:
        """Seconds since an arbitrary start."""
        ...

    def sleep_s(self, seconds: float) -> None:
        """Wait; a virtual clock only advances."""
        ...


class Device(Protocol):
    """An open receiver, as all drivers provide it."""

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities of the receiver."""
        ...

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Apply settings; raises CannotTune or RefusedValue with the available range, and changes nothing then.

        Later blocks hold only samples taken with these settings.
        """
        ...

    def read(self) -> Block | None:
        """Wait for the next block; None at the end of a recording. Raises DeviceLost when the receiver stops
        answering.
        """
        ...

    def close(self) -> None:
        """Release the device. May be called twice."""
        ...


class Driver(Protocol):
    """A kind of receiver: finds and opens devices."""

    name: str

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Connected receivers, found without opening any; empty for drivers with entered addresses."""
        ...

    def open(self, address: str, time: TimeSource) -> Device:
        """Open a device; raises DeviceNotFound or another YardDialError."""
        ...
