"""Atomic file writing that never overwrites what another program has written meanwhile."""

import contextlib
import hashlib
import json
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from yarddial.yard.errors import ChangedElsewhere, NotWritten, ReadOnlyFile

# Mark in temporary names: only files that bear it are removed.
MARK = ".yard-dial-new"
# Flags to exchange two names atomically (Linux, renameat2(2)).
_RENAME_EXCHANGE, _AT_FDCWD = 2, -100


# A name has at most 255 bytes on the usual file systems; temporary names need some of them.
MAX_NAME_BYTES = 230


def digest_of(data: bytes) -> str:
    """Digest that identifies contents."""
    return hashlib.sha256(data).hexdigest()


def check_name(path: Path) -> None:
    """Refuse a name that no file can have, with room for a temporary one's ending; raises NotWritten."""
    if "\0" in str(path):
        raise NotWritten("the name holds a sign that no file's name can have: give another name")
    size_bytes = len(os.fsencode(path.name))
    if size_bytes > MAX_NAME_BYTES:
        raise NotWritten(f"the name has {size_bytes} bytes, and a file's at most {MAX_NAME_BYTES}: shorten it")


def write_whole(path: Path, data: bytes, *, durable: bool = True) -> None:
    """Replace a file atomically: readers and a crash see the old contents or the new, never a part.

    Mode, owner and further attributes stay as they were; a link stays a link, what it leads to is replaced.
    durable : it has reached the disk when this returns.

    Raises
    ------
    NotWritten
        The sentence says where and why; the old file, if any, is untouched.
    """
    path = Path(os.path.realpath(path))
    temporary = _written_beside(path, data, "", durable=durable)
    with _or_removed(path, temporary):
        os.replace(temporary, path)
        if durable:
            _settle_folder(path.parent)


def replace_known(path: Path, data: bytes, known: str) -> "Former | None":
    """Replace a file only if it still has the known contents.

    known : digest of its contents as read or written last. A missing file is written anew.
    Returns the replaced file, to detect late writers.

    Raises
    ------
    ChangedElsewhere
        Another program wrote it; `theirs` holds the contents.
    NotWritten
        As for `write_whole`.
    """
    path = Path(os.path.realpath(path))
    try:
        _hold_against(path, path, known)
    except FileNotFoundError:
        pass
    except NotWritten:
        raise
    except OSError as error:
        # A disk that fails, or a folder that is none any more.
        raise NotWritten(f"cannot write {path}: {reason(error)}; choose another folder") from error
    temporary = _written_beside(path, data, known)
    with _or_removed(path, temporary):
        if not path.exists():
            _named_anew(temporary, path)
        elif _swapped(temporary, path):
            former = Former(temporary, known)
            try:
                _hold_against(path, temporary, known)
            except ChangedElsewhere:
                # It was written between the check and the swap: swap the other program's contents back.
                former.close()
                _swapped(temporary, path)
                if digest_of(theirs := temporary.read_bytes()) != digest_of(data):
                    # It was written once more meanwhile: the last writer wins.
                    _swapped(temporary, path)
                    raise ChangedElsewhere(
                        f"{path.name} is being written by another program: compare", theirs
                    ) from None
                raise
            temporary.unlink()
            _settle_folder(path.parent)
            return former
        else:
            _hold_against(path, path, known)
            os.replace(temporary, path)
        _settle_folder(path.parent)
    return None


class Former:
    """The replaced file: it has no name, but a program that opened it may still write into it."""

    def __init__(self, place: Path, digest: str) -> None:
        self._handle = os.open(place, os.O_RDONLY | os.O_CLOEXEC)
        self._digest, self._seen = digest, self._state()

    def written_since(self) -> bytes | None:
        """Contents written after it was replaced; normally None."""
        if self._state() == self._seen:
            return None
        self._seen = self._state()
        data = os.pread(self._handle, os.fstat(self._handle).st_size, 0)
        return None if digest_of(data) == self._digest or not data else data

    def close(self) -> None:
        """Stop watching the replaced file."""
        with contextlib.suppress(OSError):
            os.close(self._handle)

    def _state(self) -> tuple[int, int]:
        now = os.fstat(self._handle)
        return now.st_size, now.st_mtime_ns


def may_not_write(path: Path) -> bool:
    """Return True for a read-only file."""
    try:
        mode = path.stat().st_mode
    except OSError:
        return False
    if os.statvfs(path).f_flag & os.ST_RDONLY:
        # A read-only disk: consent cannot change that.
        return False
    return not mode & (stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH) or not os.access(path, os.W_OK)


