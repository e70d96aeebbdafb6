"""Watch the far computer in use for changes in what it reports."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.session.listeners import Listener, Listeners

if TYPE_CHECKING:
    from yarddial.distance.far_engine import FarEngine


class FarWatch:
    """Checks at each poll; the link's own thread only stores what arrives."""

    def __init__(self, far_in_use: "Callable[[], FarEngine | None]") -> None:
        self._far_in_use = far_in_use
        self._changed = Listeners()
        self._seen: object = None

    def on_far_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for another computer, or a changed report of it."""
        return self._changed.add(listener)

    def poll(self) -> None:
        """Report changes."""
        far = self._far_in_use()
        state = (far.here, far.far, far.is_linked, far.gaps_lately) if far is not None else None
        if self._seen != state:
            self._seen = state
            self._changed.tell()
