"""Keeps the log, and keeps what the log cannot take just now."""

from collections.abc import Callable
from typing import Protocol

import msgspec

from yarddial.records.entry import Entry, utc_now
from yarddial.session.listeners import Listener, Listeners
from yarddial.yard.errors import LogNotWritten


class Book(Protocol):
    """What is needed of a logbook."""

    def add(self, entry: Entry) -> Entry:
        """Keep one entry."""
        ...

    def entries(self, kind: str = "", station: str = "", most: int = 10_000) -> tuple[Entry, ...]:
        """Newest first."""
        ...


class LogKeeper:
    """Entries go to the book at once, or wait in order until it can take them."""

    def __init__(self, open_book: Callable[[], Book]) -> None:
        self._open_book = open_book
        self._book: Book | None = None
        self._waiting: list[Entry] = []
        self._changed = Listeners()
        self.trouble = ""
        self.entries: tuple[Entry, ...] = ()

    def open(self) -> None:
        """Open the book unless it is open; kept out of the constructor so that a window can be painted first."""
        if self._book is None:
            self._open()
            self._changed.tell()

    @property
    def is_open(self) -> bool:
        """True once the book was read."""
        return self._book is not None

    @property
    def waiting(self) -> int:
        """Entries not yet written."""
        return len(self._waiting)

    def on_log_changed(self, listener: Listener) -> Callable[[], None]:
        """An entry was added or written, or the log is in trouble."""
        return self._changed.add(listener)

    def add(self, entry: Entry) -> None:
        """Keep an entry; it is never lost while the program runs."""
        self._waiting.append(msgspec.structs.replace(entry, at_utc=entry.at_utc or utc_now()))
        self.retry()

    def retry(self) -> None:
        """Try again what waits; called now and then."""
        if self._book is None:
            self._open()
        while self._waiting and self._book is not None:
            try:
                kept = self._book.add(self._waiting[0])
            except LogNotWritten as error:
                self.trouble = str(error)
                break
            self._waiting.pop(0)
            self.entries = (kept, *self.entries)
            self.trouble = ""
        self._changed.tell()

    def shown(self) -> tuple[Entry, ...]:
        """All entries, newest first, those that wait included (their number is 0)."""
        return (*reversed(self._waiting), *self.entries)

    def _open(self) -> None:
        try:
            self._book = self._open_book()
            self.entries = self._book.entries()
            self.trouble = ""
        except LogNotWritten as error:
            self._book, self.trouble = None, str(error)
