"""Driver of the kernel's receivers: `swradio0`, `swradio1?format=CU8`."""

import errno
from pathlib import Path
from urllib.parse import parse_qsl

import msgspec

from yarddial.drivers.kernel.node import RULE, KernelNode, as_found, nodes
from yarddial.drivers.kernel.receiver import KernelReceiver
from yarddial.drivers.kernel.system import LinuxSystem, System
from yarddial.drivers.protocol import FoundReceiver, TimeSource
from yarddial.drivers.usb_bus import UsbReceiver, read_bus
from yarddial.yard.errors import DeviceBusy, DeviceDenied, DeviceLost, DeviceNotFound, YardDialError


class KernelDriver:
    """Find receivers in sysfs without opening any; tests replace `root` and `system`."""

    name = "kernel"

    def __init__(self, root: Path = Path("/"), system: System | None = None) -> None:
        self._root, self._system = root, system or LinuxSystem()

    def discover(self) -> tuple[FoundReceiver, ...]:
        """List all nodes of the system."""
        return tuple(as_found(node) for node in nodes(self._root))

    def is_on_usb(self, address: str) -> bool:
        """True for a receiver that hangs on USB, or is not there at all."""
        node = self._node(address)
        return node is None or bool(node.usb)

    def bus(self, address: str) -> UsbReceiver | None:
        """The receiver as the bus shows it; None when it is not there."""
        node = self._node(address)
        if node is None or not node.usb:
            return None
        device = next((device for device in read_bus(self._root) if device.place == node.usb), None)
        # What is opened is the radio's node, and the permission that counts is its own.
        return None if device is None else msgspec.structs.replace(device, node=str(node.path), may_open=node.may_open)

    def _node(self, address: str) -> KernelNode | None:
        name = address.partition("?")[0]
        return next((node for node in nodes(self._root) if node.name == name), None)

    def open(self, address: str, time: TimeSource) -> KernelReceiver:
        """Open a node; raises DeviceNotFound, DeviceDenied, DeviceBusy or DeviceLost in one sentence."""
        name, _, query = address.partition("?")
        given = dict(parse_qsl(query))
        strange = set(given) - {"format"}
        node = next((node for node in nodes(self._root) if node.name == name), None)
        if node is None or strange:
            can = ", ".join(node.name for node in nodes(self._root)) or "none"
            what = f"the kernel's receivers have no '{sorted(strange)[0]}='" if strange else f"there is no '{name}'"
            raise DeviceNotFound(f"{what} among the kernel's receivers, of which there are {can}: plug it in")
        try:
            return KernelReceiver(name, str(node.path), self._system, given.get("format", ""))
        except OSError as error:
            raise _refusal(node, error) from error


def _refusal(node: KernelNode, error: OSError) -> Exception:
    if isinstance(error, YardDialError):
        return error
    if error.errno in (errno.EACCES, errno.EPERM):
        return DeviceDenied(f"you may not open {node.path}: a rule lets you", RULE)
    if error.errno == errno.EBUSY:
        return DeviceBusy(f"another program receives with {node.name} already: end it, then start again")
    if error.errno in (errno.ENOENT, errno.ENODEV, errno.ENXIO):
        return DeviceNotFound(f"{node.path} is gone: plug the receiver in again")
    reason = (error.strerror or str(error)).lower()
    return DeviceLost(f"{node.path} cannot be opened ({reason}): unplug the receiver, plug it in")
