"""Plover: a second receiver, written by docs/driver.md alone, with physics of its own; nothing of the simulator's.

Front port: an up-converter of 100 MHz whose oscillator runs 60 ppm fast, one steady station at 5 MHz behind it, noise.
Its rates are what a divider gives; it loses samples and tells it by `first_index` only; an attenuator comes first.
Options behind `one?`: `swap=1`, `dead=1` (the front port hears nothing), `cold=1`, `lossless=1`, `flat=1` (amplifier
does nothing), `one-sided=1`, `seed=N`.
"""

from typing import ClassVar

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

LO_HZ, LO_PPM, STATION_HZ, CRYSTAL_PPM = 100e6, 60.0, 5e6, -21.0
# Cold it is off by so much more, and loses it with this time constant.
COLD_PPM, WARMS_S = 30.0, 200.0
# What is asked for, and what a divider of 73.5 MHz gives.
KEEPS_HZ = {1e6: 73.5e6 / 75, 2e6: 73.5e6 / 37}
BLOCK = 8192
NOISE, STATION = 2e-3, 0.02


class PloverDriver:
    """One receiver, always there."""

    name = "plover"

    def discover(self) -> tuple[FoundReceiver, ...]:
        return (FoundReceiver("one", "Plover", "made up"),)

    def open(self, address: str, time: TimeSource) -> "Plover":
        base, _, query = address.partition("?")
        options = dict(piece.partition("=")[::2] for piece in query.split("&") if piece)
        if base != "one" or set(options) - {"swap", "dead", "cold", "lossless", "flat", "seed", "one-sided"}:
            raise DeviceNotFound(f"there is no Plover '{address}': there is 'one'")
        return Plover(options, time)


class Plover:
    """An open one. `lost` is the truth about its losses."""

    capabilities = Capabilities(
        name="Plover",
        ranges_hz=((30e6, 200e6), (210e6, 900e6)),
        rates_hz=tuple(KEEPS_HZ),
        ports=("front", "back"),
        bits=12,
        gains=(
            GainCapability("attenuator", (-20.0, -10.0, 0.0), "attenuation"),
            GainCapability("amplifier", (0.0, 6.0, 12.0, 18.0)),
        ),
        bandwidths_hz=(500e3, 1e6),
        bias_ports=("back",),
    )
    started: ClassVar[dict[str, float]] = {"attenuator": 0.0, "amplifier": 6.0}

    def __init__(self, options: dict[str, str], time: TimeSource) -> None:
        self._options, self._time = options, time
        self._rng = np.random.default_rng(int(options.get("seed", "1")))
        self._got = ActualSettings(105e6, KEEPS_HZ[1e6], "front", gains_db=tuple(self.started.items()))
        self._index = 0
        self._due_s: float | None = None
        self._opened_s = time.now_s()
        self.lost = 0

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        if not any(low <= ask.centre_hz <= high for low, high in self.capabilities.ranges_hz):
            raise CannotTune(f"Plover cannot tune to {ask.centre_hz / 1e9:g} GHz: it has 30 to 200 and 210 to 900 MHz")
        if ask.rate_hz not in KEEPS_HZ or ask.port not in self.capabilities.ports or ask.automatic_gain:
            raise RefusedValue("Plover has 1 and 2 MS/s, ports 'front' and 'back' and no automatic gain")
        if ask.bias and ask.port != "back":
            raise RefusedValue("Plover feeds its port 'back' only: use an injector")
        gains = dict(self._got.gains_db)
        for name, wanted in ask.gains_db:
            steps = {gain.name: gain.steps_db for gain in self.capabilities.gains}.get(name)
            if steps is None:
                raise RefusedValue(f"Plover has no stage '{name}': it has an attenuator and an amplifier")
            gains[name] = min(steps, key=lambda step: abs(step - wanted))
        rate_hz = KEEPS_HZ[ask.rate_hz]
        restart = rate_hz != self._got.rate_hz
        if restart:
            self._index, self._due_s = 0, None
        # A synthesizer's step of 1 kHz; the filter is the nearest it has.
        width_hz = min((500e3, 1e6), key=lambda width: abs(width - ask.bandwidth_hz)) if ask.bandwidth_hz else 1e6
        self._got = ActualSettings(
            round(ask.centre_hz, -3), rate_hz, ask.port, restart, width_hz, tuple(gains.items()), bias=ask.bias
        )
        return self._got

    def read(self) -> Block:
        rate_hz = self._got.rate_hz
        if "lossless" not in self._options and self._rng.random() < 0.15:
            gone = int(np.exp(self._rng.uniform(0, np.log(3000))))
            self._index += gone
            self.lost += gone
        if self._due_s is None:
            self._due_s = self._time.now_s() - self._index / rate_hz
        self._time.sleep_s(self._due_s + (self._index + BLOCK) / rate_hz - self._time.now_s())
        n = np.arange(self._index, self._index + BLOCK)
        out = NOISE * np.sqrt(rate_hz / 1e6) * (self._rng.standard_normal((BLOCK, 2)) @ np.array([1, 1j])) / np.sqrt(2)
        # The converter's own steps below are 2^-11 wide: the noise reaches over them whatever the gain.
        if self._got.port == "front" and "dead" not in self._options:
            out += STATION * np.exp(2j * np.pi * (self._turns(n / rate_hz) % 1.0))
        gains = dict(self._got.gains_db)
        gain_db = gains["attenuator"] + (0.0 if "flat" in self._options else gains["amplifier"])
        out = out * 10 ** (gain_db / 20)
        out = (np.round(out.real * 2047) + 1j * np.round(out.imag * 2047)) / 2047 + 0.003
        if "one-sided" in self._options:
            # A lead that is broken: one of the two sides is missing, and each line stands on both sides of the centre.
            out = out.real.astype(complex)
        if "swap" in self._options:
            out = out.imag + 1j * out.real
        block = Block(out.astype(np.complex64), self._index)
        self._index += BLOCK
        return block

    def _turns(self, at_s: np.ndarray) -> np.ndarray:
        """Of the station relative to the centre, as a crystal counts that is off and warms up.

        A second that it counts holds 1 / (1 + p) true ones; p = p0 + p1 exp(-t / T), whose integral is known.
        """
        at_socket_hz = STATION_HZ + LO_HZ * (1 + LO_PPM * 1e-6)
        cold = COLD_PPM * 1e-6 if "cold" in self._options else 0.0
        since_s = self._due_s + at_s - self._opened_s if self._due_s is not None else at_s
        crystal = CRYSTAL_PPM * 1e-6 * at_s - cold * WARMS_S * np.exp(-since_s / WARMS_S)
        return (at_socket_hz - self._got.centre_hz) * at_s - at_socket_hz * crystal

    def close(self) -> None:
        self._due_s = None
