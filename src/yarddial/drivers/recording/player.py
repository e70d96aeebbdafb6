"""Playback of a recording at its own pace, or as fast as the given clock allows."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import Protocol
from urllib.parse import parse_qsl

import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, FoundReceiver, RequestedSettings, TimeSource
from yarddial.yard.errors import CannotTune, DeviceNotFound
from yarddial.yard.frequency import format_frequency, parse_frequency

BLOCK_SAMPLES = 65536


class Samples(Protocol):
    """What a player needs of a recording; `records` provides it."""

    @property
    def path(self) -> Path:
        """Path of the recording."""
        ...

    @property
    def rate_hz(self) -> float:
        """Complex sample rate, hertz."""
        ...

    @property
    def centre_hz(self) -> float:
        """Dial frequency at the centre of the span."""
        ...

    @property
    def tuner_hz(self) -> float | None:
        """Receiver frequency at the centre, when known."""
        ...

    @property
    def inverted(self) -> bool:
        """True when the receiver saw the spectrum inverted relative to the recording."""
        ...

    @property
    def count(self) -> int:
        """Number of samples."""
        ...

    def read(self, first: int = 0, count: int | None = None) -> NDArray[np.complex64]:
        """Read complex samples, full scale 1.0."""
        ...


class RecordingPlayer:
    """Play a recording's samples from a given position, once or in a gapless loop.

    tuner_hz, inverted : tuned frequency and sense of the receiver, where the file does not state them.

    The sample count continues when the recording restarts; at that seam the recording itself jumps.
    """

    def __init__(
        self,
        recording: Samples,
        time: TimeSource,
        *,
        loops: bool = False,
        start_s: float = 0.0,
        tuner_hz: float | None = None,
        inverted: bool | None = None,
    ) -> None:
        self._recording = recording
        self._loops = loops
        self._place = min(max(round(start_s * recording.rate_hz), 0), max(recording.count - 1, 0))
        self._time = time
        self._index = 0
        self._started_s: float | None = None
        known_hz = recording.tuner_hz if tuner_hz is None else tuner_hz
        self._centre_hz = recording.centre_hz if known_hz is None else known_hz
        self._inverted = recording.inverted if inverted is None else inverted

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities: the recording's centre and rate only."""
        half = self._recording.rate_hz / 2
        span = (self._centre_hz - half, self._centre_hz + half)
        return Capabilities(
            self._recording.path.name, (span,), (self._recording.rate_hz,), ("",), 8, is_live=False,
            fixed_centre_hz=self._centre_hz,
        )  # fmt: skip

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Accept any centre inside the recorded span; the answer is always the recorded centre and rate."""
        low, high = self.capabilities.ranges_hz[0]
        if not low <= ask.centre_hz <= high:
            raise CannotTune(
                f"cannot tune to {format_frequency(ask.centre_hz)}: the recording {self._recording.path.name} covers "
                f"{format_frequency(low)} to {format_frequency(high)}; dial a frequency inside it",
                ask.centre_hz,
            )
        return ActualSettings(self._centre_hz, self._recording.rate_hz, ask.port)

    def read(self) -> Block | None:
        """Next block when it is due; None at the end."""
        if self._loops and self._place >= self._recording.count:
            self._place = 0
        count = min(BLOCK_SAMPLES, self._recording.count - self._place)
        if count <= 0:
            return None
        if self._started_s is None:
            self._started_s = self._time.now_s()
        self._time.sleep_s(self._started_s + (self._index + count) / self._recording.rate_hz - self._time.now_s())
        samples = self._recording.read(self._place, count)
        block = Block(samples.conj() if self._inverted else samples, self._index)
        self._index += count
        self._place += count
        return block

    def seek(self, start_s: float) -> None:
        """Continue at another position; the sample count continues too."""
        self._place = min(max(round(start_s * self._recording.rate_hz), 0), max(self._recording.count - 1, 0))

    def close(self) -> None:
        """Do nothing: no device is open."""


class RecordingDriver:
    """Open recordings by path, followed by `?` and options: format, rate and centre of a raw file, loop, start.

    `open_samples` is supplied by the wiring.
    """

    name = "recording"

    def __init__(self, open_samples: Callable[[Path, str, float | None, float | None], Samples]) -> None:
        self._open_samples = open_samples

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Find nothing: the person chooses a recording."""
        return ()

    def open(self, address: str, time: TimeSource) -> RecordingPlayer:
        """Open `/path?format=cs16&rate=1M&centre=10M&loop=yes&start=2.5`; raises BadRecording or DeviceNotFound."""
        path, query = _split(address)
        try:
            rate_hz = parse_frequency(query["rate"]) if "rate" in query else None
            centre_hz = parse_frequency(query["centre"]) if "centre" in query else None
            start_s = float(query.get("start", "0"))
            tuner_hz = parse_frequency(query["tuner"]) if "tuner" in query else None
        except ValueError as error:
            raise DeviceNotFound(f"what is stated for {path.name} cannot be read: {error}") from error
        recording = self._open_samples(path, query.get("format", ""), rate_hz, centre_hz)
        return RecordingPlayer(
            recording, time, loops=query.get("loop", "no") == "yes", start_s=start_s, tuner_hz=tuner_hz,
            inverted=query["inverted"] == "yes" if "inverted" in query else None,
        )  # fmt: skip


def _split(address: str) -> tuple[Path, dict[str, str]]:
    """Split path and options; a file with a question mark in its name is taken literally."""
    if os.path.exists(address):
        return Path(address), {}
    path, mark, query = address.rpartition("?")
    if not mark:
        return Path(address), {}
    given = dict(parse_qsl(query))
    strange = set(given) - {"format", "rate", "centre", "loop", "start", "tuner", "inverted"}
    if given.get("loop", "no") not in ("yes", "no"):
        raise DeviceNotFound(f"loop={given['loop']} cannot be read: write loop=yes, or leave it away")
    if strange or not given:
        raise DeviceNotFound(f"'{query}' states nothing of a recording: it has format, rate, centre, loop and start")
    return Path(path), given
