"""Which drivers there are: ours, and those that other packages announce as entry points of `yarddial.drivers`."""

from collections.abc import Iterable

from yarddial.drivers.protocol import Driver
from yarddial.yard.errors import BadDriver, DeviceNotFound

GROUP = "yarddial.drivers"


class Registry:
    """Drivers by name. An external driver never replaces one of ours."""

    def __init__(self, ours: Iterable[Driver]) -> None:
        self._drivers = {driver.name: driver for driver in ours}
        self.troubles: dict[str, str] = {}

    def load_announced(self) -> None:
        """Look for drivers of other packages; what cannot be loaded is kept as a sentence under its name."""
        from importlib.metadata import entry_points

        for point in entry_points(group=GROUP):
            if point.name in self._drivers:
                continue
            try:
                self._drivers[point.name] = _checked(point.name, point.load()())
            except Exception as error:
                # Code of others: whatever it raises on import is a trouble of that driver, and of no other.
                reason = " ".join(str(error).split()) or type(error).__name__
                self.troubles[point.name] = f"the driver '{point.name}' cannot be loaded: {reason}"

    def names(self) -> tuple[str, ...]:
        """Names of all drivers, ours first."""
        return tuple(self._drivers)

    def drivers(self) -> tuple[Driver, ...]:
        """All drivers, ours first."""
        return tuple(self._drivers.values())

    def driver(self, name: str) -> Driver:
        """A driver by its name.

        Raises
        ------
        DeviceNotFound
            There is none; the sentence names those there are.
        BadDriver
            There is one that cannot be loaded; the sentence says why.
        """
        if name in self._drivers:
            return self._drivers[name]
        if name in self.troubles:
            raise BadDriver(f"{self.troubles[name]}; install it again, or ask its maker")
        known = ", ".join(self._drivers)
        raise DeviceNotFound(f"there is no driver '{name}': write one of {known}, a colon, and what to open")


def _checked(name: str, driver: Driver) -> Driver:
    """Refuse what has not the shape of a driver, in words that its maker understands."""
    for wanted in ("name", "discover", "open"):
        if not hasattr(driver, wanted):
            raise BadDriver(f"it has no '{wanted}': see docs/driver.md")
    if driver.name != name:
        raise BadDriver(f"it is announced as '{name}' and calls itself '{driver.name}'")
    return driver
