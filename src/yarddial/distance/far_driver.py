"""Driver that lists receivers of paired computers; their samples stay there."""

import asyncio
import time
from collections.abc import Callable

import msgspec

from yarddial.distance import wire
from yarddial.distance.identity import KnownComputer, computer_at, place_of
from yarddial.distance.knocking import FarRefused, FarUnreachable, knock
from yarddial.drivers.protocol import (
    ActualSettings,
    Block,
    Capabilities,
    Device,
    FoundReceiver,
    RequestedSettings,
    TimeSource,
)
from yarddial.yard.errors import DeviceNotFound

# Ask a computer for its receivers again after this time.
FRESH_S = 15.0
ONLY_FAR = "it is heard through the engine of its own computer: use it in a window's yard"


class FarDriver:
    """Driver for receivers of paired computers; addresses are NAME@MARK/DRIVER:ADDRESS."""

    name = "far"

    def __init__(self, known: Callable[[], tuple[KnownComputer, ...]], own_name: str) -> None:
        self._known, self._own_name = known, own_name
        self._found: dict[str, tuple[float, tuple[FoundReceiver, ...]]] = {}

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Receivers of all paired computers; an unreachable computer is listed with the reason."""
        receivers_found: list[FoundReceiver] = []
        for computer in self._known():
            asked_s, receivers = self._found.get(computer.fingerprint, (float("-inf"), ()))
            if time.monotonic() - asked_s > FRESH_S:
                receivers = self._ask(computer)
                self._found[computer.fingerprint] = (time.monotonic(), receivers)
            receivers_found += receivers
        return tuple(receivers_found)

    def _ask(self, computer: KnownComputer) -> tuple[FoundReceiver, ...]:
        where = f"on {computer.name}, another computer"
        try:
            welcome, _ = asyncio.run(_visit(computer, self._own_name, ""))
        except (FarUnreachable, FarRefused) as error:
            return (FoundReceiver(f"{place_of(computer)}/", computer.name, where, state="missing", why=str(error)),)
        return tuple(
            msgspec.structs.replace(receiver, address=f"{place_of(computer)}/{address}", bus=where)
            for address, receiver in welcome.receivers
        )

    def open(self, address: str, time: TimeSource) -> Device:
        """Capabilities of the receiver, without samples. Raises DeviceNotFound."""
        place, _, rest = address.partition("/")
        computer = computer_at(place, self._known())
        name = place.rpartition("@")[0] or place
        if computer is None:
            raise DeviceNotFound(f"the computer {name} is not known here: pair with it first")
        try:
            _, able = asyncio.run(_visit(computer, self._own_name, rest))
        except (FarUnreachable, FarRefused) as error:
            raise DeviceNotFound(str(error)) from error
        if able is None or able.capabilities is None:
            raise DeviceNotFound(able.why if able is not None else f"{name} does not say what it can do")
        return _ListedDevice(able.capabilities)


class _ListedDevice:
    """Capabilities of a far receiver, as a device without samples."""

    def __init__(self, capabilities: Capabilities) -> None:
        self.capabilities = capabilities

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Refuse: a far receiver is tuned by the far engine."""
        raise DeviceNotFound(ONLY_FAR)

    def read(self) -> Block:
        """Refuse: a far receiver is read by the far engine."""
        raise DeviceNotFound(ONLY_FAR)

    def close(self) -> None:
        """Do nothing: no device is open here."""


async def _visit(computer: KnownComputer, own_name: str, address: str) -> tuple[wire.Welcome, wire.AbleMessage | None]:
    """Come in, ask what there is, and go; with an address, what that receiver can do."""
    hello = wire.Hello(wire.WIRE_VERSION, own_name, computer.word)
    welcome, reader, writer = await knock(computer, hello)
    try:
        if not address:
            return welcome, None
        writer.write(wire.frame(wire.TellCapabilities(address)))
        await writer.drain()
        for _ in range(50):
            head = await asyncio.wait_for(reader.readexactly(4), 10.0)
            answer = wire.read_far(await reader.readexactly(wire.length_of(head, wire.MAX_TOLD)))
            if isinstance(answer, wire.AbleMessage):
                return welcome, answer
        return welcome, None
    except (TimeoutError, OSError, asyncio.IncompleteReadError) as error:
        raise FarUnreachable(f"{computer.name} does not say what it can do") from error
    finally:
        writer.transport.abort()
