"""Thirty situations on a made-up bus: what stands in the way of each device, and the line that removes it."""

import json
import os
from pathlib import Path

import pytest
from click.testing import CliRunner

from yarddial.cli.program import program
from yarddial.drivers.kernel.driver import KernelDriver
from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.usb_candidates import usb_candidates

# Vendors and products that belong to nobody.
TV, RADIO, CAMERA, STRANGER = "f1c4:0001", "f1c4:0002", "f1c4:0003", "f1c4:0009"
ALIASES = {
    "0001": "media_stick_dvb", "0002": "wave_sdr", "0003": "web_camera", "0004": "absent_dvb", "0005": "plain_serial",
}  # fmt: skip
STORAGE = "alias usb:v*p*d*dc*dsc*dp*ic08isc*ip*in* usb-storage"


class FakeBus:
    """A tree of files like the system's, filled device by device."""

    def __init__(self, root: Path) -> None:
        self.root, self._number = root, 0
        modules = root / "lib/modules/6.1.0"
        sticks = modules / "kernel/drivers/media/usb/sticks"
        sticks.mkdir(parents=True)
        (sticks / "wave_sdr.ko").write_bytes(b"\0description=Wave SDR driver\0author=nobody\0")
        lines = [f"alias usb:vF1C4p{product}d*dc*dsc*dp*ic*isc*ip*in* {module}" for product, module in ALIASES.items()]
        (modules / "modules.alias").write_text("# Aliases\n" + "\n".join([*lines, STORAGE]))
        (modules / "modules.dep").write_text(
            "kernel/drivers/media/usb/sticks/media-stick-dvb.ko: kernel/drivers/media/dvb-core/dvb-core.ko\n"
            "kernel/drivers/media/usb/sticks/wave_sdr.ko: kernel/drivers/media/v4l2-core/videodev.ko\n"
            "kernel/drivers/media/usb/gspca/web_camera.ko: kernel/drivers/media/v4l2-core/videodev.ko\n"
            "kernel/drivers/usb/serial/plain_serial.ko:\nkernel/drivers/usb/storage/usb-storage.ko:\n"
        )
        (root / "proc/sys/kernel").mkdir(parents=True)
        (root / "proc/sys/kernel/osrelease").write_text("6.1.0\n")
        self.load("usb_storage")

    def load(self, *names: str) -> None:
        """Modules that are loaded."""
        (self.root / "proc/modules").write_text("".join(f"{name} 1 0 - Live 0x0\n" for name in names))

    def plug(
        self, ids: str, place: str = "1-1", *, bound: str = "", module: str = "", speed: str = "480",
        openable: bool = True, interface_class: str = "ff", more: tuple[tuple[str, str], ...] = (),
        version: str = " 2.00",
    ) -> Path:  # fmt: skip
        """A device with an interface, and `more` of (class, driver)."""
        self._number += 1
        vendor, product = ids.split(":")
        folder = self.root / "sys/bus/usb/devices" / place
        folder.mkdir(parents=True)
        texts = {
            "idVendor": vendor, "idProduct": product, "speed": speed, "product": "A stick", "busnum": place[0],
            "devnum": str(self._number), "bDeviceClass": "00", "version": version,
        }  # fmt: skip
        for name, text in texts.items():
            (folder / name).write_text(text + "\n")
        for index, (kind, driver) in enumerate(((interface_class, bound), *more)):
            interface = folder.parent / f"{place}:1.{index}"
            interface.mkdir()
            (interface / "bInterfaceClass").write_text(kind + "\n")
            (interface / "modalias").write_text(
                f"usb:v{vendor.upper()}p{product.upper()}d0100dc00dsc00dp00ic{kind.upper()}iscFFipFFin{index:02d}\n"
            )
            if driver:
                drivers = self.root / "sys/bus/usb/drivers" / driver
                drivers.mkdir(parents=True, exist_ok=True)
                if module and not (drivers / "module").is_symlink():
                    (drivers / "module").symlink_to(self.root / "sys/module" / module)
                (interface / "driver").symlink_to(drivers)
        node = self.root / "dev/bus/usb" / f"00{place[0]}" / f"{self._number:03d}"
        node.parent.mkdir(parents=True, exist_ok=True)
        node.touch()
        if not openable:
            node.unlink()
        return node

    def node(self, place: str, name: str = "swradio0") -> None:
        """A radio node that the kernel offers for a device."""
        folder = self.root / "sys/class/video4linux" / name
        folder.mkdir(parents=True)
        (folder / "name").write_text("A radio\n")
        (folder / "device").symlink_to(self.root / "sys/bus/usb/devices" / f"{place}:1.0")
        (self.root / "dev" / name).touch()

    def program(self, number: int, name: str, node: Path) -> None:
        """A program that has a file open."""
        folder = self.root / "proc" / str(number)
        (folder / "fd").mkdir(parents=True)
        (folder / "comm").write_text(name + "\n")
        (folder / "fd/5").symlink_to("/" + str(node.relative_to(self.root)))


