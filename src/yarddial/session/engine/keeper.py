"""Samples kept as they come in, in the engine's process: nothing of them crosses to the window."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Got
from yarddial.session.engine.messages import Event, KeepSamples, Kept
from yarddial.yard.errors import NotWritten

# So often its length is told.
TELLS_S = 0.5


class Keeper:
    """One recording; reports its length now and then, and its end."""

    def __init__(self, asked: KeepSamples, got: Got, report: Callable[[Event], None]) -> None:
        """Raises NotWritten."""
        from yarddial.records.sample_file import SampleFile

        self._asked, self._report, self._told_s = asked, report, 0.0
        about = dict(asked.about)
        about["capture"] = {**about.get("capture", {}), "yarddial:tuner_hz": got.centre_hz}
        if asked.turned:
            about["capture"]["yarddial:inverted"] = True
        self._file = SampleFile(Path(asked.path), got.rate_hz, asked.centre_hz, about, asked.bits, new=True)

    def push(self, samples: NDArray[np.complex64], lost: int) -> bool:
        """Write a block; False when that failed, which has then been told."""
        if lost:
            self._file.remark(f"{lost} samples were lost here")
        try:
            self._file.write(samples.conj() if self._asked.turned else samples)
        except NotWritten as error:
            self._report(Kept(self._asked.path, self._file.seconds_s, True, str(error)))
            return False
        if self._file.seconds_s - self._told_s >= TELLS_S:
            self._told_s = self._file.seconds_s
            self._report(Kept(self._asked.path, self._told_s))
        return True

    def close(self, why: str = "") -> None:
        """Make it whole, and say so."""
        try:
            self._file.close()
        except NotWritten as error:
            why = str(error)
        self._report(Kept(str(self._file.meta_path), self._file.seconds_s, True, why))
