"""Opening and beginning station files: each in a window of its own, which takes the old one's place."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import QMimeData
from PyQt6.QtWidgets import QMainWindow

from yarddial.session.session import Session


class Files(Protocol):
    """Source of sessions: opens and creates station files; supplied by the caller."""

    def open(self, path: Path) -> Session:
        """A session on a station file; raises a YardDialError."""
        ...

    def begin(self, path: Path) -> Session:
        """A session on an empty yard in a new file; raises a YardDialError."""
        ...

    def recent(self) -> tuple[Path, ...]:
        """Recently opened files."""
        ...

    def demo(self) -> Session:
        """A session on the demo yard."""
        ...

    def pair(self, place: str, code: str, name: str) -> str:
        """Pair with a computer that serves its receivers; waits for it. Returns its name; raises a YardDialError."""
        ...

    def computers(self) -> tuple[str, ...]:
        """Those that are known, as name and place; raises a YardDialError."""
        ...

    def forget_computer(self, name: str) -> None:
        """Forget a paired computer."""
        ...


class Opener:
    """Asks for files and opens them; without files to open from, as in the demo yard of a test, it does nothing."""

    # The window that took another's place: kept alive here, for nobody else holds it.
    latest: "QMainWindow | None" = None

    def __init__(self, window: QMainWindow, files: Files | None, make: Callable[[Session, Files], Any]) -> None:
        self._window, self._files, self._make = window, files, make

    @property
    def files(self) -> Files | None:
        """Where sessions come from, where there is such a thing."""
        return self._files

    @property
    def has_files(self) -> bool:
        """True where there are files to open from."""
        return self._files is not None

    def show_demo(self) -> None:
        """The demo yard in a window that takes this one's place."""
        if self._files is not None:
            self._succeed(self._files.demo(), self._files)

    def ask_open(self) -> None:
        """Open another station file; recent ones are offered."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        if self._files is not None:
            recent = self._files.recent()
            FileSheet(self._window, "Open a station file", "my.yard.json", "Open", self.open, recent, reads=True).show()

    def ask_new(self) -> None:
        """Begin an empty yard in a file of its own."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        if self._files is not None:
            FileSheet(self._window, "Begin an empty yard in", "new.yard.json", "Begin", self.begin).show()

    def open(self, path: Path) -> None:
        """Open a station file; raises a YardDialError when it cannot, and the old window stays."""
        if self._files is not None:
            self._succeed(self._files.open(path), self._files)

    def begin(self, path: Path) -> None:
        """Begin an empty yard; raises a YardDialError when it cannot."""
        if self._files is not None:
            self._succeed(self._files.begin(path), self._files)

    def _succeed(self, session: Session, files: Files) -> None:
        following = self._make(session, files)
        following.setGeometry(self._window.geometry())
        following.show()
        following.activateWindow()
        Opener.latest = following
        self._window.close()


def dropped_file(data: QMimeData | None) -> Path | None:
    """The single dropped file, if we can read its kind."""
    paths = [Path(url.toLocalFile()) for url in data.urls()] if data is not None else []
    ours = len(paths) == 1 and (paths[0].suffix == ".json" or paths[0].suffix.lower() == ".s2p")
    return paths[0] if ours else None


def is_part(path: Path) -> bool:
    """True of a part's file, false of a station's."""
    return path.name.endswith(".part.json") or path.suffix.lower() == ".s2p"
