"""Detection of other windows on the same station file, by a lock that each holds while it runs."""

import contextlib
import fcntl
import hashlib
import os
from pathlib import Path


class Presence:
    """One locked file per window in the program's own folder; the lock of a killed window is free again."""

    def __init__(self, folder: Path, path: Path) -> None:
        mark = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogateescape")).hexdigest()[:24]
        self._folder = folder / mark
        self._handle: int | None = None
        self._name = f"{os.getpid()}-{os.urandom(4).hex()}"

    def begin(self) -> None:
        """Announce this window; without a writable folder, files are still compared on saving."""
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            handle = os.open(self._folder / self._name, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self._handle = handle

    def others(self) -> int:
        """Number of other windows; files of dead ones are removed."""
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
