"""SigMF recording written while samples arrive: data under a temporary name, description last."""

import contextlib
import json
import os
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yarddial.records.whole_file import check_name, reason, write_whole
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten

Complex = NDArray[np.complex64]
# Room reserved for the description with its remarks.
DESCRIPTION_ROOM = 64 << 10


class SampleFile:
    """Two files, `NAME.sigmf-data` and `NAME.sigmf-meta`; `close` gives them their names.

    Up to 8 bits are kept as cu8, more as ci16_le.

    Raises
    ------
    NotWritten
        Begun or closed where nothing can be written, or where there is a file of that name; nothing half is left.
    """

    def __init__(
        self, path: Path, rate_hz: float, centre_hz: float, about: dict[str, Any], bits: int = 8, *, new: bool = False
    ) -> None:
        """Begin; `centre_hz` is the dial frequency at the centre. `about` : see `write_sigmf`. `new` : replace no
        file.
        """
        base = path.with_suffix("") if path.suffix in (".sigmf-meta", ".sigmf-data", ".sigmf") else path
        self.meta_path = base.with_name(base.name + ".sigmf-meta")
        self.data_path = base.with_name(base.name + ".sigmf-data")
        check_name(self.data_path)
        if new and (os.path.exists(self.meta_path) or os.path.exists(self.data_path)):
            raise NotWritten(f"{self.meta_path} is there already: give another name")
        self._is_new = new
        self._partial = self.data_path.with_name(f".{self.data_path.name}.part")
        self._rate_hz, self._centre_hz, self._about, self._bits = rate_hz, centre_hz, about, bits
        self._begun = clock.now()
        self._annotations: list[dict[str, Any]] = list(about.get("annotations", []))
        self.count = 0
        try:
            self._file = self._partial.open("wb")
        except OSError as error:
            raise NotWritten(f"cannot write {self.data_path}: {reason(error)}; nothing was recorded") from error

    @property
    def seconds_s(self) -> float:
        """Length in seconds."""
        return self.count / self._rate_hz

    def write(self, samples: Complex) -> None:
        """Add samples, full scale 1.0.

        Raises NotWritten when the disk is full: of a new recording what there is by then is made whole and kept.
        """
        halves = samples.view(np.float32)
        if self._bits <= 8:
            data = np.clip(np.floor(halves * np.float32(127.5)) + 128, 0, 255).astype(np.uint8).tobytes()
        else:
            data = np.clip(np.floor(halves * np.float32(32767.5)), -32768, 32767).astype("<i2").tobytes()
        try:
            self._file.write(data)
        except OSError as error:
            kept_s = self._rescue() if self._is_new else 0.0
            if not kept_s:
                self.drop()
            rescue_words = f"its first {kept_s:.1f} s are there" if kept_s else "nothing was recorded"
            raise NotWritten(f"cannot write {self.data_path}: {reason(error)}; {rescue_words}") from error
        self.count += samples.size

    def _rescue(self) -> float:
        """Complete what has reached the disk, less the room for the description; return its seconds."""
        with contextlib.suppress(OSError):
            self._file.close()
        try:
            size = 2 if self._bits <= 8 else 4
            whole = max(self._partial.stat().st_size - DESCRIPTION_ROOM, 0) // size
            if whole < self._rate_hz:
                return 0.0
            os.truncate(self._partial, whole * size)
            self.count = whole
            self._annotations = [
                annotation for annotation in self._annotations if annotation["core:sample_start"] <= whole
            ]
            self.remark("the disk was full here")
            self.close()
        except (OSError, NotWritten):
            return 0.0
        return self.seconds_s

    def remark(self, text: str) -> None:
        """Add an annotation at the present position, such as lost samples."""
        self._annotations.append({"core:sample_start": self.count, "core:sample_count": 0, "core:comment": text})

    def drop(self) -> None:
        """Discard the recording."""
        self._file.close()
        self._partial.unlink(missing_ok=True)

    def close(self) -> None:
        """Complete the recording and its description."""
        try:
            self._file.close()
            self._partial.replace(self.data_path)
        except OSError as error:
            self._partial.unlink(missing_ok=True) if self._partial.parent.is_dir() else None
            raise NotWritten(f"cannot write {self.data_path}: {reason(error)}; nothing was recorded") from error
        capture = {
            "core:sample_start": 0,
            "core:frequency": self._centre_hz,
            "core:datetime": self._begun.strftime("%Y-%m-%dT%H:%M:%SZ"),
            **self._about.get("capture", {}),
        }
        for annotation in self._annotations:
            # The length of an annotation of the whole file is known only now.
            annotation.setdefault("core:sample_count", self.count)
        meta = {
            "global": {
                "core:datatype": "cu8" if self._bits <= 8 else "ci16_le",
                "core:sample_rate": self._rate_hz,
                "core:version": "1.2.0",
                "core:description": self._about.get("description", ""),
                "core:hw": self._about.get("hardware", ""),
                "core:recorder": "Yard Dial",
                "core:extensions": [{"name": "yarddial", "version": "1.0.0", "optional": True}],
            },
            "captures": [capture],
            "annotations": sorted(self._annotations, key=lambda noted: int(noted["core:sample_start"])),
        }
        write_whole(self.meta_path, (json.dumps(meta, indent=2) + "\n").encode())
