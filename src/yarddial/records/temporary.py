"""Folders for what is of use only while the program runs; they go with it, after a kill at the next start."""

import atexit
import contextlib
import fcntl
import os
import shutil
import tempfile
from pathlib import Path

# Our own mark in each: only folders that hold it are ever removed. It is locked as long as the program lives.
MARK = ".yard-dial-temporary"
_PREFIX = "yard-dial-"


def temporary_folder() -> Path:
    """A new folder that goes with the program; raises OSError where there is no room for one."""
    folder = Path(tempfile.mkdtemp(prefix=_PREFIX))
    # Held open, and so locked, until the process ends, however it does.
    handle = os.open(folder / MARK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    fcntl.flock(handle, fcntl.LOCK_EX)
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def clear_dead_folders() -> int:
    """Remove what killed programs of this person left; gives how many."""
    count = 0
    for folder in Path(tempfile.gettempdir()).glob(f"{_PREFIX}*"):
        with contextlib.suppress(OSError):
            # Not through a link, and nobody else's.
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
