"""Opening and creating station files, each in a new window that replaces the old one."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import msgspec
from PyQt6.QtCore import QMimeData
from PyQt6.QtWidgets import QMainWindow

from yarddial.session.session import Session
from yarddial.yard.station import Station


class Files(Protocol):
    """Opens and creates station files; supplied by the caller."""

    def open(self, path: Path) -> Session:
        """Session on a station file; raises a YardDialError."""
        ...

    def begin(self, path: Path) -> Session:
        """Session on an empty yard in a new file; raises a YardDialError."""
        ...

    def recent(self) -> tuple[Path, ...]:
        """Recently opened files."""
        ...

    def fresh(self) -> Path:
        """Place of a new yard beside the person's own, where no file is yet."""
        ...

    def demo(self) -> Session:
        """A session on the demo yard."""
        ...

    def adopt(self, session: Session) -> Path:
        """Keep a demo yard as the person's own and return its file; raises a YardDialError."""
        ...

    def pair(self, place: str, code: str, name: str) -> str:
        """Pair with a computer that serves its receivers and return its name; waits, raises a YardDialError."""
        ...

    def announced(self) -> tuple[tuple[str, str], ...]:
        """Computers that announce themselves, each with its address; waits, raises a YardDialError."""
        ...

    def computers(self) -> tuple[str, ...]:
        """Paired computers as name and address; raises a YardDialError."""
        ...

    def forget_computer(self, name: str) -> None:
        """Forget a paired computer."""
        ...


class Opener:
    """Asks for files and opens them; does nothing without a source, as in the demo yard of a test."""

    # The replacing window, kept alive here because nobody else holds it.
    latest: "QMainWindow | None" = None

    def __init__(
        self,
        window: QMainWindow,
        files: Files | None,
        make: Callable[[Session, Files], Any],
        save_now: Callable[[], None],
    ) -> None:
        """save_now : saves the window's yard, since the next one may be the same."""
        self._window, self._files, self._make, self._save_now = window, files, make, save_now

    @property
    def files(self) -> Files | None:
        """Source of sessions, where there is one."""
        return self._files

    @property
    def has_files(self) -> bool:
        """True where there are files to open from."""
        return self._files is not None

    def show_demo(self) -> None:
        """Open the demo yard in a new window."""
        if self._files is not None:
            self._succeed(self._files.demo(), self._files)

    def adopt(self, session: Session) -> None:
        """Keep a demo yard as the person's own and open that in a new window; raises a YardDialError."""
        if self._files is not None:
            self._succeed(self._files.open(self._files.adopt(session)), self._files)

    def ask_open(self) -> None:
        """Ask for a station file; recent ones are offered."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        if self._files is not None:
            recent = self._files.recent()
            FileSheet(self._window, "Open a station file", "my.yard.json", "Open", self.open, recent, reads=True).show()

    def ask_new(self) -> None:
        """Ask for the file of a new, empty yard."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        if self._files is not None:
            FileSheet(self._window, "Begin an empty yard in", "new.yard.json", "Begin", self.begin).show()

    def open(self, path: Path) -> None:
        """Open a station file; raises a YardDialError, and the old window stays then."""
        if self._files is not None:
            self._save_now()
            self._succeed(self._files.open(path), self._files)

    def begin(self, path: Path) -> None:
        """Create an empty yard; raises a YardDialError."""
        if self._files is not None:
            self._succeed(self._files.begin(path), self._files)

    def begin_with(self, station: Station) -> bool:
        """Create a yard of its own with a station; False without a source of files. Raises a YardDialError."""
        if self._files is None:
            return False
        session = self._files.begin(self._files.fresh())
        name = session.desk.station.name
        session.desk.edit("from the box", msgspec.structs.replace(station, name=name))
        self._succeed(session, self._files)
        return True

    def _succeed(self, session: Session, files: Files) -> None:
        following = self._make(session, files)
        following.setGeometry(self._window.geometry())
        following.show()
        following.activateWindow()
        Opener.latest = following
        self._window.close()


def dropped_file(data: QMimeData | None) -> Path | None:
    """The single dropped file, if it is of a known kind."""
    paths = [Path(url.toLocalFile()) for url in data.urls()] if data is not None else []
    ours = len(paths) == 1 and (paths[0].suffix == ".json" or paths[0].suffix.lower() == ".s2p")
    return paths[0] if ours else None


def is_part(path: Path) -> bool:
    """Return True for a part's file, False for a station's."""
    return path.name.endswith(".part.json") or path.suffix.lower() == ".s2p"
