"""A driver for Yard Dial, complete: a made-up receiver that hears one steady tone, 440 Hz above its centre."""

import numpy as np

from yarddial.drivers.protocol import (
    ActualSettings,
    Block,
    Capabilities,
    FoundReceiver,
    GainCapability,
    RequestedSettings,
    TimeSource,
)
from yarddial.yard.errors import CannotTune, DeviceNotFound, RefusedValue

BLOCK = 8_192
TONE_HZ = 440.0
ABLE = Capabilities(
    name="Hum",
    ranges_hz=((1e6, 30e6),),
    rates_hz=(48e3, 96e3),
    ports=("antenna",),
    bits=16,
    gains=(GainCapability("gain", (0.0, 10.0, 20.0)),),
)


class HumDriver:
    """What the entry point names: knows which receivers there are, and opens them."""

    name = "hum"

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Receivers that are there, found without opening any."""
        return (FoundReceiver("one", "Hum", "made up"),)

    def open(self, address: str, time: TimeSource) -> "Hum":
        """Open a receiver; `time` is the clock to wait by, real or virtual."""
        if address != "one":
            raise DeviceNotFound(f"there is no receiver 'hum:{address}': there is 'hum:one'")
        return Hum(time)


class Hum:
    """An open receiver. It raises errors of `yarddial.yard.errors` only, one sentence each: what, where, what to do."""

    capabilities = ABLE

    def __init__(self, time: TimeSource) -> None:
        self._time = time
        self._got = ActualSettings(10e6, 48e3, "antenna", gains_db=(("gain", 10.0),))
        self._index = 0
        self._started_s: float | None = None

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Set it, or refuse with nothing changed."""
        low, high = ABLE.ranges_hz[0]
        if not low <= ask.centre_hz <= high:
            raise CannotTune(f"cannot tune to {ask.centre_hz / 1e9:g} GHz with Hum: it covers 1 MHz to 30 MHz")
        if ask.rate_hz not in ABLE.rates_hz or ask.port not in ABLE.ports:
            raise RefusedValue("Hum has 48 and 96 kS/s and one port, 'antenna': choose of these")
        gains = dict(self._got.gains_db) | dict(ask.gains_db)
        if set(gains) != {"gain"}:
            raise RefusedValue("Hum has one gain stage, 'gain': set that")
        nearest = min(ABLE.gains[0].steps_db, key=lambda step: abs(step - gains["gain"]))
        if ask.automatic_gain or ask.bias:
            raise RefusedValue("Hum has neither automatic gain nor a bias feed: set its gain, use an injector")
        if ask.rate_hz != self._got.rate_hz:
            self._started_s = None
        self._got = ActualSettings(ask.centre_hz, ask.rate_hz, ask.port, gains_db=(("gain", nearest),))
        return self._got

    def read(self) -> Block:
        """Wait until a block is due and give it."""
        if self._started_s is None:
            self._started_s = self._time.now_s() - self._index / self._got.rate_hz
        self._time.sleep_s(self._started_s + (self._index + BLOCK) / self._got.rate_hz - self._time.now_s())
        turns = TONE_HZ / self._got.rate_hz * np.arange(self._index, self._index + BLOCK)
        samples = 0.01 * 10 ** (dict(self._got.gains_db)["gain"] / 20) * np.exp(2j * np.pi * (turns % 1.0))
        block = Block(samples.astype(np.complex64), self._index)
        self._index += BLOCK
        return block

    def close(self) -> None:
        """Give it back; may be called twice."""
