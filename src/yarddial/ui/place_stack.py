"""The places in the middle of the window; each is created when first opened."""

from collections.abc import Callable
from importlib import import_module

from PyQt6.QtWidgets import QStackedWidget, QWidget

from yarddial.session.session import Session
from yarddial.yard.places import PlaceName

# Class of each place, imported when first opened.
_CLASSES: dict[PlaceName, tuple[str, str]] = {
    "Bench": ("bench", "BenchPlace"),
    "First light": ("first_light", "FirstLightPlace"),
    "Span": ("span", "SpanPlace"),
    "Levels": ("levels", "LevelsPlace"),
    "True": ("true", "TruePlace"),
    "Ghosts": ("ghosts", "GhostsPlace"),
    "Bands": ("bands", "BandsPlace"),
    "Listen": ("listen", "ListenPlace"),
    "Log": ("log", "LogPlace"),
}


class PlaceStack(QStackedWidget):
    """Shows one place at a time."""

    def __init__(self, session: Session, on_made: Callable[[PlaceName, QWidget], None]) -> None:
        """on_made : connects a new place to the window."""
        super().__init__()
        self._session, self._on_made = session, on_made
        self._made: dict[PlaceName, QWidget] = {}

    def place(self, name: PlaceName) -> QWidget:
        """Return a place, creating it if necessary."""
        if name not in self._made:
            module, class_name = _CLASSES[name]
            kind: type[QWidget] = getattr(import_module(f"yarddial.ui.places.{module}.place"), class_name)
            self._made[name] = new_place = kind(self._session)  # type: ignore[arg-type]
            self._on_made(name, new_place)
            self.addWidget(new_place)
        return self._made[name]

    def open(self, name: PlaceName) -> None:
        """Show a place by its name."""
        self.setCurrentWidget(self.place(name))

    @property
    def has_any(self) -> bool:
        """True once one was created."""
        return bool(self._made)

    @property
    def shown(self) -> PlaceName | None:
        """Name of the place shown; None before the first."""
        current = self.currentWidget()
        return next((name for name, candidate in self._made.items() if candidate is current), None)

    @property
    def is_furnished(self) -> bool:
        """True once a place is shown with its size."""
        current = self.currentWidget()
        return bool(self._made) and current is not None and not current.size().isEmpty() and current.isVisible()
