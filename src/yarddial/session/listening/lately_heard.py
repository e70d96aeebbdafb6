"""Dial positions where the person has listened for a while, to return to."""

from yarddial.yard.left_off import HeardPlace

# A position is remembered after this time, up to this many.
REMEMBERED_AFTER_S, MAX_PLACES = 5.0, 12


class LatelyHeard:
    """Positions, the latest first, each frequency once."""

    def __init__(self, places: tuple[HeardPlace, ...] = ()) -> None:
        """places : of the last session."""
        self.places = places[:MAX_PLACES]
        self._stayed_s = 0.0

    def moved(self) -> None:
        """Restart the time after a change of dial or mode."""
        self._stayed_s = 0.0

    def heard(self, place: HeardPlace, seconds_s: float) -> bool:
        """Count seconds of audio at a position; True where `places` has changed."""
        self._stayed_s += seconds_s
        if self._stayed_s < REMEMBERED_AFTER_S or place in self.places[:1]:
            return False
        self.places = (place, *(other for other in self.places if other.dial_hz != place.dial_hz))[:MAX_PLACES]
        return True
