"""Selectable faults: what goes wrong in the first hour with a receiver."""

import msgspec

from yarddial.yard.errors import DeviceBusy, DeviceClaimed, DeviceDenied, DeviceNotFound

# Each fault with a description for people who try it.
FAULTS = {
    "swapped_iq": "the two halves of each sample are exchanged: the spectrum is mirrored",
    "dead_port": "nothing is connected behind the port",
    "wrong_lo": "the converter has another oscillator than its leaflet says",
    "bias_off": "the amplifier or LNB up the line gets no current",
    "kernel_driver": "the kernel's own driver holds the receiver",
    "no_permission": "the person may not open it",
    "busy": "another program holds it",
    "unplug": "it is pulled out after so many seconds",
    "stall": "it stops giving samples after so many seconds",
    "slow_link": "it is plugged into a link of USB 1.1 speed",
    "silent_loss": "samples are lost and not counted",
    "stuck_gain": "the gain stays where it is, whatever is set",
}


class SimulatedFaults(msgspec.Struct, frozen=True):
    """Active faults, each with its number of seconds where it has one."""

    on: dict[str, float] = {}

    def has(self, name: str) -> bool:
        """True when it is switched on."""
        return name in self.on

    def after_s(self, name: str) -> float:
        """Time in seconds after which it strikes; infinity when it is not active."""
        return self.on.get(name, float("inf"))

    def refuse_to_open(self, name: str) -> None:
        """Raise what opening the receiver would raise."""
        if self.has("kernel_driver"):
            raise DeviceClaimed(
                f"{name} is held by the kernel's media driver: take it from that driver first",
                "echo -n '1-1.4:1.0' > /sys/bus/usb/drivers/media_stick/unbind",
            )
        if self.has("no_permission"):
            raise DeviceDenied(
                f"you may not open {name}: a udev rule has to let you, then plug it in again",
                'SUBSYSTEM=="usb", ATTR{idVendor}=="f1c4", ATTR{idProduct}=="2832", TAG+="uaccess"',
            )
        if self.has("busy"):
            raise DeviceBusy(
                f"{name} is in use by another program (wavecatcher, 4711): end that first", "wavecatcher, 4711"
            )


def parse_faults(text: str) -> SimulatedFaults:
    """Read `swapped_iq,unplug:5`; raises DeviceNotFound for an unknown fault."""
    on: dict[str, float] = {}
    for piece in filter(None, text.split(",")):
        name, _, seconds = piece.partition(":")
        if name not in FAULTS or (seconds and not seconds.replace(".", "", 1).isdigit()):
            raise DeviceNotFound(f"there is no fault '{piece}': there are {', '.join(FAULTS)}")
        on[name] = float(seconds or 0.0)
    return SimulatedFaults(on)
