"""Tap that records unprocessed samples inside the engine process; none reach the window."""

from collections.abc import Callable
from pathlib import Path

from yarddial.engine.commands import RecordSamples
from yarddial.engine.events import Event, RecordingState
from yarddial.engine.taps.tap import EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning
from yarddial.yard.errors import NotWritten

# Interval between reports of the recorded length.
TELLS_S = 0.5


class SampleRecorder:
    """One recording; reports its length at intervals, and its end."""

    survives: frozenset[StreamChange] = frozenset(("slice",))

    def __init__(self, asked: RecordSamples, tuning: Tuning, report: Callable[[Event], None]) -> None:
        """Open the recording; raises NotWritten."""
        from yarddial.records.sample_file import SampleFile

        self.job, self.asked, self._report, self._told_s, self._tuning = asked.job, asked, report, 0.0, tuning
        about = dict(asked.about)
        about["capture"] = {**about.get("capture", {}), "yarddial:tuner_hz": tuning.centre_hz}
        if asked.turned:
            about["capture"]["yarddial:inverted"] = True
        self._file = SampleFile(Path(asked.path), tuning.rate_hz, asked.centre_hz, about, asked.bits, new=True)

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Do nothing: another slice of the same span does not matter."""

    def push(self, piece: Piece) -> bool:
        """Write a block; return True after a failure, which has been reported."""
        if piece.lost:
            self._file.remark(f"{piece.lost} samples were lost here")
        try:
            self._file.write(piece.raw.conj() if self.asked.turned else piece.raw)
        except NotWritten as error:
            self._tell(self.asked.path, is_done=True, trouble=str(error))
            return True
        if self._file.seconds_s - self._told_s >= TELLS_S:
            self._told_s = self._file.seconds_s
            self._tell(self.asked.path)
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Complete the recording and report it."""
        trouble = "the receiver was set differently" if cause == "retuned" else reason
        try:
            self._file.close()
        except NotWritten as error:
            trouble = str(error)
        self._tell(str(self._file.meta_path), is_done=True, trouble=trouble)

    def _tell(self, path: str, *, is_done: bool = False, trouble: str = "") -> None:
        self._report(
            RecordingState(
                path, self._file.seconds_s, is_done, trouble, tuning=self._tuning, job=self.job, id=self.asked.id
            )
        )  # fmt: skip
