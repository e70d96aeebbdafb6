"""Kernel receivers as listed by the system, without opening any."""

import os
from pathlib import Path

import msgspec

from yarddial.drivers.protocol import FoundReceiver

RULE = 'SUBSYSTEM=="video4linux", KERNEL=="swradio[0-9]*", TAG+="uaccess"'


class KernelNode(msgspec.Struct, frozen=True):
    """A radio node of the kernel. usb : name of its USB device in sysfs; empty for others."""

    name: str
    title: str
    path: Path
    usb: str = ""
    speed_mbps: float = 0.0
    usb_id: str = ""

    @property
    def may_open(self) -> bool:
        """Return True where this person may read and set it."""
        return os.access(self.path, os.R_OK | os.W_OK)


def nodes(root: Path = Path("/")) -> tuple[KernelNode, ...]:
    """List all nodes by number."""
    folder = root / "sys/class/video4linux"
    places = sorted(folder.glob("swradio*"), key=lambda place: (len(place.name), place.name))
    return tuple(_node(root, place) for place in places)


def as_found(node: KernelNode) -> FoundReceiver:
    """Convert to a found receiver, with what prevents its use."""
    bus = f"USB {node.usb}" if node.usb else "the kernel"
    if node.may_open:
        return FoundReceiver(node.name, node.title, bus, node.speed_mbps, usb_id=node.usb_id)
    return FoundReceiver(
        node.name,
        node.title,
        bus,
        node.speed_mbps,
        "denied",
        f"you may not open {node.path}: put this rule in /etc/udev/rules.d/61-swradio.rules, then plug it in anew",
        RULE,
        node.usb_id,
    )


def _node(root: Path, place: Path) -> KernelNode:
    title = _text(place / "name") or place.name
    device = (place / "device").resolve()
    # The link leads to an interface such as 1-1.4:1.0; the device above it states the speed.
    beside = device.parent / device.name.partition(":")[0]
    for above in (device, *device.parents[:3], beside):
        speed = _text(above / "speed")
        if speed:
            ids = ":".join(filter(None, (_text(above / "idVendor"), _text(above / "idProduct"))))
            return KernelNode(place.name, title, root / "dev" / place.name, above.name, float(speed), ids)
    return KernelNode(place.name, title, root / "dev" / place.name)


def _text(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""
