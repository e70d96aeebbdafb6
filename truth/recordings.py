"""Sound made by programs from Debian that are not ours: speech by espeak-ng, tones and noise by sox, keys by minimodem.

`missing()` says which are not installed; `./yard proof` installs them where it may.
"""

import shutil
import subprocess
import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
PROGRAMS = ("sox", "espeak-ng", "minimodem")
WORDS = "This is the harbour station. The wind is north, force five. Next report in one hour. "


def missing() -> tuple[str, ...]:
    """Which of the programs this computer lacks."""
    return tuple(name for name in PROGRAMS if shutil.which(name) is None)


@lru_cache(maxsize=8)
def spoken(rate_hz: int, seconds: float, words_per_minute: int = 160) -> Floats:
    """Speech of a synthetic voice, band 300 to 3,000 Hz by sox, unit peak."""
    text = WORDS * int(np.ceil(seconds / 5))
    with tempfile.TemporaryDirectory() as folder:
        said = Path(folder) / "said.wav"
        subprocess.run(["espeak-ng", "-s", str(words_per_minute), "-w", str(said), text], check=True)
        return _read(["sox", str(said), *_raw(rate_hz), "sinc", "300-3000"], int(seconds * rate_hz))


@lru_cache(maxsize=8)
def shift_keyed(rate_hz: int, seconds: float, baud: float, mark_hz: float, space_hz: float) -> Floats:
    """A teleprinter's sound, unit peak."""
    with tempfile.TemporaryDirectory() as folder:
        keyed = Path(folder) / "keyed.wav"
        subprocess.run(
            ["minimodem", "--tx", "-f", str(keyed), "-R", "48000", "--mark", str(mark_hz), "--space", str(space_hz),
             "--ascii", str(baud)],
            input=(WORDS * int(np.ceil(seconds * baud / 800))).encode(), check=True,
        )  # fmt: skip
        return _read(["sox", str(keyed), *_raw(rate_hz)], int(seconds * rate_hz))


@lru_cache(maxsize=8)
def synthesised(rate_hz: int, seconds: float, *effects: str) -> Floats:
    """What sox's synthesiser makes, such as `pinknoise`, `sine 440`; unit peak."""
    return _read(["sox", "-n", *_raw(rate_hz), "synth", str(seconds), *effects], int(seconds * rate_hz))


def _raw(rate_hz: int) -> list[str]:
    return ["-t", "f32", "-c", "1", "-r", str(rate_hz), "-"]


def _read(command: list[str], count: int) -> Floats:
    out = subprocess.run(command, check=True, capture_output=True).stdout
    wave = np.frombuffer(out, "<f4").astype(float)
    wave = np.resize(wave, count)
    return np.asarray(wave / max(np.abs(wave).max(), 1e-12))