@pytest.fixture
def bus(tmp_path: Path) -> FakeBus:
    return FakeBus(tmp_path)


def one(bus: FakeBus) -> FoundReceiver:
    (receiver,) = usb_candidates(bus.root)
    return receiver


# One device each: the modules that are loaded, the state, part of the cure; no state where it is no matter of ours.
SITUATIONS: dict[str, tuple[dict[str, object], tuple[str, ...], str | None, str]] = {
    "held by the television driver": (
        {"ids": TV, "bound": "media_stick", "module": "media_stick_dvb"},
        ("media_stick_dvb",),
        "claimed",
        "echo -n '1-1:1.0' | sudo tee /sys/bus/usb/drivers/media_stick/unbind",
    ),
    "television driver without a link to its module": (
        {"ids": TV, "bound": "media_stick"},
        ("media_stick_dvb",),
        "claimed",
        "unbind",
    ),
    "module there, not loaded": ({"ids": TV}, (), "module not loaded", "sudo modprobe media_stick_dvb"),
    "radio module not loaded": ({"ids": RADIO}, (), "module not loaded", "sudo modprobe wave_sdr"),
    "not loaded and not to be opened": (
        {"ids": RADIO, "openable": False},
        (),
        "module not loaded",
        "sudo modprobe wave_sdr",
    ),
    "module named and not installed": (
        {"ids": "f1c4:0004"},
        (),
        "module not loaded",
        "sudo apt install linux-image-amd64",
    ),
    "freed and open to the person": ({"ids": TV}, ("media_stick_dvb",), "ready", ""),
    "freed and denied": ({"ids": TV, "openable": False}, ("media_stick_dvb",), "denied", 'ATTR{idVendor}=="f1c4"'),
    "nothing serves it": ({"ids": STRANGER}, (), "no driver", ""),
    "nothing serves it, denied": ({"ids": STRANGER, "openable": False}, (), "no driver", 'TAG+="uaccess"'),
    "a camera of the same folder": ({"ids": CAMERA}, (), None, ""),
    "a camera that is in use": (
        {"ids": CAMERA, "bound": "web_camera", "module": "web_camera"},
        ("web_camera",),
        None,
        "",
    ),
    "a serial adapter": ({"ids": "f1c4:0005", "bound": "plain_serial"}, ("plain_serial",), None, ""),
    "a memory stick": ({"ids": "f1c4:0077", "interface_class": "08", "bound": "usb-storage"}, (), None, ""),
    "a keyboard": ({"ids": "f1c4:0078", "interface_class": "03", "bound": "usbhid"}, (), None, ""),
    "a sound card": ({"ids": "f1c4:0079", "interface_class": "01"}, (), None, ""),
    "a hub of its own class": ({"ids": "f1c4:0080", "interface_class": "09"}, (), None, ""),
    "television and its remote control": (
        {"ids": TV, "bound": "media_stick", "more": (("03", "usbhid"),)},
        ("media_stick_dvb",),
        "claimed",
        "'1-1:1.0'",
    ),
    "remote control first, television second": (
        {"ids": TV, "interface_class": "03", "bound": "usbhid", "more": (("ff", "media_stick"),)},
        ("media_stick_dvb",),
        "claimed",
        "'1-1:1.1'",
    ),
    "two interfaces, one freed": ({"ids": TV, "more": (("ff", ""),)}, ("media_stick_dvb",), "ready", ""),
}


@pytest.mark.parametrize("name", SITUATIONS)
def test_a_device_is_told_right_with_the_line_that_helps(bus: FakeBus, name: str) -> None:
    device, loaded, state, cure = SITUATIONS[name]
    bus.plug(**device)  # type: ignore[arg-type]
    bus.load(*loaded)
    found = usb_candidates(bus.root)
    assert [receiver.state for receiver in found] == ([state] if state else [])
    if state:
        assert cure in found[0].cure
        assert (found[0].cure == "") == (cure == "")
        assert found[0].usb_id == device["ids"]


