"""The invented radio world around Quillet Lane, and what is connected to the receivers' ports. All of it is data."""

from math import log2, log10
from typing import Any

import msgspec
import numpy as np

from yarddial.drivers.simulated.clocks import Clock
from yarddial.drivers.simulated.faults import SimulatedFaults
from yarddial.drivers.simulated.front_end import FrontEnd
from yarddial.drivers.simulated.plugs import Plug
from yarddial.drivers.simulated.transmitters import Transmitter
from yarddial.yard.external_noise import KT0_DBM_HZ, external_noise_db
from yarddial.yard.frequency_conversion import Stage, lo_weights, path_sense


class WorldPort(msgspec.Struct, frozen=True):
    """What is plugged into a receiver's port: converters with their *true* oscillators, and the band's noise.

    noise_dbm_hz : noise density that arrives, antenna noise and receiver noise together; with surroundings, the
        receiver's alone.
    full_scale_dbm : power of a tone that just fills the converter at the reference gain.
    lo_leak_dbm : power with which each converter's own oscillator arrives; none for minus infinity.
    isolation_db : how far a signal is down that passes the converters unconverted; none for infinity.
    clocks : what each converter's oscillator does over time besides its constant error.
    surroundings : town or country, whose noise (ITU-R P.372) the antenna hands over `antenna_db` up or down; below
        `full_size_hz` it is short, and hands over 20 dB less a decade. Empty for a noise that is the same everywhere.
    pass_hz : the filter before the socket; beyond its edges it falls by `octave_db` an octave, 80 dB at most.
    direct_clock_hz : of the converter behind a port that goes past the tuner; 0 for a tuner's port.
    plugs : filters and attenuators right behind the antenna.
    """

    name: str
    antenna: str
    stages: tuple[Stage, ...]
    noise_dbm_hz: float
    full_scale_dbm: float
    lo_leak_dbm: float = float("-inf")
    isolation_db: float = float("inf")
    clocks: tuple[Clock, ...] = ()
    surroundings: str = ""
    antenna_db: float = 0.0
    full_size_hz: float = 0.0
    pass_hz: tuple[float, float] = (0.0, 1e12)
    octave_db: float = 60.0
    direct_clock_hz: float = 0.0
    plugs: tuple[Plug, ...] = ()

    def handed_db(self, air_hz: float) -> float:
        """Gain at an air frequency of the parts inserted behind the antenna: 0 or less."""
        return sum(plug.passed_db(air_hz) for plug in self.plugs)

    def passed_db(self, socket_hz: float) -> float:
        """Gain of the filter before the socket: 0 or less."""
        low_hz, high_hz = self.pass_hz
        octaves = max(log2(max(socket_hz, 1.0) / high_hz), log2(max(low_hz, 1.0) / max(socket_hz, 1.0)), 0.0)
        return max(-self.octave_db * octaves, -80.0)

    def floor_dbm_hz(self, socket_hz: float) -> float:
        """Noise density at the socket."""
        if not self.surroundings:
            return self.noise_dbm_hz
        sense = path_sense(self.stages)
        lo_hz = sum(w * stage.lo_hz for w, stage in zip(lo_weights(self.stages), self.stages, strict=True))
        air_hz = max(sense * (socket_hz - lo_hz), 50e3)
        short_db = 20 * log10(min(air_hz / self.full_size_hz, 1.0)) if self.full_size_hz else 0.0
        handed_db = external_noise_db(air_hz, self.surroundings) + self.antenna_db + short_db + self.handed_db(air_hz)
        outside = 10 ** ((KT0_DBM_HZ + handed_db + self.passed_db(socket_hz)) / 10)
        return 10 * log10(outside + 10 ** (self.noise_dbm_hz / 10))


class Comb(msgspec.Struct, frozen=True):
    """Lines of a switching supply on an antenna: every step_hz, level at 1 MHz, 20 dB weaker per decade."""

    antenna: str
    step_hz: float
    level_dbm: float

    def lines(self, low_hz: float, high_hz: float) -> list[Transmitter]:
        """Lines within a range of the air."""
        first, last = max(int(low_hz / self.step_hz), 1), int(high_hz / self.step_hz)
        return [
            Transmitter(
                f"supply line {k}", k * self.step_hz, self.level_dbm - 20 * log10(max(k * self.step_hz / 1e6, 0.1)),
                "buzz", self.antenna,
            )
            for k in range(first, last + 1)
        ]  # fmt: skip


class Link(msgspec.Struct, frozen=True):
    """Link to the computer: its highest clean rate, and the bursts lost beyond."""

    clean_hz: float = float("inf")
    bursts_per_s: float = 2.5
    largest_burst: int = 10_000


