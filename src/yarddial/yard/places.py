"""Places of the window in the order of the work: one table for window, overview, manual and finder."""

from typing import Literal

import msgspec

PlaceName = Literal["Bench", "First light", "Span", "Levels", "True", "Ghosts", "Bands", "Listen", "Log"]


class Place(msgspec.Struct, frozen=True):
    """A place of the window. also : other words that people use for it."""

    name: PlaceName
    also: str

    @property
    def manual_page(self) -> str:
        """Manual page that explains it."""
        return self.name.lower().replace(" ", "-")


PLACES: tuple[Place, ...] = (
    Place("Bench", "parts wiring yard build line problems"),
    Place("First light", "check test driver usb"),
    Place("Span", "sample rate centre"),
    Place("Levels", "gain noise overload"),
    Place("True", "calibrate offset ppm correction"),
    Place("Ghosts", "images spurs interference"),
    Place("Bands", "board list overview good bad worst best my"),
    Place("Listen", "hear audio waterfall tune"),
    Place("Log", "logbook history diary notes"),
)
PLACE_NAMES: tuple[PlaceName, ...] = tuple(place.name for place in PLACES)


def key_of_place(name: PlaceName) -> str:
    """Key that opens a place: its number in the table."""
    return f"Ctrl+{PLACE_NAMES.index(name) + 1}"
