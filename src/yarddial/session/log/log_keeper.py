"""Keeper of the log, with a queue for entries that the log cannot store at the moment."""

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Protocol

import msgspec

from yarddial.records.entry import Entry, utc_now
from yarddial.records.log_data import LogData
from yarddial.session.background import Background
from yarddial.session.listeners import Listener, Listeners
from yarddial.yard import clock
from yarddial.yard.errors import LogDamaged, LogNotWritten, NotWritten

if TYPE_CHECKING:
    # Imported after the first paint.
    from pathlib import Path

    from yarddial.records.log_copies import LogCopies, Restored
    from yarddial.records.waiting_entries import WaitingEntries

# Log entries shown at first, and added with each page.
PAGE_ENTRIES = 200
MEASURED_KINDS = ("observation", "verification")


class Book(Protocol):
    """Interface of a logbook; see `records.logbook`."""

    path: "Path"
    unreadable: dict[int, Any]
    remark: str

    def add(self, entry: Entry) -> Entry:
        """Store an entry."""
        ...

    def amend(self, entry: Entry) -> None:
        """Replace the contents of an entry."""
        ...

    def entries(
        self, kind: str = "", station: str = "", limit: int = 10_000, *, before_id: int = 0, since_utc: str = ""
    ) -> tuple[Entry, ...]:
        """Entries, newest first."""
        ...

    def search(self, words: str, limit: int = PAGE_ENTRIES, before_id: int = 0) -> tuple[Entry, ...]:
        """Entries that hold all words."""
        ...

    def of_oscillators(self, station: str, names: Sequence[str]) -> tuple[Entry, ...]:
        """Entries about these oscillators."""
        ...

    def of_places(self, station: str) -> tuple[Entry, ...]:
        """Entries with a dial position."""
        ...

    def count(self) -> int:
        """Number of entries."""
        ...

    def examined(self, first_id: int = 0) -> Iterator[int]:
        """Read every row once, and report unreadable ones."""
        ...

    def close(self) -> None:
        """Close the log."""
        ...


class KeptEntry:
    """A stored entry; its number is known once it was written."""

    def __init__(self, entry: Entry) -> None:
        self.entry = entry
        # Its contents have changed since it was written.
        self.is_amended = False


# Entries read at once during an export.
EXPORTED_AT_ONCE = 5_000