class World(msgspec.Struct, frozen=True):
    """Everything that is true: transmitters, ports, the receiver's crystal, its front end, link and faults.

    crystal : what the crystal does over time besides its constant error.
    rig_off : by what share the transceiver's reference is high.
    reference_gain_db : gain at which levels are stated; hour : true time of day when the stream begins.
    """

    transmitters: tuple[Transmitter, ...]
    ports: tuple[WorldPort, ...]
    crystal_ppm: float
    seed: int
    front: FrontEnd = FrontEnd(8)
    crystal: Clock | None = None
    link: Link = Link()
    faults: SimulatedFaults = SimulatedFaults()
    reference_gain_db: float = 0.0
    hour: float = 12.0
    combs: tuple[Comb, ...] = ()
    rig_off: float = 0.0

    def port(self, name: str) -> WorldPort | None:
        """A port by its name; the first one for an empty name."""
        return next((port for port in self.ports if port.name == name or not name), None)


# Time constant of a cold crystal's warm-up.
WARMS_UP_S = 420.0


def quillet_world(seed: int = 1, hearth_hz: float = 10e6) -> World:
    """The world as Finch meets it: each seed has another crystal (near +27 ppm) and another LO (near +412 Hz).

    hearth_hz : what the transceiver is tuned to; its IF output brings that to Finch's direct input, inverted.
    """
    chance = np.random.default_rng(seed)
    crystal_ppm = 27.0 + chance.normal(0, 0.4)
    lo_error_hz = 412.0 + chance.normal(0, 60.0)
    ladder = Stage("sum", 120e6, lo_error_hz, "Ladder")
    # Hearth's own reference is good: within 2 ppm.
    off = float(chance.normal(0, 0.6e-6))
    hearth = Stage("high", hearth_hz + HEARTH_IF_HZ, off * (hearth_hz + HEARTH_IF_HZ), "Hearth IF")
    return World(
        transmitters=TRANSMITTERS,
        # On the discone the receiver's own noise dominates.
        ports=(
            WorldPort(
                "ladder", "long wire", (ladder,), -158.0, -32.0, lo_leak_dbm=-68.0, isolation_db=45.0, **LONG_WIRE
            ),
            WorldPort("discone", "discone", (), noise_dbm_hz=-163.0, full_scale_dbm=-66.0),
            WorldPort(
                "direct", "long wire", (hearth,), -150.0, -35.0, lo_leak_dbm=-90.0, isolation_db=70.0,
                pass_hz=(HEARTH_IF_HZ - 0.15e6, HEARTH_IF_HZ + 0.15e6), octave_db=600.0, direct_clock_hz=26e6,
                **LONG_WIRE,
            ),
        ),
        crystal_ppm=crystal_ppm,
        seed=seed,
        front=FrontEnd(
            8, 0.02 + 0.012j, 1.03, 1.5, iip3_over_full_db=12.0, iip2_over_full_db=40.0, harmonic_db=45.0,
            crystal_hz=26e6, crystal_dbm=-112.0,
        ),
        link=Link(clean_hz=2.6e6),
        reference_gain_db=25.5,
        combs=COMBS,
        rig_off=off,
    )  # fmt: skip


def heron_world(seed: int = 1, hearth_hz: float = 10e6) -> World:
    """The same air as Heron receives it: the long wire through Hearth on port A; the dish on B."""
    chance = np.random.default_rng(seed + 1000)
    crystal_ppm = -0.6 + chance.normal(0, 0.05)
    saucer = Stage("low", 9.75e9, 187e3 + chance.normal(0, 40e3), "Saucer")
    return World(
        transmitters=TRANSMITTERS,
        ports=(
            WorldPort("A", "long wire", (), noise_dbm_hz=-164.0, full_scale_dbm=-20.0, **LONG_WIRE),
            WorldPort("B", "dish", (saucer,), noise_dbm_hz=-119.0, full_scale_dbm=-30.0),
        ),
        crystal_ppm=crystal_ppm,
        seed=seed,
        front=FrontEnd(
            14, 0.002 + 0.001j, 1.002, 0.1, iip3_over_full_db=20.0, iip2_over_full_db=50.0, harmonic_db=60.0,
            crystal_hz=24e6, crystal_dbm=-125.0,
        ),
        link=Link(clean_hz=8.2e6),
        reference_gain_db=48.0,
        combs=COMBS,
        # The same transceiver as with Finch.
        rig_off=quillet_world(seed).rig_off,
    )  # fmt: skip


def cold(world: World, warms_up_s: float = WARMS_UP_S, *, calm: bool = False) -> World:
    """The same receiver just switched on: 4 ppm high, decaying over a quarter of an hour; with crystal noise.

    calm : a crystal without noise of its own, whose error is the world's once it is warm.
    """
    white, flicker = (0.0, 0.0) if calm else (2e-9, 8e-10)
    return msgspec.structs.replace(world, crystal=Clock(warmup=4e-6, warmup_s=warms_up_s, white=white, flicker=flicker))


