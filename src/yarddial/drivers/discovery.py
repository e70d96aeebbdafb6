"""Discovery over all drivers, with the errors of those that failed: one list for the command line and the picker."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

import msgspec

from yarddial.drivers.protocol import Capabilities, Device, Driver, FoundReceiver
from yarddial.yard.errors import YardDialError


class Listing(msgspec.Struct, frozen=True):
    """Receivers found, each with its driver's name; and errors by driver, one sentence each."""

    receivers: tuple[tuple[str, FoundReceiver], ...] = ()
    troubles: dict[str, str] = {}


def find_receivers(drivers: Iterable[Driver], troubles: Mapping[str, str], root: Path | None = None) -> Listing:
    """Ask every driver for receivers; an error is reported as that driver's only.

    root : of the system's files, to add what stands on the USB bus and no driver opens; None leaves that out.
    """
    receivers: list[tuple[str, FoundReceiver]] = []
    reasons = dict(troubles)
    for driver in drivers:
        try:
            receivers += [(driver.name, as_found(receiver)) for receiver in driver.discover()]
        except YardDialError as error:
            reasons[driver.name] = str(error)
        except Exception as error:
            # Third-party code may raise anything.
            why = " ".join(str(error).split()) or type(error).__name__
            reasons[driver.name] = f"the driver '{driver.name}' failed in looking for receivers: {why}"
    if root is not None:
        from yarddial.drivers.usb_bus import DRIVER_NAME
        from yarddial.drivers.usb_candidates import usb_candidates

        receivers += [(DRIVER_NAME, receiver) for receiver in usb_candidates(root)]
    return Listing(tuple(receivers), reasons)


def as_found(receiver: FoundReceiver) -> FoundReceiver:
    """Convert to the protocol's form; drivers of an older kind give a bare address."""
    return receiver if isinstance(receiver, FoundReceiver) else FoundReceiver(str(receiver), str(receiver))


class Told(msgspec.Struct, frozen=True):
    """A driver's answer about a receiver: its capabilities, or why it has none to offer.

    error : class name of the error. cure : the command that fixes it, where there is one.
    """

    device: str
    capabilities: Capabilities | None = None
    why: str = ""
    error: str = ""
    cure: str = ""


def told_of(device: str, open_device: Callable[[str], Device]) -> Told:
    """Open a receiver briefly and read its capabilities; report any failure."""
    try:
        opened = open_device(device)
        try:
            return Told(device, opened.capabilities)
        finally:
            opened.close()
    except YardDialError as error:
        return Told(device, None, str(error), type(error).__name__, getattr(error, "remedy", ""))
    except Exception as error:
        # Third-party code may raise anything.
        reason = " ".join(str(error).split()) or type(error).__name__
        return Told(device, None, f"the driver failed: {reason}; ask its maker", type(error).__name__)


def listings(drivers: Iterable[Driver], troubles: Mapping[str, str], every_s: float) -> Iterator[Listing]:
    """Yield the receivers found, repeatedly, while the caller iterates."""
    import time

    known = tuple(drivers)
    while True:
        yield find_receivers(known, troubles, Path("/"))
        time.sleep(every_s)
