"""Observable state, the one idiom: `on_x_changed(listener)` returns its own undo."""

from collections.abc import Callable

from yarddial.yard.fault_log import log_fault

Listener = Callable[[], None]


class Listeners:
    """Who wants to know. Listeners look at the state themselves; nothing is passed along."""

    def __init__(self) -> None:
        self._listeners: list[Listener] = []

    def add(self, listener: Listener) -> Callable[[], None]:
        """Join; the answer is called to leave."""
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