HEARTH_IF_HZ = 8.83e6
# 31 m are a quarter wave at 2.4 MHz; transformer and lead lose about 5 dB.
LONG_WIRE: Any = {"surroundings": "residential", "antenna_db": -5.0, "full_size_hz": 2.4e6}
COMBS = (Comb("long wire", 71.3e3, -96.0),)
TRANSMITTERS = (
    Transmitter("Saltpan Radio", 1.134e6 + 4.0, -52.0, "am", "long wire"),
    Transmitter("Gannet Rock Radio", 1.215e6 - 7.0, -68.0, "am", "long wire"),
    Transmitter("Lantern Hill long wave", 0.216e6 + 1.0, -60.0, "am", "long wire"),
    Transmitter("Night ferry radio", 0.846e6 - 3.0, -64.0, "am", "long wire", 0.2, 0.3, hours=(18.0, 7.0)),
    Transmitter("Northmark Time", 5e6, -66.0, "ticks", "long wire", wander_hz=0.15),
    Transmitter("Northmark Time", 10e6, -70.0, "ticks", "long wire", wander_hz=0.25),
    Transmitter("Far Quay Radio", 9.62e6, -60.0, "am", "long wire", wander_hz=0.4),
    Transmitter("Isle of Glass Radio", 6.07e6 + 2.0, -58.0, "am", "long wire", 0.3, 0.4),
    Transmitter("Tern Point beacon", 14.1e6 + 12.0, -98.0, "carrier", "long wire", wander_hz=0.3),
    Transmitter("Sea loft CW", 7.012e6, -92.0, "cw", "long wire", 0.2, text="CQ DE QX1LL QUILLET LANE"),
    Transmitter("Reed bank LSB", 7.112e6, -86.0, "lsb", "long wire", 0.3),
    Transmitter("Upland USB", 14.255e6, -90.0, "usb", "long wire", 0.3, 0.2),
    Transmitter("Ripple data", 14.0705e6, -100.0, "psk", "long wire", 0.2),
    Transmitter("Two-tone data", 14.085e6, -96.0, "fsk", "long wire", 0.2),
    Transmitter("Harbour 96", 96.2e6 + 150.0, -62.0, "wfm", "discone"),
    Transmitter("Gannet FM", 91.4e6 - 420.0, -70.0, "wfm", "discone"),
    Transmitter("Northmark FM", 102.9e6 + 60.0, -74.0, "wfm", "discone"),
    Transmitter("Harbour 96", 96.2e6 + 150.0, -78.0, "wfm", "long wire"),
    Transmitter("Harbour tower", 124.35e6 + 2500.0, -95.0, "am", "discone"),
    # The tower is near the long wire; its leakage past the converter shows at 4.3525 MHz.
    Transmitter("Harbour tower", 124.35e6 + 2500.0, -28.0, "am", "long wire"),
    Transmitter("Harbour pilot carrier", 145.2e6, -112.0, "carrier", "discone"),
    Transmitter("Quillet repeater", 145.65e6 + 180.0, -100.0, "nfm", "discone"),
    Transmitter("Harbour channel", 156.8e6 - 300.0, -104.0, "nfm", "discone"),
    Transmitter("Town pager", 466.075e6 + 400.0, -98.0, "pager", "discone"),
    Transmitter("Lantern beacon", 10.489e9, -64.0, "carrier", "dish"),
    # Weaker medium-wave stations, each with its own error within the rule.
    Transmitter("Stonewell Radio", 0.549e6 + 0.1, -82.0, "am", "long wire"),
    Transmitter("Low Marsh Radio", 0.621e6 - 0.2, -86.0, "am", "long wire"),
    Transmitter("Ebb Street Radio", 0.657e6 + 6.0, -79.0, "am", "long wire"),
    Transmitter("Chandler Radio", 0.765e6 + 0.05, -88.0, "am", "long wire"),
    Transmitter("Ferry Hill Radio", 0.909e6 - 0.1, -80.0, "am", "long wire"),
    Transmitter("Netloft Radio", 0.972e6 + 0.3, -84.0, "am", "long wire"),
    Transmitter("Old Mole Radio", 1.044e6 - 11.0, -87.0, "am", "long wire"),
    Transmitter("Sandbar Radio", 1.341e6 + 0.2, -83.0, "am", "long wire"),
    Transmitter("Tern Bank test tone", 3.215e6 + 1.0, -68.0, "tone", "long wire", wander_hz=0.1),
    Transmitter("Windlass Radio", 1.449e6 - 3.0, -85.0, "am", "long wire"),
)


def crowded_world(rate_hz: float, centre_hz: float = 98e6, narrow: int = 34, wide: int = 6) -> World:
    """Forty stations in one span, for the bench: the given numbers of narrow and wide ones, of every kind in turn."""
    kinds = ("am", "nfm", "usb", "cw", "psk", "fsk", "carrier", "ticks")
    places = np.linspace(-0.38, 0.38, narrow + wide) * rate_hz + centre_hz
    order = np.random.default_rng(3).permutation(narrow + wide)
    transmitters = tuple(
        Transmitter(f"Station {i}", float(places[j]), -100.0 + 1.1 * (i % 20), "wfm" if i < wide else kinds[i % 8], "x")
        for i, j in enumerate(order)
    )
    shipped = quillet_world()
    port = WorldPort("x", "x", (), noise_dbm_hz=-163.0, full_scale_dbm=-66.0)
    return msgspec.structs.replace(shipped, transmitters=transmitters, ports=(port,), combs=())
