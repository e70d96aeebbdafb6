"""What all drivers find, and what befell those that could not look: one list for the command line and the picker."""

from collections.abc import Callable, Iterable, Iterator, Mapping

import msgspec

from yarddial.drivers.protocol import Capabilities, Device, Driver, FoundReceiver
from yarddial.yard.errors import YardDialError


class Listing(msgspec.Struct, frozen=True):
    """Receivers that were found, each with its driver's name; and troubles by driver, a sentence each."""

    receivers: tuple[tuple[str, FoundReceiver], ...] = ()
    troubles: dict[str, str] = {}


def find_receivers(drivers: Iterable[Driver], troubles: Mapping[str, str]) -> Listing:
    """Ask every driver for receivers; an error is reported as that driver's only."""
    receivers: list[tuple[str, FoundReceiver]] = []
    reasons = dict(troubles)
    for driver in drivers:
        try:
            receivers += [(driver.name, as_found(receiver)) for receiver in driver.discover()]
        except YardDialError as error:
            reasons[driver.name] = str(error)
        except Exception as error:
            # Code of others may raise anything.
            why = " ".join(str(error).split()) or type(error).__name__
            reasons[driver.name] = f"the driver '{driver.name}' failed in looking for receivers: {why}"
    return Listing(tuple(receivers), reasons)


def as_found(receiver: FoundReceiver) -> FoundReceiver:
    """As the protocol has it; a driver of an older kind gives the bare address."""
    return receiver if isinstance(receiver, FoundReceiver) else FoundReceiver(str(receiver), str(receiver))


class Told(msgspec.Struct, frozen=True):
    """What a driver says of a receiver: its capabilities, or why it cannot say them.

    error : the kind of error, by its class's name. cure : the line that takes it away, where there is one.
    """

    device: str
    capabilities: Capabilities | None = None
    why: str = ""
    error: str = ""
    cure: str = ""


def told_of(device: str, open_device: Callable[[str], Device]) -> Told:
    """Open a receiver for a moment and ask it; whatever goes wrong is said."""
    try:
        opened = open_device(device)
        try:
            return Told(device, opened.capabilities)
        finally:
            opened.close()
    except YardDialError as error:
        return Told(device, None, str(error), type(error).__name__, getattr(error, "remedy", ""))
    except Exception as error:
        # Code of others may raise anything.
        reason = " ".join(str(error).split()) or type(error).__name__
        return Told(device, None, f"the driver failed: {reason}; ask its maker", type(error).__name__)


def listings(drivers: Iterable[Driver], troubles: Mapping[str, str], every_s: float) -> Iterator[Listing]:
    """What is found, again and again, for as long as anybody takes it."""
    import time

    known = tuple(drivers)
    while True:
        yield find_receivers(known, troubles)
        time.sleep(every_s)
