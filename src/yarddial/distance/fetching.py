"""Transfer of a recording from the computer that made it: in pieces, resumable, verified at the end."""

import hashlib
import os
from pathlib import Path

from yarddial.distance.wire import PieceMessage
from yarddial.records.whole_file import reason

# A partial transfer lies beside the target under this ending, to be resumed later.
_PART = ".part"


class Fetching:
    """A recording being transferred into two files, `TARGET.sigmf-data` and `TARGET.sigmf-meta`.

    trouble : why it ended incomplete. is_done : it has ended.
    """

    def __init__(self, name: str, target: Path) -> None:
        self.name = name
        base = target.with_suffix("") if target.suffix in (".sigmf-meta", ".sigmf-data") else target
        self.meta_path = base.with_name(f"{base.name}.sigmf-meta")
        self._data_path = base.with_name(f"{base.name}.sigmf-data")
        plain = "".join(sign for sign in name if sign.isalnum() or sign == "-")
        self._part = base.with_name(f".{plain}{_PART}")
        self.whole_bytes = 0
        self.trouble = ""
        self.is_done = False
        try:
            self.have_bytes = self._part.stat().st_size if self._part.is_file() else 0
        except OSError:
            self.have_bytes = 0
        if os.path.exists(self.meta_path) or os.path.exists(self._data_path):
            self._end(f"{self.meta_path} is there already: give another name")

    @property
    def share(self) -> float:
        """Share transferred, 0 to 1."""
        return min(self.have_bytes / self.whole_bytes, 1.0) if self.whole_bytes else 0.0

    def take(self, piece: PieceMessage) -> None:
        """Add the next piece and ignore others. Ends by itself, complete or with the reason."""
        if self.is_done or piece.name != self.name:
            return
        if piece.why:
            self._end(piece.why)
            return
        self.whole_bytes = piece.whole_bytes
        if piece.first == 0 and self.have_bytes > piece.whole_bytes:
            # The partial file belongs to another recording.
            self._part.unlink(missing_ok=True)
            self.have_bytes = 0
        # Skip what is here already of a piece sent before the restart.
        data = piece.data[self.have_bytes - piece.first :] if piece.first <= self.have_bytes else b""
        if self.have_bytes + len(data) > piece.whole_bytes or not (data or self.have_bytes == piece.whole_bytes):
            return
        try:
            with self._part.open("ab") as file:
                file.write(data)
            self.have_bytes += len(data)
            if self.have_bytes == piece.whole_bytes:
                self._finish(piece)
        except OSError as error:
            self._end(f"cannot write {self._part}: {reason(error)}; what has come is kept")

    def _finish(self, piece: PieceMessage) -> None:
        digest = hashlib.sha256()
        with self._part.open("rb") as file:
            while part := file.read(1 << 20):
                digest.update(part)
            file.seek(piece.data_bytes)
            meta = file.read()
        if digest.hexdigest() != piece.digest:
            self._part.unlink(missing_ok=True)
            self._end("what came is not what lies there: fetch it anew")
            return
        with self._part.open("ab") as file:
            file.truncate(piece.data_bytes)
        self._part.replace(self._data_path)
        # Write the description last: it completes the recording.
        waits = self.meta_path.with_name(f".{self.meta_path.name}{_PART}")
        waits.write_bytes(meta)
        waits.replace(self.meta_path)
        self._end("")

    def give_up(self) -> None:
        """Stop for the person; the received part is kept."""
        if not self.is_done:
            self._end("it was stopped: what has come is kept, and gone on with")

    def _end(self, trouble: str) -> None:
        self.trouble, self.is_done = trouble, True
