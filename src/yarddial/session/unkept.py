"""What would be lost if the window closed now, and other places for it."""

import os
from typing import TYPE_CHECKING

import msgspec

from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.station.desk import Desk
from yarddial.session.station.own_file import OwnFile
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten
from yarddial.yard.plain_text import count_of

if TYPE_CHECKING:
    # Imported when something cannot be kept.
    from pathlib import Path


class Unkept(msgspec.Struct, frozen=True):
    """Edits and entries that no lasting file holds, and why.

    edits : whether edits of the yard are among them. entries : number of log entries.
    is_demo : nothing failed, but the demo yard goes with its window.
    """

    edits: bool
    entries: int
    why: tuple[str, ...]
    is_demo: bool = False

    @property
    def sentence(self) -> str:
        """What closing would lose."""
        lost = [f"the {'' if self.is_demo else 'last '}edits of the yard"] if self.edits else []
        if self.entries:
            lost.append(count_of(self.entries, "entry", "entries") + " of the log")
        return f"Closing now would lose {' and '.join(lost)}."


class UnkeptWork:
    """Asked before a window closes; nothing is thrown away without a person's word."""

    def __init__(self, desk: Desk, log: LogKeeper, file: OwnFile) -> None:
        self._desk, self._log, self._file = desk, log, file
        self._given_up = False
        self._first = desk.station

    def now(self) -> Unkept | None:
        """Try to save once more, and tell what cannot be kept; None when everything is."""
        if self._given_up:
            return None
        if self._log.waiting:
            self._log.retry()
        self._desk.finish()
        edits = self._file.has_unkept_edits()
        entries = 0 if self._log.is_stored_durably else len(self._log.waiting_entries())
        if not edits and not entries:
            return self._of_demo()
        reasons = (self._desk.save_trouble if edits else "", self._log.trouble if entries else "")
        return Unkept(edits, entries, tuple(dict.fromkeys(reason for reason in reasons if reason)))

    def _of_demo(self) -> Unkept | None:
        """Work in a demo yard; None without any."""
        from yarddial.session.station.versions import without_dial

        if not self._file.is_temporary:
            return None
        edits = without_dial(self._desk.station) != without_dial(self._first)
        return Unkept(edits, self._log.count, (), is_demo=True) if edits or self._log.count else None

    def keep_in(self, path: "Path") -> "tuple[Path, ...]":
        """Write the yard into a new file elsewhere, and the waiting entries beside it; raises NotWritten.

        The yard's file can be opened; `LogKeeper.add_from` reads the entries.
        """
        from yarddial.records.station_file import StationFile
        from yarddial.records.waiting_entries import lines_of
        from yarddial.records.whole_file import write_whole

        stem = path.name.removesuffix(".json").removesuffix(".yard")
        yard, entries = path.with_name(f"{stem}.yard.json"), path.with_name(f"{stem}-log.jsonl")
        for place in (yard, entries):
            if os.path.exists(place):
                raise NotWritten(f"{place} is there already: give another name")
        StationFile(yard, self._desk.station).save(self._desk.station)
        waiting = self._log.waiting_entries()
        if waiting:
            write_whole(entries, lines_of(waiting))
        self._given_up = True
        return (yard, entries) if waiting else (yard,)

    def as_text(self) -> str:
        """The yard as its file would hold it, then a line for each waiting entry."""
        from pathlib import Path

        from yarddial.records.station_file import StationFile
        from yarddial.records.waiting_entries import lines_of

        yard = StationFile(Path("yard"), self._desk.station).content.decode()
        return f"{yard.rstrip()}\n{lines_of(self._log.waiting_entries()).decode()}"

    def let_demo_go(self) -> None:
        """Let a demo yard go unasked; what a file of the person could not take is asked about all the same."""
        if self._file.is_temporary:
            self._given_up = True

    def give_up(self) -> None:
        """Let everything that cannot be kept go, on a person's word."""
        self._given_up = True

    @staticmethod
    def file_name() -> str:
        """A name for the file elsewhere."""
        return f"kept-{clock.now():%Y-%m-%d-%H%M%S}.yard.json"
