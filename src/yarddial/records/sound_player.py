"""Plays a sound file back in blocks, as fast as the given clock goes."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yarddial.records.sound_file import MADE_HERE
from yarddial.yard.errors import BadRecording

# Length of a block, and how far ahead of the clock blocks are given out.
BLOCK_S, AHEAD_S = 0.1, 0.2


def is_sound(path: Path) -> bool:
    """Return True for audio: one channel, or what this program wrote as sound; two other channels may be I/Q."""
    import soundfile

    if path.suffix.lower() != ".wav":
        return False
    try:
        with soundfile.SoundFile(path) as file:
            return bool(file.channels == 1 or file.comment == MADE_HERE)
    except (OSError, soundfile.LibsndfileError):
        return False


class SoundPlayer:
    """A sound file that plays from its beginning; `due` gives what is to be heard by now.

    Raises
    ------
    BadRecording
        It cannot be read.
    """

    def __init__(self, path: Path, now_s: float) -> None:
        import soundfile

        self.path = path
        try:
            self._file = soundfile.SoundFile(path)
        except (OSError, soundfile.LibsndfileError) as error:
            raise BadRecording(f"{path} is no sound that can be read: choose a .wav file") from error
        self.rate_hz = float(self._file.samplerate)
        self.duration_s = self._file.frames / self.rate_hz
        self.played_s = 0.0
        self.is_done = False
        self._began_s = now_s

    def due(self, now_s: float) -> Iterator[NDArray[np.float32]]:
        """Yield the blocks due, each of shape (n,) or (n, 2)."""
        import soundfile

        while not self.is_done and self.played_s < now_s - self._began_s + AHEAD_S:
            try:
                block = self._file.read(round(BLOCK_S * self.rate_hz), dtype="float32")
            except (OSError, soundfile.LibsndfileError):
                block = np.zeros(0, np.float32)
            self.is_done = not len(block)
            self.played_s += len(block) / self.rate_hz
            if len(block):
                yield block if block.ndim == 1 else block[:, :2]

    def close(self) -> None:
        """Close the file."""
        self.is_done = True
        self._file.close()