def test_a_program_that_has_it_is_named(bus: FakeBus) -> None:
    node = bus.plug(TV, bound="usbfs")
    bus.program(4711, "harbour-radio", node)
    assert (one(bus).state, one(bus).held_by) == ("busy", "harbour-radio (4711)")


def test_a_program_of_somebody_else_is_not_named_but_told(bus: FakeBus) -> None:
    bus.plug(STRANGER, bound="usbfs")
    assert (one(bus).state, one(bus).held_by) == ("busy", "")


def test_a_blocked_module_says_which_file_blocks_it(bus: FakeBus) -> None:
    bus.plug(TV)
    (bus.root / "etc/modprobe.d").mkdir(parents=True)
    (bus.root / "etc/modprobe.d/no-tv.conf").write_text("blacklist media-stick-dvb\n")
    assert "/etc/modprobe.d/no-tv.conf keeps it from being loaded" in one(bus).why


def test_what_the_kernel_offers_as_a_radio_is_left_to_its_driver(bus: FakeBus) -> None:
    bus.plug(TV, bound="media_stick", module="media_stick_dvb")
    bus.node("1-1")
    assert usb_candidates(bus.root) == ()
    (receiver,) = KernelDriver(bus.root).discover()
    assert (receiver.state, receiver.usb_id, receiver.speed_mbps) == ("ready", TV, 480.0)
    shown = KernelDriver(bus.root).bus("swradio0?format=CU8")
    assert shown is not None
    assert (shown.place, shown.speed_mbps, shown.node) == ("1-1", 480.0, str(bus.root / "dev/swradio0"))
    (bus.root / "dev/swradio0").unlink()
    assert KernelDriver(bus.root).discover()[0].state == "denied"


def test_a_link_that_was_slowed_down_says_so_with_its_hub(bus: FakeBus) -> None:
    bus.plug(TV, "1-1.4", speed="12")
    assert one(bus).bus == "USB bus 1, port 1.4, behind a hub, slowed down to 12 Mb/s by the hub or lead"


def test_a_device_of_usb_1_is_not_called_slowed(bus: FakeBus) -> None:
    bus.plug(TV, speed="12", version=" 1.10")
    assert "slowed" not in one(bus).bus


def test_two_alike_are_told_by_their_ports_and_share_the_bus(bus: FakeBus) -> None:
    bus.plug(TV, "1-1")
    bus.plug(TV, "1-2")
    bus.plug(TV, "2-1")
    assert [receiver.bus for receiver in usb_candidates(bus.root)] == [
        "USB bus 1, port 1, 1 more device on this bus",
        "USB bus 1, port 2, 1 more device on this bus",
        "USB bus 2, port 1",
    ]


@pytest.mark.parametrize("gone", ["idVendor", "speed", "devnum", "busnum", "product"])
def test_a_device_that_is_unplugged_while_it_is_read_harms_nothing(bus: FakeBus, gone: str) -> None:
    bus.plug(TV)
    bus.plug(RADIO, "1-2")
    (bus.root / "sys/bus/usb/devices/1-1" / gone).unlink()
    assert RADIO in [receiver.usb_id for receiver in usb_candidates(bus.root)]


def test_without_tables_of_modules_a_bound_driver_still_claims(bus: FakeBus) -> None:
    for name in ("modules.alias", "modules.dep"):
        (bus.root / "lib/modules/6.1.0" / name).unlink()
    bus.plug(TV, bound="media_stick", module="media_stick_dvb")
    assert one(bus).state == "claimed"


def test_the_command_line_reads_another_root(bus: FakeBus) -> None:
    bus.plug(TV, bound="media_stick", module="media_stick_dvb")
    result = CliRunner().invoke(program, ["devices", "--root", str(bus.root), "--json"])
    (device,) = json.loads(result.stdout)["devices"]
    wanted = {"driver": "usb", "state": "claimed", "usb_id": TV, "speed_mbit": 480.0, "held_by": "media_stick"}
    assert {key: device[key] for key in wanted} == wanted
    assert device["module"] == "media_stick_dvb"
    assert os.fspath(bus.root) not in device["cure"]
