"""Simulated receivers on a simulated USB bus: a small tree of files, read by the same code as the real one."""

import tempfile
from pathlib import Path

from yarddial.drivers.simulated.faults import SimulatedFaults
from yarddial.drivers.usb_bus import UsbReceiver, read_bus

# Identifiers that belong to no maker: 0xF1C4 is unassigned.
VENDOR = "f1c4"
PRODUCTS = {"Finch": "2832", "Heron": "0014"}


def on_the_bus(name: str, faults: SimulatedFaults) -> UsbReceiver | None:
    """Description of the receiver as the system would show it."""
    with tempfile.TemporaryDirectory(prefix="yard-dial-bus-") as folder:
        _lay_out(Path(folder), name, faults)
        return next((receiver for receiver in read_bus(Path(folder)) if receiver.product == PRODUCTS.get(name)), None)


def _lay_out(root: Path, name: str, faults: SimulatedFaults) -> None:
    place = root / "sys/bus/usb/devices/1-1.4"
    interface = root / "sys/bus/usb/devices/1-1.4:1.0"
    node = root / "dev/bus/usb/001/007"
    for folder in (place, interface, node.parent, root / "sys/bus/usb/drivers/media_stick"):
        folder.mkdir(parents=True)
    slow = faults.has("slow_link")
    speed = "12" if slow else "5000" if name == "Heron" else "480"
    for key, text in (("idVendor", VENDOR), ("idProduct", PRODUCTS.get(name, "0000")), ("speed", speed),
                      ("product", name), ("busnum", "1"), ("devnum", "7"), ("bDeviceClass", "00")):  # fmt: skip
        (place / key).write_text(text + "\n")
    if faults.has("kernel_driver"):
        (interface / "driver").symlink_to(root / "sys/bus/usb/drivers/media_stick")
    if not faults.has("no_permission"):
        node.touch()
