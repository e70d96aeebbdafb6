"""Windows on the same station file know of each other: each holds a lock as long as it lives."""

import contextlib
import fcntl
import hashlib
import os
from pathlib import Path


class Presence:
    """One locked file for each window, in a folder of the program's own; a killed one's lock is free again."""

    def __init__(self, folder: Path, path: Path) -> None:
        mark = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogateescape")).hexdigest()[:24]
        self._folder = folder / mark
        self._handle: int | None = None
        self._name = f"{os.getpid()}-{os.urandom(4).hex()}"

    def begin(self) -> None:
        """Be there; where that cannot be written, nobody knows of it, and files are compared all the same."""
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            handle = os.open(self._folder / self._name, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self._handle = handle

    def others(self) -> int:
        """How many other windows are there; what dead ones left is taken away."""
        count = 0
        try:
            names = [name for name in os.listdir(self._folder) if name != self._name]
        except OSError:
            return 0
        for name in names:
            with contextlib.suppress(OSError):
                handle = os.open(self._folder / name, os.O_RDWR | os.O_CLOEXEC)
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    os.unlink(self._folder / name)
                except BlockingIOError:
                    count += 1
                finally:
                    os.close(handle)
        return count

    def end(self) -> None:
        """Remove the sign of this window."""
        if self._handle is not None:
            with contextlib.suppress(OSError):
                os.unlink(self._folder / self._name)
                self._folder.rmdir()
            os.close(self._handle)
            self._handle = None
