"""Driver of the simulated receivers: `finch`, `heron?seed=7`, `finch?fault=swapped_iq,unplug:5` and so on."""

from collections.abc import Callable

import msgspec

from yarddial.drivers.protocol import Capabilities, FoundReceiver, TimeSource
from yarddial.drivers.simulated.bus import on_the_bus
from yarddial.drivers.simulated.faults import SimulatedFaults, parse_faults
from yarddial.drivers.simulated.plugs import Plug, parse_plugs
from yarddial.drivers.simulated.receiver import FINCH, HERON, SimulatedReceiver
from yarddial.drivers.simulated.rig_cable import RigCable
from yarddial.drivers.simulated.table import table_at
from yarddial.drivers.simulated.world import WARMS_UP_S, World, WorldPort, cold, heron_world, quillet_world
from yarddial.drivers.usb_bus import UsbReceiver
from yarddial.yard.errors import BadFrequency, DeviceNotFound
from yarddial.yard.frequency import parse_frequency


class SimulatedAddress(msgspec.Struct, frozen=True):
    """What an address asks for.

    seed : which crystal and oscillators. hour : time of day on the air. cold_s : just switched on, and as long until a
    third of its warm-up is left; 0 for a warm one. calm : its crystal has no noise of its own.
    hearth_hz : what the transceiver, whose IF output the direct input gets, is tuned to; rig_port : where the made-up
    transceiver tells it, 0 for one that stays where it is.
    plugs : what is plugged in behind the antennas; lo_hz : another oscillator in its up-converter, 0 for its own.
    table : quoted path of the file that tells where leads and switch really are; empty where all are connected.
    low_rate_hz : a sample rate that it has besides, lower than its own ones, 0 for none: a slow computer keeps up.
    """

    name: str
    seed: int = 1
    faults: SimulatedFaults = SimulatedFaults()
    hour: float = 12.0
    cold_s: float = 0.0
    calm: bool = False
    hearth_hz: float = 10e6
    plugs: tuple[Plug, ...] = ()
    lo_hz: float = 0.0
    rig_port: int = 0
    low_rate_hz: float = 0.0
    table: str = ""

    def capabilities(self) -> Capabilities:
        """Capabilities of the receiver."""
        able = _RECEIVERS[self.name][0]
        return msgspec.structs.replace(able, rates_hz=(self.low_rate_hz, *able.rates_hz)) if self.low_rate_hz else able

    def world(self) -> World:
        """World that the address describes."""
        bare_world = _RECEIVERS[self.name][1](self.seed, self.hearth_hz)
        bare_world = msgspec.structs.replace(
            bare_world, hour=self.hour, ports=tuple(self._port(port) for port in bare_world.ports)
        )
        return faulty(cold(bare_world, self.cold_s, calm=self.calm) if self.cold_s else bare_world, self.faults)

    def _port(self, port: WorldPort) -> WorldPort:
        """Port with inserted parts; a replaced oscillator keeps its error in ppm."""
        stages = tuple(
            msgspec.structs.replace(s, lo_hz=self.lo_hz, lo_error_hz=s.lo_error_hz * self.lo_hz / s.lo_hz)
            if self.lo_hz and s.kind == "sum"
            else s
            for s in port.stages
        )
        plugs = tuple(plug for plug in self.plugs if plug.port == port.name)
        return msgspec.structs.replace(port, stages=stages, plugs=plugs)


class SimulatedDriver:
    """Driver of the simulated receivers Finch and Heron."""

    name = "simulated"

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Both simulated receivers, always present."""
        return tuple(
            FoundReceiver(address, able.name, "the simulated bus", 5000.0 if able is HERON else 480.0)
            for address, (able, _) in _RECEIVERS.items()
        )

    def bus(self, address: str) -> UsbReceiver | None:
        """The receiver as a simulated bus shows it."""
        asked = parse_address(address)
        return on_the_bus(_RECEIVERS[asked.name][0].name, asked.faults)

    def open(self, address: str, time: TimeSource) -> SimulatedReceiver:
        """Open a receiver; raises what the chosen faults require."""
        asked = parse_address(address)
        capabilities = asked.capabilities()
        asked.faults.refuse_to_open(capabilities.name)
        cable = RigCable(asked.rig_port) if asked.rig_port else None
        return SimulatedReceiver(asked.world(), time, capabilities, cable, table_at(asked.table), address)


def parse_address(address: str) -> SimulatedAddress:
    """Read an address; raises DeviceNotFound in one sentence."""
    name, _, query = address.partition("?")
    given = dict(piece.partition("=")[::2] for piece in query.split("&")) if query else {}
    faults = parse_faults(given.pop("fault", ""))
    rig = given.pop("rig", "0")
    seed, hour, warmth = given.pop("seed", "1"), given.pop("hour", "12"), given.pop("cold", "0")
    plugs, lo, hearth = given.pop("plug", ""), given.pop("lo", "0"), given.pop("hearth", "10M")
    low_rate, table = given.pop("low_rate", "0"), given.pop("table", "")
    try:
        calm = given.pop("calm", "0") == "1"
        hearth_hz, lo_hz, low_rate_hz = (parse_frequency(text) for text in (hearth, lo, low_rate))
    except BadFrequency as error:
        raise DeviceNotFound(f"hearth=, lo= or low_rate= in '{address}': {error}") from error
    numbers = seed.isascii() and seed.isdigit() and hour.isascii() and hour.isdigit() and int(hour) < 24
    if (
        name not in _RECEIVERS
        or not numbers
        or not rig.isdigit()
        or not (warmth.isascii() and warmth.isdigit())
        or given
    ):
        able = " and ".join(f"'{known}'" for known in _RECEIVERS)
        raise DeviceNotFound(
            f"there is no simulated receiver '{address}': there are {able}, with seed=, fault=, hour=, cold=1, "
            "hearth=, rig=, lo=, low_rate=, table= and plug= behind a question mark, such as 'finch?seed=7'"
        )
    cold_s = WARMS_UP_S if warmth == "1" else float(warmth)
    plugged = parse_plugs(plugs, _RECEIVERS[name][0].ports)
    lo_hz = max(lo_hz, 0.0)
    return SimulatedAddress(
        name, int(seed), faults, float(hour), cold_s, calm, hearth_hz, plugged, lo_hz, int(rig), low_rate_hz, table
    )


def faulty(world: World, faults: SimulatedFaults) -> World:
    """World with faults switched on; a wrong oscillator is 4.3 MHz above the leaflet's value."""
    ports = world.ports
    if faults.has("wrong_lo"):
        ports = tuple(
            msgspec.structs.replace(
                port,
                stages=tuple(msgspec.structs.replace(s, lo_error_hz=s.lo_error_hz + 4.3e6) for s in port.stages),
            )
            for port in ports
        )
    return msgspec.structs.replace(world, faults=faults, ports=ports)


_RECEIVERS: dict[str, tuple[Capabilities, Callable[[int, float], World]]] = {
    "finch": (FINCH, quillet_world),
    "heron": (HERON, heron_world),
}