def refuse_read_only(path: Path) -> None:
    """Raise ReadOnlyFile for a read-only file."""
    if may_not_write(path):
        raise ReadOnlyFile(f"{path.name} is read-only: let it be written all the same, or keep the station elsewhere")


def take_leftovers(path: Path, older_than_s: float = 60.0) -> tuple[Path, ...]:
    """Remove temporary files of killed writers, older than any active writer's.

    One that holds another program's contents, swapped out at that moment, is renamed visibly and returned.
    """
    import glob
    import time

    path, leftovers = Path(os.path.realpath(path)), []
    for leftover in path.parent.glob(f".{glob.escape(path.name)}.*{MARK}"):
        with contextlib.suppress(OSError):
            age_s = abs(time.time() - leftover.stat().st_mtime)
            if age_s <= older_than_s:
                continue
            data = leftover.read_bytes()
            ours = leftover.name.removesuffix(MARK).rsplit(".", 3)[-2:]
            if digest_of(data)[:16] not in ours and _is_whole(data):
                leftover_path = path.with_name(
                    f"{path.name.removesuffix('.yard.json')}-found-{digest_of(data)[:6]}.yard.json"
                )
                leftover.rename(leftover_path)
                leftovers.append(leftover_path)
            else:
                leftover.unlink()
    return tuple(leftovers)


def _is_whole(data: bytes) -> bool:
    """Return True for a complete JSON object."""
    try:
        return isinstance(json.loads(data), dict)
    except (ValueError, RecursionError):
        return False


def reason(error: OSError) -> str:
    """The system's error text without numbers and paths."""
    return (error.strerror or str(error)).lower()


def _written_beside(path: Path, data: bytes, known: str, *, durable: bool = True) -> Path:
    """Write new contents under a temporary name that encodes the old and new digests."""
    import secrets

    # Names have at most 255 bytes.
    stem = os.fsdecode(os.fsencode(path.name)[:180])
    ending = f"{secrets.token_hex(4)}.{known[:16] or 'any'}.{digest_of(data)[:16]}{MARK}"
    temporary = path.with_name(f".{stem}.{ending}")
    try:
        handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    except OSError as error:
        raise NotWritten(f"cannot write in {path.parent}: {reason(error)}; choose another folder") from error
    with _or_removed(path, temporary):
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            if durable:
                os.fsync(file.fileno())
        _as_before(path, temporary)
    return temporary


@contextlib.contextmanager
def _or_removed(path: Path, temporary: Path) -> Iterator[None]:
    """On any error remove the temporary file, and turn the system's error into a sentence."""
    try:
        yield
    except OSError as error:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        if isinstance(error, NotWritten):
            raise
        raise NotWritten(f"cannot write {path}: {reason(error)}; what was there before is untouched") from error


def _as_before(path: Path, temporary: Path) -> None:
    """Copy mode, owner and attributes of the replaced file as far as permitted; defaults for a new one."""
    try:
        before = path.stat()
    except OSError:
        usual = os.umask(0)
        os.umask(usual)
        os.chmod(temporary, 0o666 & ~usual)
        return
    with contextlib.suppress(OSError):
        os.chown(temporary, before.st_uid, before.st_gid)
    os.chmod(temporary, before.st_mode & 0o7777)
    with contextlib.suppress(OSError):
        for name in os.listxattr(path):
            with contextlib.suppress(OSError):
                os.setxattr(temporary, name, os.getxattr(path, name))


def _hold_against(path: Path, place: Path, known: str) -> None:
    if not stat.S_ISREG(place.stat().st_mode):
        raise NotWritten(f"{path.name} is no file any more: keep the station elsewhere")
    theirs = place.read_bytes()
    if digest_of(theirs) != known:
        raise ChangedElsewhere(
            f"{path.name} was changed by another program since it was read: compare the two and choose", theirs
        )


def _named_anew(temporary: Path, path: Path) -> None:
    """Rename to the final name unless it was taken meanwhile."""
    try:
        os.link(temporary, path)
    except FileExistsError:
        raise ChangedElsewhere(f"{path.name} was written by another program: compare and choose", b"") from None
    except OSError:
        # A file system without links.
        os.replace(temporary, path)
    else:
        temporary.unlink()


def _swapped(first: Path, other: Path) -> bool:
    """Exchange two files' names atomically; False where the system or file system cannot."""
    import ctypes

    try:
        swap = ctypes.CDLL(None, use_errno=True).renameat2
    except (AttributeError, OSError):
        return False
    done: int = swap(_AT_FDCWD, os.fsencode(first), _AT_FDCWD, os.fsencode(other), _RENAME_EXCHANGE)
    return done == 0


def _settle_folder(folder: Path) -> None:
    """Flush the new name to the disk."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
