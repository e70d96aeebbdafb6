"""Registry of drivers: built-in ones, and those that other packages announce as entry points of `yarddial.drivers`."""

from collections.abc import Iterable

from yarddial.drivers.protocol import Driver
from yarddial.yard.errors import BadDriver, DeviceNotFound

GROUP = "yarddial.drivers"


class Registry:
    """Drivers by name. An external driver never replaces a built-in one."""

    def __init__(self, ours: Iterable[Driver]) -> None:
        self._drivers = {driver.name: driver for driver in ours}
        self.troubles: dict[str, str] = {}

    def load_announced(self) -> None:
        """Load drivers of other packages; keep the error of one that fails under its name."""
        from importlib.metadata import entry_points

        for point in entry_points(group=GROUP):
            if point.name in self._drivers:
                continue
            try:
                self._drivers[point.name] = _checked(point.name, point.load()())
            except Exception as error:
                # Third-party code may raise anything on import; that affects its driver only.
                reason = " ".join(str(error).split()) or type(error).__name__
                self.troubles[point.name] = f"the driver '{point.name}' cannot be loaded: {reason}"

    def names(self) -> tuple[str, ...]:
        """Names of all drivers, built-in ones first."""
        return tuple(self._drivers)

    def drivers(self) -> tuple[Driver, ...]:
        """All drivers, built-in ones first."""
        return tuple(self._drivers.values())

    def driver(self, name: str) -> Driver:
        """Driver by name.

        Raises
        ------
        DeviceNotFound
            There is none; the sentence names those that exist.
        BadDriver
            It cannot be loaded; the sentence says why.
        """
        if name in self._drivers:
            return self._drivers[name]
        if name in self.troubles:
            raise BadDriver(f"{self.troubles[name]}; install it again, or ask its maker")
        known = ", ".join(self._drivers)
        raise DeviceNotFound(f"there is no driver '{name}': write one of {known}, a colon, and what to open")


def _checked(name: str, driver: Driver) -> Driver:
    """Refuse an object that is no driver, in words for its author."""
    for wanted in ("name", "discover", "open"):
        if not hasattr(driver, wanted):
            raise BadDriver(f"it has no '{wanted}': see docs/driver.md")
    if driver.name != name:
        raise BadDriver(f"it is announced as '{name}' and calls itself '{driver.name}'")
    return driver
