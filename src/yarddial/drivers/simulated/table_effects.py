"""What the demo yard's table does to the simulated world: leads out, the switch at another output, the menu set."""

import msgspec

from yarddial.drivers.simulated.plugs import Plug
from yarddial.drivers.simulated.rig_cable import is_rig
from yarddial.drivers.simulated.table import ANTENNAS, OUTPUT_OF_PORT, SimulatedTable
from yarddial.drivers.simulated.world import World, WorldPort

# Leak of the switch between its outputs, and of a lead that lies beside its socket.
SWITCH_DB, PULLED_DB = 60.0, 100.0
# Frequency to which the transceiver's menu refers.
MENU_AT_HZ = 10e6


def with_table(world: World, table: SimulatedTable) -> World:
    """World as the receiver meets it with the table so."""
    ports = tuple(_set_menu(_joined(port, table), table.menu_hz) for port in world.ports)
    return msgspec.structs.replace(world, ports=ports, rig_off=world.rig_off + table.menu_hz / MENU_AT_HZ)


def _set_menu(port: WorldPort, menu_hz: float) -> WorldPort:
    if not menu_hz:
        return port
    stages = tuple(
        msgspec.structs.replace(s, lo_error_hz=s.lo_error_hz + s.lo_hz * menu_hz / MENU_AT_HZ) if is_rig(s.name) else s
        for s in port.stages
    )
    return msgspec.structs.replace(port, stages=stages)


def _joined(port: WorldPort, table: SimulatedTable) -> WorldPort:
    less_db = PULLED_DB if port.antenna in [ANTENNAS[name] for name in table.pulled] else 0.0
    if OUTPUT_OF_PORT.get(port.name, table.patch) != table.patch:
        less_db = max(less_db, SWITCH_DB)
    if not less_db:
        return port
    return msgspec.structs.replace(port, plugs=(*port.plugs, Plug(port.name, "attenuator", takes_db=less_db)))