class LogKeeper:
    """Entries go to the book at once, or wait in order until it can store them; reading is on demand."""

    def __init__(self, open_book: Callable[[], Book], store: "Callable[[], WaitingEntries] | None" = None) -> None:
        """store : keeps what waits over the end of the program; opened when it is needed."""
        self._open_book = open_book
        self._open_store = store
        self._store: WaitingEntries | None = None
        # Whether what waits is kept outside this process, and over a restart of the computer.
        self.is_stored = self.is_stored_durably = False
        self._stored: tuple[Entry, ...] = ()
        self._book: Book | None = None
        # Path of the log's file, once known.
        self._path: Path | None = None
        # Entries to be written, or written again.
        self._waiting: list[KeptEntry] = []
        self._changed = Listeners()
        self._copied_on = ""
        self._last_measured: Entry | None = None
        self._count = 0
        self.trouble = ""
        # The remedy for the trouble is to restore a copy.
        self.is_damaged = False
        # Why today's copy was not made.
        self.copy_trouble = ""
        self.remark = ""
        # Number of entries of an earlier session that were added when the log was opened.
        self.added_late = 0
        self._told: tuple[str, int] = ("", 0)

    def open(self) -> None:
        """Open the book unless it is open; not in the constructor, so that a window can be painted first."""
        if self._book is None:
            self._open()
            self._changed.tell()

    def poll(self) -> None:
        """Report what was noticed while the log was read."""
        now = (self.trouble, len(self.unreadable))
        if now != self._told:
            self._told = now
            self._changed.tell()

    def close(self) -> None:
        """Close the book; what still waits is kept where `is_stored` says."""
        if self._book is not None:
            self._book.close()
            self._book = None

    @property
    def is_open(self) -> bool:
        """True once the book was opened."""
        return self._book is not None

    @property
    def waiting(self) -> int:
        """Number of entries not yet written."""
        return len(self._waiting)

    @property
    def count(self) -> int:
        """Number of entries, waiting ones included."""
        return self._count + sum(not waiting.is_amended for waiting in self._waiting)

    @property
    def unreadable(self) -> Mapping[int, Any]:
        """Unreadable rows, as far as noticed."""
        return {} if self._book is None else self._book.unreadable

    @property
    def last_measured(self) -> Entry | None:
        """Latest measurement of any yard."""
        return self._last_measured

    def on_log_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new entries and for trouble with the log."""
        return self._changed.add(listener)

    def add(self, entry: Entry) -> KeptEntry:
        """Store an entry; it is never lost while the program runs."""
        stored = KeptEntry(msgspec.structs.replace(entry, at_utc=entry.at_utc or utc_now()))
        self._waiting.append(stored)
        self.retry()
        return stored

    def amend(self, stored: KeptEntry, data: LogData) -> None:
        """Add derived data to a stored entry."""
        stored.entry = msgspec.structs.replace(stored.entry, data=data)
        if stored not in self._waiting:
            stored.is_amended = True
            self._waiting.append(stored)
        self.retry()

    def retry(self) -> None:
        """Retry waiting entries; called periodically."""
        if self._book is None:
            self._open()
        while self._waiting and self._book is not None:
            try:
                self._write(self._book, self._waiting[0])
            except LogNotWritten as error:
                self._fail(error)
                break
            self._waiting.pop(0)
            self.remark = self._book.remark or self.remark
            self._recover()
        self._store_waiting()
        self._changed.tell()

    def waiting_entries(self) -> tuple[Entry, ...]:
        """Entries that the log has not taken, oldest first; without those whose derived data alone wait."""
        return tuple(stored.entry for stored in self._waiting if not stored.is_amended)

    def add_from(self, path: "Path") -> int:
        """Add the entries of a file that was kept elsewhere; return their number. Raises LogNotWritten.

        Entries that are in the log already are left out.
        """
        from yarddial.records.reading import ENTRIES, read_bytes
        from yarddial.records.waiting_entries import entries_in, is_same

        read = entries_in(read_bytes(path, ENTRIES, LogNotWritten))
        if not read:
            raise LogNotWritten(f"{path.name} holds no entries of a log: choose the file ending in -log.jsonl")
        known = self.entries(since_utc=min(entry.at_utc for entry in read))
        fresh = [entry for entry in read if not any(is_same(entry, other) for other in known)]
        for entry in fresh:
            self.add(entry)
        return len(fresh)

    def _store_waiting(self) -> None:
        """Keep what waits where it outlives the program; called after each change of it."""
        store = self._store
        waiting = self.waiting_entries()
        if not waiting:
            if store is not None and self.is_stored:
                store.clear()
            self.is_stored = self.is_stored_durably = False
            return
        if self._open_store is None or (self.is_stored_durably and waiting == self._stored):
            # Written already: a log that stays locked costs one write, not one each time that it is tried.
            return
        if store is None:
            store = self._store = self._open_store()
        try:
            self.is_stored_durably = store.keep(waiting)
            self.is_stored, self._stored = True, waiting
        except NotWritten:
            self.is_stored = self.is_stored_durably = False

    def _add_left(self, book: Book) -> None:
        """Add what an earlier session could not write; entries that are in the log already are left out."""
        if self._open_store is None:
            return
        if self._store is None:
            self._store = self._open_store()
        left = self._store.left()
        if not left:
            return
        from yarddial.records.waiting_entries import is_same

        known = book.entries(since_utc=left[0].at_utc)
        added = 0
        for entry in left:
            if not any(is_same(entry, other) for other in known):
                book.add(entry)
                added += 1
        self._store.taken()
        if added:
            self.added_late = added

    def _write(self, book: Book, stored: KeptEntry) -> None:
        if stored.is_amended:
            book.amend(stored.entry)
            stored.is_amended = False
            return
        stored.entry = book.add(stored.entry)
        self._count += 1
        if stored.entry.kind in MEASURED_KINDS:
            self._last_measured = stored.entry

    # Reading: the newest first, those that wait among them with the number 0

    def entries(self, kind: str = "", station: str = "", limit: int = 10_000, since_utc: str = "") -> tuple[Entry, ...]:
        """Entries of a kind and a station."""
        waits = tuple(
            entry
            for entry in self._unwritten()
            if kind in ("", entry.kind) and station in ("", entry.station) and entry.at_utc >= since_utc
        )
        return (*waits, *self._ask(lambda book: book.entries(kind, station, limit, since_utc=since_utc)))[:limit]

    def of_oscillators(self, station: str, names: Sequence[str]) -> tuple[Entry, ...]:
        """Entries about oscillators."""
        return (*self._waits_of(station), *self._ask(lambda book: book.of_oscillators(station, names)))

    def of_places(self, station: str) -> tuple[Entry, ...]:
        """Entries with a dial position."""
        return (*self._waits_of(station), *self._ask(lambda book: book.of_places(station)))

    def shown(self, limit: int = PAGE_ENTRIES, words: str = "", before_id: int = 0) -> tuple[Entry, ...]:
        """One page of all entries, or of those with all words; older than `before_id`, if given."""
        waits = () if before_id or words.strip() else self._unwritten()
        return (*waits, *self._ask(lambda book: book.search(words, limit, before_id)))[:limit]

    def _waits_of(self, station: str) -> tuple[Entry, ...]:
        return tuple(entry for entry in self._unwritten() if entry.station == station)

    def _unwritten(self) -> tuple[Entry, ...]:
        return tuple(waiting.entry for waiting in reversed(self._waiting) if not waiting.is_amended)

    def _ask(self, ask: Callable[[Book], tuple[Entry, ...]]) -> tuple[Entry, ...]:
        if self._book is None:
            return ()
        try:
            return ask(self._book)
        except LogNotWritten as error:
            # Report it at the next poll, since the reader may be inside a notification now.
            self._fail(error)
            return ()

    # Copies and what is damaged

    def check_regularly(self, background: Background) -> None:
        """Once a day, in the background: copy the log and read every entry."""
        today = f"{clock.now():%Y-%m-%d}"
        if self._book is None or self.is_damaged or self._copied_on == today:
            return
        self._copied_on = today
        path = self._book.path

        def work() -> tuple[Mapping[int, Any], str]:
            from yarddial.records.log_copies import LogCopies, examine

            try:
                LogCopies(path).make()
                return examine(path), ""
            except LogNotWritten as error:
                return {}, str(error)

        def take(answer: tuple[Mapping[int, Any], str]) -> None:
            unreadable, self.copy_trouble = answer
            if self._book is not None:
                self._book.unreadable.update(unreadable)
            self._changed.tell()

        background.ask("the log's copy", work, take, lambda sentence: take(({}, sentence)))

    def copies(self) -> "LogCopies | None":
        """Location of the log's copies; None for a log that is not in a file."""
        from yarddial.records.log_copies import LogCopies

        return None if self._path is None else LogCopies(self._path)

    def restore(self) -> "Restored":
        """Replace a damaged log by the newest good copy; raises LogNotWritten, nothing changed."""
        copies = self.copies()
        if copies is None:
            raise LogNotWritten("there is no log in a file: nothing can be restored")
        if self._book is not None:
            self._book.close()
            self._book = None
        try:
            return copies.restore()
        finally:
            self._open()
            self.retry()

    def export(self, path: "Path") -> int:
        """Write the whole log into a CSV or JSON Lines file, oldest first; return the number of entries.

        For a thread: it opens the book for itself and reads page by page. Raises NotWritten or LogNotWritten.
        """
        from yarddial.records.log_export import check_target, export_log

        check_target(path)
        book = self._open_book()
        try:
            pages: list[tuple[Entry, ...]] = []
            while page := book.entries(limit=EXPORTED_AT_ONCE, before_id=pages[-1][-1].id if pages else 0):
                pages.append(page)
            return export_log((entry for page in reversed(pages) for entry in reversed(page)), path)
        finally:
            book.close()

    def export_unreadable(self, path: "Path") -> int:
        """Write unreadable rows into a file, one JSON row per line; return their number. Raises NotWritten."""
        import json

        from yarddial.records.whole_file import write_whole

        rows = sorted(self.unreadable.values(), key=lambda unreadable: unreadable.id)
        if os.path.exists(path):
            raise NotWritten(f"{path} is there already: give another name")
        lines = [json.dumps({"why": row.why, **row.row}, ensure_ascii=True, default=str) for row in rows]
        write_whole(path, ("\n".join(lines) + "\n").encode())
        return len(rows)

    def _fail(self, error: LogNotWritten) -> None:
        self.trouble, self.is_damaged = str(error), isinstance(error, LogDamaged)

    def _recover(self) -> None:
        self.trouble, self.is_damaged = "", False

    def _open(self) -> None:
        try:
            self._book = self._open_book()
            self._path = self._book.path
            self._add_left(self._book)
            self._count = self._book.count()
            measured = [entry for kind in MEASURED_KINDS for entry in self._book.entries(kind, limit=1)]
            self._last_measured = max(measured, key=lambda entry: entry.id, default=None)
            self._recover()
        except LogNotWritten as error:
            if isinstance(error, LogDamaged):
                self._path = error.path
            self._book = None
            self._fail(error)
