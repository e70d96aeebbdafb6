"""USB receivers reported by the system, from sysfs or a folder of the same layout."""

import os
from pathlib import Path

import msgspec

USB_2_MBPS = 480.0
# Name under which devices are listed that no driver of this program opens.
DRIVER_NAME = "usb"


class UsbReceiver(msgspec.Struct, frozen=True):
    """One device on the bus.

    speed_mbps : what the link runs at: 12 for USB 1.1, 480 for USB 2, 5000 for USB 3.
    kernel_driver : the kernel's own driver that holds its interface, or empty.
    node : the file by which it is opened; may_open tells whether the person may.
    interface : the name under which the kernel binds and unbinds it.
    place : name of its folder in sysfs, bus and ports, such as 1-1.4.
    is_slowed : it can do USB 2 or 3, and the link runs at the speed of USB 1.
    kernel_receiver : under which the kernel's own driver offers it as a receiver, such as swradio0, or empty.
    """

    name: str
    vendor: str
    product: str
    speed_mbps: float
    kernel_driver: str = ""
    interface: str = ""
    node: str = ""
    may_open: bool = True
    kernel_receiver: str = ""
    place: str = ""
    is_slowed: bool = False


def read_bus(root: Path = Path("/")) -> tuple[UsbReceiver, ...]:
    """All devices below `root`/sys/bus/usb/devices with a vendor and a product; hubs excluded."""
    receivers: list[UsbReceiver] = []
    folder = root / "sys/bus/usb/devices"
    for place in sorted(folder.iterdir()) if folder.is_dir() else ():
        vendor, product = _text(place / "idVendor"), _text(place / "idProduct")
        if not vendor or not product or _text(place / "bDeviceClass") == "09":
            continue
        driver, interface = _driver(place)
        node = _node(root, place)
        speed_mbps = _number(_text(place / "speed"))
        receivers.append(
            UsbReceiver(
                _text(place / "product") or f"{vendor}:{product}", vendor, product, speed_mbps,
                driver, interface, str(node), node.exists() and os.access(node, os.R_OK | os.W_OK),
                kernel_receiver(root, place.name), place.name,
                0 < speed_mbps < USB_2_MBPS and _number(_text(place / "version")) >= 2,
            )
        )  # fmt: skip
    return tuple(receivers)


def unbind_line(receiver: UsbReceiver) -> str:
    """Command that unbinds a receiver from the kernel's driver; for the person to read and run."""
    return f"echo -n '{receiver.interface}' | sudo tee /sys/bus/usb/drivers/{receiver.kernel_driver}/unbind"


def udev_rule(receiver: UsbReceiver) -> str:
    """Rule that lets the person at the seat open it; for them to read and install."""
    match = f'SUBSYSTEM=="usb", ATTR{{idVendor}}=="{receiver.vendor}", ATTR{{idProduct}}=="{receiver.product}"'
    return f'{match}, TAG+="uaccess"'


def _driver(place: Path) -> tuple[str, str]:
    for interface in sorted(place.parent.glob(f"{place.name}:*")):
        link = interface / "driver"
        if link.is_symlink() or link.exists():
            name = Path(os.readlink(link)).name if link.is_symlink() else _text(link / "name")
            if name not in ("", "usbfs"):
                return name, interface.name
    return "", f"{place.name}:1.0"


def kernel_receiver(root: Path, device: str) -> str:
    """Radio node that the kernel offers for a device, by the name of its folder in sysfs; empty without one."""
    for node in sorted((root / "sys/class/video4linux").glob("swradio*")):
        if (node / "device").resolve().name.partition(":")[0] == device:
            return node.name
    return ""


def _node(root: Path, place: Path) -> Path:
    bus, device = (int(_number(_text(place / name))) for name in ("busnum", "devnum"))
    return root / "dev/bus/usb" / f"{bus:03d}" / f"{device:03d}"


def _number(text: str) -> float:
    """Value of a number in sysfs; 0 for what is none, as of a device that is just being unplugged."""
    try:
        return float(text)
    except ValueError:
        return 0.0


def _text(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""
