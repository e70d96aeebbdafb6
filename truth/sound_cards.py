"""A stand-in for the package sounddevice and the cards behind it: stereo inputs with I and Q of a made-up receiver.

A carrier stands 10 kHz above the centre, as the card's own clock counts; noise is under it. Frames come when somebody
asks the module to let time go by, or by a thread at their own pace.
"""

import threading
import time
from types import ModuleType, SimpleNamespace
from typing import Any, ClassVar

import numpy as np

TONE_HZ, LEVEL, NOISE = 10e3, 0.05, 2e-4


class PortAudioError(Exception):
    """As the package has it."""


class RawInputStream:
    """Calls back from a thread, block after block; `skip` frames are lost before a block where `faults` say so."""

    faults: ClassVar[dict[str, float]] = {}

    def __init__(self, *, samplerate: float, device: int, channels: int, dtype: str, latency: float, callback: Any):
        if "busy" in self.faults:
            raise PortAudioError("Device unavailable")
        assert (channels, dtype) == (2, "float32")
        self._rate_hz, self._callback = samplerate, callback
        self._stop = threading.Event()
        self._rng = np.random.default_rng(3)
        self._frame = 0
        self.active = False
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self.active = True
        self._thread.start()

    def _run(self) -> None:
        size, block = int(self._rate_hz * 0.02), 0
        due_s = time.monotonic()
        while not self._stop.is_set():
            block += 1
            lost = int(self.faults.get("skip", 0)) if block % 7 == 0 else 0
            self._frame += lost
            n = np.arange(self._frame, self._frame + size)
            x = LEVEL * np.exp(2j * np.pi * (TONE_HZ / self._rate_hz * n % 1.0))
            x = x + NOISE * (self._rng.standard_normal(size) + 1j * self._rng.standard_normal(size))
            if "silent" in self.faults:
                x = np.zeros(size)
            data = x.astype(np.complex64).tobytes()
            when = SimpleNamespace(inputBufferAdcTime=100.0 + self._frame / self._rate_hz)
            self._callback(data, size, when, SimpleNamespace(input_overflow=bool(lost)))
            self._frame += size
            due_s += size / self._rate_hz
            if self.faults.get("gone") == block:
                self.active = False
                return
            time.sleep(max(due_s - time.monotonic(), 0))

    def close(self) -> None:
        self._stop.set()
        self.active = False
        if self._thread.is_alive():
            self._thread.join(1.0)


def installed(**faults: float) -> ModuleType:
    """The module, to be put in the place of the real one."""
    made = ModuleType("sounddevice")
    stream = type("RawInputStream", (RawInputStream,), {"faults": dict(faults)})

    def check_input_settings(device: int, channels: int, dtype: str, samplerate: float) -> None:
        if samplerate not in (48e3, 96e3, 192e3):
            raise PortAudioError("Invalid sample rate")

    cards = [
        {"name": "Line in", "max_input_channels": 2, "hostapi": 0},
        {"name": "Microphone", "max_input_channels": 1, "hostapi": 0},
        {"name": "Line in", "max_input_channels": 2, "hostapi": 0},
    ]
    made.__dict__.update(
        PortAudioError=PortAudioError,
        RawInputStream=stream,
        check_input_settings=check_input_settings,
        query_devices=lambda: cards,
        query_hostapis=lambda: [{"name": "Made up"}],
        _terminate=lambda: None,
        _initialize=lambda: None,
    )
    return made
