"""The window as its actions see it, and what an action is."""

from collections.abc import Callable
from typing import Protocol

import msgspec
from PyQt6.QtWidgets import QWidget

from yarddial.session.session import Session
from yarddial.ui.finding_fixes import FindingFixes
from yarddial.ui.opener import Opener
from yarddial.ui.widgets.finder import AskedValue, Findable
from yarddial.yard.keys import key_text
from yarddial.yard.places import PlaceName


class WindowAction(msgspec.Struct, frozen=True):
    """An action of the window.

    section : of the menu. key_act : its name in the table of keys; empty without a key.
    also : other words that people use for it.
    choices, question : what the finder asks before it is done.
    """

    section: str
    name: str
    act: Callable[[], object]
    key_act: str = ""
    also: str = ""
    choices: Callable[[], list[Findable]] | None = None
    question: AskedValue | None = None

    @property
    def keys(self) -> str:
        """Its keys in the notation of the list; empty without one."""
        return key_text(self.key_act) if self.key_act else ""

    @property
    def asks(self) -> bool:
        """True where the finder asks for something first."""
        return self.choices is not None or self.question is not None

    def findable(self) -> Findable:
        """The action as the finder shows it."""
        return Findable(
            "do it", self.name, self.act, f"{self.also} {self.keys}", choices=self.choices, question=self.question
        )


def nothing() -> None:
    """Do nothing: what is to be done was chosen or asked for."""


class Acting(Protocol):
    """The window as its actions see it."""

    session: Session
    fixes: FindingFixes
    opener: Opener

    def go(self, name: PlaceName) -> None:
        """Open a place."""
        ...

    def open_place(self, name: PlaceName) -> QWidget:
        """Open a place and return it."""
        ...

    def close(self) -> bool:
        """Close the window; it asks first about what would be lost."""
        ...

    def cancel_work(self) -> None:
        """Cancel what is under way."""
        ...

    def attempt(self, act: Callable[[], object]) -> None:
        """Run an action; a refusal is said on the strip."""
        ...

    def say(self, sentence: str) -> None:
        """Say a sentence on the strip."""
        ...

    def measure(self, *, verifying: bool = False) -> None:
        """Measure the station at the dial."""
        ...

    def step_station(self, direction: int) -> None:
        """Dial the next known station."""
        ...

    def reopen(self) -> None:
        """Reopen the yard in a new window with the lettering chosen."""
        ...

    def show_card(self) -> None:
        """Show the settings card."""
        ...

    def show_fit(self) -> None:
        """Show the working of the fit."""
        ...

    def write_note(self) -> None:
        """Go to the log's note."""
        ...

    def change_theme(self) -> None:
        """Switch between day and night."""
        ...

    def show_settings(self) -> None:
        """Open the settings."""
        ...

    def toggle_chart_only(self) -> None:
        """Show the place alone, or everything."""
        ...

    def zoom(self, steps: int) -> None:
        """Zoom the picture by steps."""
        ...

    def show_keys(self) -> None:
        """Show the list of keys."""
        ...

    def show_glossary(self) -> None:
        """Show the glossary."""
        ...

    def show_manual(self, page: str = "") -> None:
        """Show a manual page; by default that of the focused widget."""
        ...

    def show_first_hour(self) -> None:
        """Start the guide of the first hour."""
        ...

    def find_anything(self, first: Findable | None = None) -> None:
        """Open the finder, where given at what a target asks."""
        ...

    def put_in(self) -> None:
        """Choose a part and insert it."""
        ...

    def new_route(self) -> None:
        """Add a route."""
        ...

    def show_which_oscillator(self) -> None:
        """Open the search for a converter's real oscillator."""
        ...

    def show_all_oscillators(self) -> None:
        """Open the list of all oscillators."""
        ...

    def show_transceiver(self) -> None:
        """Open the transceiver."""
        ...

    def follow_transceiver(self) -> None:
        """Follow the transceiver, leave it, or return."""
        ...

    def next_clear(self, direction: int) -> None:
        """Dial the next gap between stations."""
        ...
