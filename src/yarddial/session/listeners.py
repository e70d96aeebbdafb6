"""Observable state in one idiom: `on_x_changed(listener)` returns the function that unregisters."""

from collections.abc import Callable

from yarddial.yard.fault_log import log_fault

Listener = Callable[[], None]


class Listeners:
    """A list of listeners. They read the state themselves; nothing is passed to them."""

    def __init__(self) -> None:
        self._listeners: list[Listener] = []

    def add(self, listener: Listener) -> Callable[[], None]:
        """Register a listener; call the result to unregister."""
        self._listeners.append(listener)

        def leave() -> None:
            if listener in self._listeners:
                self._listeners.remove(listener)

        return leave

    def tell(self) -> None:
        """Call all listeners; one may leave during the call, and an error in one does not stop the others."""
        for listener in tuple(self._listeners):
            try:
                listener()
            except Exception as fault:
                log_fault("somebody who was told of a change failed", fault)
