"""Files are written whole or not at all."""

import contextlib
import os
from pathlib import Path

from yarddial.yard.errors import NotWritten


def write_whole(path: Path, data: bytes) -> None:
    """Replace a file in one step: readers and a crash see the old contents or the new, never a part.

    Raises
    ------
    NotWritten
        The sentence says where and why; the old file, if any, is untouched.
    """
    import tempfile

    # A link stays a link: what it leads to is replaced.
    path = Path(os.path.realpath(path))
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    except OSError as error:
        raise NotWritten(f"cannot write in {path.parent}: {reason(error)}; choose another folder") from error
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        _as_before(path, temporary)
        os.replace(temporary, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise NotWritten(f"cannot write {path}: {reason(error)}; what was there before is untouched") from error


def _as_before(path: Path, temporary: str) -> None:
    """Mode and owner of the file that is replaced, as far as the system lets us; of a new one what is usual."""
    try:
        before = path.stat()
    except OSError:
        usual = os.umask(0)
        os.umask(usual)
        os.chmod(temporary, 0o666 & ~usual)
        return
    os.chmod(temporary, before.st_mode & 0o7777)
    with contextlib.suppress(OSError):
        os.chown(temporary, before.st_uid, before.st_gid)


def clear_leftovers(path: Path, older_than_s: float = 60.0) -> None:
    """Take away what writers of a file left behind when they were killed; a writer at work is younger than that."""
    import glob
    import time

    path = Path(os.path.realpath(path))
    for leftover in path.parent.glob(f".{glob.escape(path.name)}.*"):
        with contextlib.suppress(OSError):
            if time.time() - leftover.stat().st_mtime > older_than_s:
                leftover.unlink()


def reason(error: OSError) -> str:
    """The system's own words, without numbers and paths."""
    return (error.strerror or str(error)).lower()
