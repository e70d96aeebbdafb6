"""USB devices that may be receivers but that no driver of this program opens: what holds or blocks each, and the cure.

No table of makers is needed. An interface of no standard class counts where one of the kernel's radio or television
modules serves it, or where nothing at all does. Receivers that the kernel already offers as a radio node are left to
the `kernel` driver.
"""

import os
from pathlib import Path

import msgspec

from yarddial.drivers.kernel_modules import KernelModule, KernelModules
from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.usb_bus import UsbReceiver, kernel_receiver, read_bus, udev_rule, unbind_line

# Interface class of devices that follow no standard (USB-IF base class FFh).
VENDOR_SPECIFIC = "ff"
# The kernel's own driver of interfaces that a program has taken (devio.c).
PROGRAM_DRIVER = "usbfs"


class UsbInterface(msgspec.Struct, frozen=True):
    """One interface of a device. driver : of the kernel, bound to it; module : that the driver belongs to."""

    name: str
    interface_class: str
    modalias: str = ""
    driver: str = ""
    module: str = ""


def usb_candidates(root: Path = Path("/")) -> tuple[FoundReceiver, ...]:
    """List them by their place on the bus; a device that vanishes meanwhile is left out."""
    devices = read_bus(root)
    if not devices:
        return ()
    modules = KernelModules(root)
    listed = (_as_found(root, device, modules, devices) for device in devices)
    return tuple(receiver for receiver in listed if receiver is not None)


def _as_found(
    root: Path, device: UsbReceiver, modules: KernelModules, devices: tuple[UsbReceiver, ...]
) -> FoundReceiver | None:
    place = root / "sys/bus/usb/devices" / device.place
    if not place.is_dir() or kernel_receiver(root, device.place):
        return None
    interfaces = [i for i in _interfaces(place) if i.interface_class == VENDOR_SPECIFIC]
    for interface in interfaces:
        bound = [modules.module(interface.module)] if interface.module else []
        radio = [module for module in (*bound, *modules.serving(interface.modalias)) if module.is_radio]
        if radio:
            return _known(root, device, interface, radio[0], devices)
    unserved = [i for i in interfaces if not modules.serving(i.modalias) and i.driver in ("", PROGRAM_DRIVER)]
    return _unknown(root, device, unserved[0], devices) if unserved else None


def _known(
    root: Path, device: UsbReceiver, interface: UsbInterface, module: KernelModule, devices: tuple[UsbReceiver, ...]
) -> FoundReceiver:
    """A device that one of the kernel's radio modules serves."""
    receiver = _plain(device, devices, module.name)
    held = msgspec.structs.replace(device, kernel_driver=interface.driver, interface=interface.name)
    if interface.driver == PROGRAM_DRIVER:
        return _busy(root, receiver, device)
    if interface.driver:
        why = f"the kernel's driver {interface.driver} holds it; this line frees it until it is plugged in anew"
        return msgspec.structs.replace(
            receiver, state="claimed", why=why, cure=unbind_line(held), held_by=interface.driver
        )
    if not module.is_loaded:
        return _not_loaded(receiver, module)
    if not device.may_open:
        return _denied(receiver, device)
    why = "nothing holds it: a driver package or a program of yours can open it"
    return msgspec.structs.replace(receiver, state="ready", why=why)


def _unknown(
    root: Path, device: UsbReceiver, interface: UsbInterface, devices: tuple[UsbReceiver, ...]
) -> FoundReceiver:
    """A device that nothing serves; whether it is a receiver at all, only its owner knows."""
    receiver = _plain(device, devices, "")
    if interface.driver == PROGRAM_DRIVER:
        return _busy(root, receiver, device)
    why = (
        "no module of this kernel serves it. If it is your receiver, its driver package or a program of yours opens it"
    )
    cure = "" if device.may_open else udev_rule(device)
    more = "" if device.may_open else ", once this rule in /etc/udev/rules.d/60-receiver.rules lets you"
    return msgspec.structs.replace(receiver, state="no driver", why=why + more, cure=cure)


def _plain(device: UsbReceiver, devices: tuple[UsbReceiver, ...], module: str) -> FoundReceiver:
    return FoundReceiver(
        device.place, device.name, _where(device, devices), device.speed_mbps,
        usb_id=f"{device.vendor}:{device.product}", module=module,
    )  # fmt: skip


def _where(device: UsbReceiver, devices: tuple[UsbReceiver, ...]) -> str:
    """Bus and port, the hub before it, and how many devices share the bus."""
    bus, _, port = device.place.partition("-")
    words = [f"USB bus {bus}, port {port}"]
    if "." in port:
        words.append("behind a hub")
    if device.is_slowed:
        words.append(f"slowed down to {device.speed_mbps:g} Mb/s by the hub or lead")
    others = sum(other.place.partition("-")[0] == bus for other in devices) - 1
    if others:
        words.append(f"{others} more device{'s' if others > 1 else ''} on this bus")
    return ", ".join(words)


def _busy(root: Path, receiver: FoundReceiver, device: UsbReceiver) -> FoundReceiver:
    holder = program_holding(root, device.node)
    why = f"{holder or 'another program'} has it: end that program"
    return msgspec.structs.replace(receiver, state="busy", why=why, held_by=holder)


def _denied(receiver: FoundReceiver, device: UsbReceiver) -> FoundReceiver:
    why = "you may not open it: put this rule in /etc/udev/rules.d/60-receiver.rules, then plug it in anew"
    return msgspec.structs.replace(receiver, state="denied", why=why, cure=udev_rule(device))


def _not_loaded(receiver: FoundReceiver, module: KernelModule) -> FoundReceiver:
    if not module.path:
        why = (
            f"its module {module.name} is not installed for this kernel: install the distribution's full kernel package"
        )
        cure = "sudo apt install linux-image-amd64"
    else:
        blocked = f"; {module.blocked_by} keeps it from being loaded by itself" if module.blocked_by else ""
        why = f"the kernel's module {module.name} would serve it and is not loaded{blocked}"
        cure = f"sudo modprobe {module.name}"
    return msgspec.structs.replace(receiver, state="module not loaded", why=why, cure=cure)


def program_holding(root: Path, node: str) -> str:
    """Name and number of the program that has a device's file open; empty where none can be seen."""
    relative = "/" + str(Path(node).relative_to(root)) if Path(node).is_relative_to(root) else node
    for folder in sorted((root / "proc").glob("[0-9]*")):
        try:
            links = [os.readlink(link) for link in (folder / "fd").iterdir()]
            name = (folder / "comm").read_text(errors="replace").strip()
        except OSError:
            # It has ended, or belongs to somebody else.
            continue
        if node in links or relative in links:
            return f"{name} ({folder.name})"
    return ""


def _interfaces(place: Path) -> list[UsbInterface]:
    interfaces: list[UsbInterface] = []
    for folder in sorted(place.parent.glob(f"{place.name}:*")):
        driver = folder / "driver"
        name = Path(os.readlink(driver)).name if driver.is_symlink() else ""
        module = driver / "module"
        own = Path(os.readlink(module)).name.replace("-", "_") if module.is_symlink() else ""
        interfaces.append(
            UsbInterface(folder.name, _text(folder / "bInterfaceClass").lower(), _text(folder / "modalias"), name, own)
        )
    return interfaces


def _text(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""
