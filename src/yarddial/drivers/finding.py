"""What all drivers find, and what befell those that could not look: one list for the command line and the picker."""

from collections.abc import Iterable, Mapping

import msgspec

from yarddial.drivers.protocol import Driver, FoundReceiver
from yarddial.yard.errors import YardDialError


class Listing(msgspec.Struct, frozen=True):
    """Receivers that were found, each with its driver's name; and troubles by driver, a sentence each."""

    receivers: tuple[tuple[str, FoundReceiver], ...] = ()
    troubles: dict[str, str] = {}


def find_receivers(drivers: Iterable[Driver], troubles: Mapping[str, str]) -> Listing:
    """Ask every driver; one that fails in looking is a trouble of that driver, and of no other."""
    receivers: list[tuple[str, FoundReceiver]] = []
    said = dict(troubles)
    for driver in drivers:
        try:
            receivers += [(driver.name, as_found(found)) for found in driver.discover()]
        except YardDialError as error:
            said[driver.name] = str(error)
        except Exception as error:
            # Code of others may raise anything.
            why = " ".join(str(error).split()) or type(error).__name__
            said[driver.name] = f"the driver '{driver.name}' failed in looking for receivers: {why}"
    return Listing(tuple(receivers), said)


def as_found(found: FoundReceiver) -> FoundReceiver:
    """As the protocol has it; a driver of an older kind gives the bare address."""
    return found if isinstance(found, FoundReceiver) else FoundReceiver(str(found), str(found))
