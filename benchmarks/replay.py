"""A receiver for the bench that costs next to nothing: one second of samples again and again, at the clock's pace."""

import time

import numpy as np

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings

RATE_HZ = 2.56e6
SIZE = 1 << 16


class Replay:
    """Noise and a carrier, 65 536 samples a block."""

    capabilities = Capabilities("Replay", ((0.0, 2e9),), (RATE_HZ,), ("",), 8)

    def __init__(self) -> None:
        chance = np.random.default_rng(1)
        count = 39 * SIZE
        samples = (chance.standard_normal(2 * count, np.float32) * np.float32(0.05)).view(np.complex64)
        samples += (0.1 * np.exp(2j * np.pi * ((0.1 * np.arange(count)) % 1.0))).astype(np.complex64)
        self._rows = samples.reshape(39, SIZE)
        self._count, self._begun_s = 0, time.monotonic()

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Takes any centre."""
        self._count, self._begun_s = 0, time.monotonic()
        return ActualSettings(ask.centre_hz, RATE_HZ, ask.port)

    def read(self) -> Block:
        """The next block when it is due."""
        due_s = self._begun_s + (self._count + 1) * SIZE / RATE_HZ
        time.sleep(max(due_s - time.monotonic(), 0.0))
        self._count += 1
        return Block(self._rows[self._count % 39], (self._count - 1) * SIZE)

    def close(self) -> None:
        """Nothing to give back."""


def open_replay(address: str) -> Replay:
    """Whatever the address."""
    return Replay()
