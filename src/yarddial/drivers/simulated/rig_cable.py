"""Cable from the stand-in transceiver to a simulated receiver: its tuning and its transmission."""

import socket
import threading
import time
from contextlib import suppress
from math import log10

import msgspec

from yarddial.drivers.simulated.transmitters import Transmitter
from yarddial.drivers.simulated.world import HEARTH_IF_HZ, World, WorldPort
from yarddial.yard.frequency_conversion import Stage

EVERY_S = 0.01
# Attenuation from the transmitter to its outputs (better than the data sheet) and through the air from a dummy load.
OUTPUT_DB, AIR_DB = 58.0, 105.0
# A voice test is two tones; CW, AM and FM send a carrier.
_KINDS = {"USB": "two tones", "LSB": "two tones below"}


class CableState(msgspec.Struct, frozen=True):
    """Middle of its IF with an exact reference, transmit frequency, and present power."""

    centre_hz: float
    transmit_hz: float
    watts: float = 0.0
    mode: str = ""

    def put_on(self, world: World) -> World:
        """World with the transceiver in this state, and its transmission at each port."""
        ports = tuple(self._tuned(port) for port in world.ports)
        if not self.watts:
            return msgspec.structs.replace(world, ports=ports)
        # Its reference has the same error in transmission and reception.
        dbm = 10 * log10(1e3 * self.watts)
        kind = _KINDS.get(self.mode, "carrier")
        own = tuple(
            Transmitter("own transmission", self.transmit_hz * (1 + world.rig_off), dbm - weaker_db, kind, antenna)
            for antenna, weaker_db in (("long wire", OUTPUT_DB), ("discone", AIR_DB))
        )
        return msgspec.structs.replace(world, ports=ports, transmitters=(*world.transmitters, *own))

    def _tuned(self, port: WorldPort) -> WorldPort:
        if not any(is_rig(stage.name) for stage in port.stages):
            return port
        stages = tuple(self._stage(stage) if is_rig(stage.name) else stage for stage in port.stages)
        return msgspec.structs.replace(port, stages=stages)

    def _stage(self, stage: Stage) -> Stage:
        """The first oscillator is above the signal, so the IF is inverted; the error in ppm stays."""
        lo_hz = self.centre_hz + HEARTH_IF_HZ
        return msgspec.structs.replace(stage, lo_hz=lo_hz, lo_error_hz=stage.lo_error_hz / stage.lo_hz * lo_hz)


class RigCable:
    """Reads the transceiver in a thread of its own; `state` is the latest, None before the first answer."""

    def __init__(self, port: int) -> None:
        self._port = port
        self.state: CableState | None = None
        self._is_open = True
        threading.Thread(target=self._run, name="rig cable", daemon=True).start()

    def close(self) -> None:
        """Disconnect from the transceiver."""
        self._is_open = False

    def _run(self) -> None:
        with suppress(OSError, ValueError), socket.create_connection(("127.0.0.1", self._port), 1.0) as line:
            answers = line.makefile("r", encoding="ascii")
            while self._is_open:
                line.sendall(b"\\world\n")
                words = answers.readline().split()
                if len(words) < 3:
                    break
                self.state = CableState(float(words[0]), float(words[1]), float(words[2]), (*words, "")[3])
                time.sleep(EVERY_S)


def is_rig(name: str) -> bool:
    """True for the transceiver's own conversion."""
    return name.endswith(" IF")
