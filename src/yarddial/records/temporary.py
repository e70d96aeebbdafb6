"""Temporary folders that go with the program, or after a kill at its next start."""

import atexit
import contextlib
import fcntl
import os
import shutil
import tempfile
from pathlib import Path

# Marker file: only folders that hold it are removed. It stays locked while the program runs.
MARK = ".yard-dial-temporary"
_PREFIX = "yard-dial-"


def temporary_folder() -> Path:
    """Create a folder that goes with the program; raises OSError without room."""
    folder = Path(tempfile.mkdtemp(prefix=_PREFIX))
    # Held open, and so locked, until the process ends.
    handle = os.open(folder / MARK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    fcntl.flock(handle, fcntl.LOCK_EX)
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def clear_dead_folders() -> int:
    """Remove the folders of this person's killed programs; return their number."""
    count = 0
    for folder in Path(tempfile.gettempdir()).glob(f"{_PREFIX}*"):
        with contextlib.suppress(OSError):
            # Follow no link, and touch no other user's folder.
            if folder.is_symlink() or folder.lstat().st_uid != os.getuid() or not (folder / MARK).is_file():
                continue
            handle = os.open(folder / MARK, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                shutil.rmtree(folder, ignore_errors=True)
                count += 1
            finally:
                os.close(handle)
    return count
