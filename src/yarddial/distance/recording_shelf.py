"""Recordings made by guests on the serving computer, stored and split for transfer.

Every name is this computer's own; a guest's request is looked up among its recordings, never joined to a path.
"""

import hashlib
import time
from pathlib import Path

import msgspec

from yarddial.distance.identity import PairedComputer
from yarddial.distance.wire import FarRecording, PieceMessage

# Duration of sending a piece; smallest and largest piece in bytes.
PIECE_S, MIN_PIECE, MAX_PIECE = 0.1, 1_000, 65_536
# With less free space, GB, nothing more is recorded for guests.
MIN_FREE_GB = 0.5
# Maximum size of a description; the largest belongs to a recording with many losses.
MAX_META = 8_000_000
_DATA, _META = ".sigmf-data", ".sigmf-meta"


class StoredRecording(msgspec.Struct, frozen=True):
    """A complete recording. digest : SHA-256 of data, then description."""

    name: str
    data_path: Path
    data_bytes: int
    meta: bytes
    digest: str

    @property
    def whole_bytes(self) -> int:
        """Size of data plus description."""
        return self.data_bytes + len(self.meta)

    def piece(self, first: int, count: int) -> PieceMessage:
        """Bytes from a position on; raises OSError."""
        data = b""
        if first < self.data_bytes:
            with self.data_path.open("rb") as file:
                file.seek(first)
                data = file.read(min(count, self.data_bytes - first))
        if len(data) < count and first + len(data) >= self.data_bytes:
            from_meta = first + len(data) - self.data_bytes
            data += self.meta[from_meta : from_meta + count - len(data)]
        return PieceMessage(self.name, first, self.data_bytes, self.whole_bytes, self.digest, data)


class RecordingShelf:
    """One folder per paired computer, named by the hash of its password."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._number = 0

    def new_path(self, who: PairedComputer) -> Path:
        """Path for a new recording; raises OSError."""
        self._number += 1
        folder = self._of(who)
        folder.mkdir(parents=True, exist_ok=True)
        return folder / f"far-{time.strftime('%Y%m%d-%H%M%S')}-{self._number}"

    def all_of(self, who: PairedComputer) -> tuple[FarRecording, ...]:
        """All complete recordings, newest first."""
        recordings: list[tuple[float, FarRecording]] = []
        for meta_path in self._of(who).glob(f"*{_META}"):
            try:
                status = meta_path.stat()
                size = meta_path.with_suffix(_DATA).stat().st_size + status.st_size
            except OSError:
                continue
            recordings.append((status.st_mtime, FarRecording(meta_path.stem, size)))
        return tuple(recording for _, recording in sorted(recordings, key=lambda pair: -pair[0]))

    def stored(self, who: PairedComputer, name: str) -> StoredRecording | None:
        """A guest's recording with its digest; None without one. Raises OSError."""
        if name not in {recording.name for recording in self.all_of(who)}:
            return None
        data_path = self._of(who) / f"{name}{_DATA}"
        meta = (self._of(who) / f"{name}{_META}").read_bytes()[:MAX_META]
        digest = hashlib.sha256()
        with data_path.open("rb") as file:
            while part := file.read(1 << 20):
                digest.update(part)
        digest.update(meta)
        return StoredRecording(name, data_path, data_path.stat().st_size, meta, digest.hexdigest())

    def remove(self, who: PairedComputer, name: str) -> None:
        """Delete a guest's recording, description first, so that half of it is never offered."""
        if name in {recording.name for recording in self.all_of(who)}:
            for ending in (_META, _DATA):
                (self._of(who) / f"{name}{ending}").unlink(missing_ok=True)

    def _of(self, who: PairedComputer) -> Path:
        return self.folder / who.word_print[:16]
