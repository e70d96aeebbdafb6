"""Audio written as WAV while it is heard, under a temporary name until it is complete."""

import contextlib
import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yarddial.records.whole_file import check_name, reason
from yarddial.yard.errors import NotWritten

# Comment by which a file of sound is known again.
MADE_HERE = "sound recorded by Yard Dial"


class SoundFile:
    """A growing 16-bit WAV; `close` gives it its name.

    Raises
    ------
    NotWritten
        It cannot be begun or closed; existing files are untouched, and no partial file is left.
    """

    def __init__(self, path: Path, rate_hz: float, channels: int = 1) -> None:
        import soundfile

        self.path = path if path.suffix.lower() == ".wav" else path.with_name(f"{path.name}.wav")
        check_name(self.path)
        if os.path.exists(self.path):
            raise NotWritten(f"{self.path} is there already: give another name")
        self._partial = self.path.with_name(f".{self.path.name}.part")
        self.rate_hz = round(rate_hz)
        self.seconds_s = 0.0
        try:
            self._file = soundfile.SoundFile(self._partial, "w", self.rate_hz, channels, subtype="PCM_16", format="WAV")
            # Two channels may be I/Q elsewhere: say what these are.
            self._file.comment = MADE_HERE
        except (OSError, soundfile.LibsndfileError) as error:
            self._partial.unlink(missing_ok=True) if self._partial.parent.is_dir() else None
            reason_words = (
                reason(error) if isinstance(error, OSError) else "the folder is not there, or may not be written to"
            )
            raise NotWritten(f"cannot write {self.path}: {reason_words}") from error

    def write(self, samples: NDArray[np.float32]) -> None:
        """Add audio, shape (n,) or (n, 2), full scale 1.0.

        Raises NotWritten when the disk is full, and keeps what was written so far.
        """
        import soundfile

        try:
            self._file.write(_as_many(samples, self._file.channels))
        except (OSError, soundfile.LibsndfileError) as error:
            rescue_words = f"its first {self.seconds_s:.0f} s are there" if self._rescue() else "nothing was recorded"
            raise NotWritten(f"cannot write {self.path}: the disk may be full; {rescue_words}") from error
        self.seconds_s += len(samples) / self.rate_hz

    def _rescue(self) -> bool:
        """Complete what has reached the disk; False where that is nothing."""
        import soundfile

        with contextlib.suppress(OSError, soundfile.LibsndfileError):
            self._file.close()
        try:
            if self.seconds_s >= 1.0 and soundfile.info(self._partial).frames:
                self._partial.replace(self.path)
                return True
        except (OSError, soundfile.LibsndfileError):
            pass
        self._partial.unlink(missing_ok=True)
        return False

    def close(self) -> None:
        """Complete the file and give it its name."""
        try:
            self._file.close()
            self._partial.replace(self.path)
        except OSError as error:
            raise NotWritten(f"cannot write {self.path}: {reason(error)}; it is kept as {self._partial}") from error


def _as_many(samples: NDArray[np.float32], channels: int) -> NDArray[np.float32]:
    """Convert between one and two channels when wide FM starts or ends while the file grows."""
    if samples.ndim == channels:
        return samples
    return samples.mean(axis=1) if channels == 1 else np.stack([samples, samples], axis=1)
