"""Sound kept as WAV while it is heard: under another name until it is whole."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yarddial.records.whole_file import reason
from yarddial.yard.errors import NotWritten


class SoundFile:
    """A mono WAV of 16 bits that grows; `close` gives it its name.

    Raises
    ------
    NotWritten
        Begun or closed where nothing can be written; what is there already is untouched, and nothing half is left.
    """

    def __init__(self, path: Path, rate_hz: float) -> None:
        import soundfile

        self.path = path if path.suffix.lower() == ".wav" else path.with_name(f"{path.name}.wav")
        if self.path.exists():
            raise NotWritten(f"{self.path} is there already: give another name")
        self._partial = self.path.with_name(f".{self.path.name}.part")
        self.rate_hz = round(rate_hz)
        self.seconds_s = 0.0
        try:
            self._file = soundfile.SoundFile(self._partial, "w", self.rate_hz, 1, subtype="PCM_16", format="WAV")
        except (OSError, soundfile.LibsndfileError) as error:
            self._partial.unlink(missing_ok=True) if self._partial.parent.is_dir() else None
            said = reason(error) if isinstance(error, OSError) else "the folder is not there, or may not be written to"
            raise NotWritten(f"cannot write {self.path}: {said}") from error

    def write(self, samples: NDArray[np.float32]) -> None:
        """Add sound, full scale 1.0; raises NotWritten when the disk is full, and what was kept so far is dropped."""
        import soundfile

        try:
            self._file.write(samples)
        except (OSError, soundfile.LibsndfileError) as error:
            self._file.close()
            self._partial.unlink(missing_ok=True)
            raise NotWritten(f"cannot write {self.path}: the disk may be full; nothing was kept of it") from error
        self.seconds_s += samples.size / self.rate_hz

    def close(self) -> None:
        """Give it its name."""
        try:
            self._file.close()
            self._partial.replace(self.path)
        except OSError as error:
            raise NotWritten(f"cannot write {self.path}: {reason(error)}; it is kept as {self._partial}") from error
