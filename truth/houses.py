"""Houses with something in them that disturbs: samples at an antenna while people switch things off.

Made from what such things are: a switching supply is a line at every multiple of its clock, which wanders with warmth
and carries the mains' ripple; a dimmer or an arcing insulator is noise in pulses at twice the mains; a cable network
fills a band with noise. Stations stand among it. Nothing of ours is imported.
"""

from dataclasses import dataclass, field

import numpy as np

RATE_HZ, SECONDS = 1.024e6, 0.4096


@dataclass(frozen=True)
class Source:
    """One disturber: where it hangs, how strong (dB over the receiver's noise), and what it is."""

    name: str
    kind: str
    where: str
    over_db: float
    clock_hz: float = 0.0
    band: tuple[float, float] = (0.0, 0.0)
    mains_hz: float = 0.0
    # Of the time it is on, and how long it stays so; by itself, as a thermostat does.
    duty: float = 1.0
    by_feed_line: bool = False


@dataclass
class House:
    """Sources in rooms, at the computer, or outside; everything on until somebody switches it off."""

    seed: int
    sources: tuple[Source, ...]
    rooms: dict[str, tuple[str, ...]]
    centre_hz: float
    off: set[str] = field(default_factory=set)
    antenna: bool = True
    choked: bool = False
    looked: int = 0
    air: np.ndarray | None = None

    def samples(self) -> np.ndarray:
        """What the receiver gets now, shape (n,), its own noise of power 1."""
        self.looked += 1
        chance = np.random.default_rng(self.seed * 1000 + self.looked)
        count = int(RATE_HZ * SECONDS)
        out = (chance.normal(size=count) + 1j * chance.normal(size=count)) / np.sqrt(2)
        if self.antenna:
            # The same stations all the time.
            self.air = self._stations(count) if self.air is None else self.air
            out += self.air
        for number, source in enumerate(self.sources):
            if self._is_off(source, chance):
                continue
            level = 10 ** (source.over_db / 20) * (0.25 if self.choked and source.by_feed_line else 1.0)
            out += level * self._of(source, count, np.random.default_rng(self.seed * 77 + number), chance)
        return out.astype(np.complex64)

    def _is_off(self, source: Source, chance: np.random.Generator) -> bool:
        if chance.random() > source.duty:
            return True
        if source.where in ("receiver", "charger"):
            return source.where in self.off
        return (
            not self.antenna
            or source.where in self.off
            or source.name in self.off
            or ("mains" in self.off and source.where not in ("outside", "batteries", "away"))
        )

    def _stations(self, count: int) -> np.ndarray:
        fixed = np.random.default_rng(self.seed + 5)
        times = np.arange(count) / RATE_HZ
        out = np.zeros(count, complex)
        for _ in range(int(fixed.integers(2, 9))):
            place, level = fixed.uniform(-0.45, 0.45) * RATE_HZ, 10 ** (fixed.uniform(-28, 5) / 20)
            speech = 1 + 0.5 * np.sin(2 * np.pi * fixed.uniform(300, 900) * times)
            out += level * speech * np.exp(2j * np.pi * place * times)
        return out

    def _of(self, source: Source, count: int, own: np.random.Generator, now: np.random.Generator) -> np.ndarray:
        times = np.arange(count) / RATE_HZ
        ripple = 1.0
        if source.mains_hz:
            ripple = 1 + 0.6 * np.cos(2 * np.pi * source.mains_hz * times + own.uniform(0, 6))
        if source.kind == "comb":
            # Its clock wanders by some thousandths from look to look, and within one.
            clock = source.clock_hz * (1 + now.normal(0, 3e-4))
            turns = np.cumsum(now.normal(0, 1.5e-3, count))
            # All lines at once, each to the nearest two hertz.
            lines = np.zeros(count, complex)
            first = int((self.centre_hz - RATE_HZ / 2) / clock)
            for times_clock in range(first, int((self.centre_hz + RATE_HZ / 2) / clock) + 1):
                away = times_clock * clock - self.centre_hz
                if abs(away) < 0.49 * RATE_HZ:
                    lines[round(away * count / RATE_HZ) % count] += own.uniform(0.5, 1.3) * np.exp(
                        1j * own.uniform(0, 6)
                    )
            out = np.fft.ifft(lines) * count * np.exp(1j * turns)
            return out * ripple * 0.06
        noise = (now.normal(size=count) + 1j * now.normal(size=count)) / np.sqrt(2)
        if source.kind == "pulses":
            # Short bursts where the mains crosses nought or peaks.
            phase = (times * source.mains_hz + own.random()) % 1.0
            return noise * (phase < 0.12) * 3.0
        low, high = source.band
        hertz = np.fft.fftfreq(count, 1 / RATE_HZ)
        return np.fft.ifft(np.fft.fft(noise) * ((hertz >= low) & (hertz <= high))) * 1.5


ROOMS = ("kitchen", "office", "living room", "bedroom", "cellar", "workshop")


def house(seed: int) -> tuple[House, str]:
    """A house and who is to be found: a device, a room's, the charger, the receiver, or the outside."""
    chance = np.random.default_rng(seed + 900)
    rooms = {
        name: tuple(
            f"{name} {thing}" for thing in ("lamp", "television", "charger", "router")[: int(chance.integers(2, 5))]
        )
        for name in chance.permutation(ROOMS)[: int(chance.integers(3, 6))].tolist()
    }
    centre_hz = float(chance.uniform(2e6, 25e6))
    where = str(chance.choice(["room", "room", "room", "room", "outside", "charger", "receiver"]))
    device = ""
    if where == "room":
        room = str(chance.choice(sorted(rooms)))
        device, where = str(chance.choice(rooms[room])), room
    culprit = _source(chance, device or where, where, float(chance.uniform(6, 18)))
    if device and chance.random() < 0.2:
        # A thermostat's: on two thirds of the time.
        culprit = Source(**{**culprit.__dict__, "duty": 0.85})
    others = [
        _source(chance, rooms[name][0], name, float(chance.uniform(-16, -8)))
        for name in sorted(rooms)
        if name != where and chance.random() < 0.5
    ]
    truth = (
        device
        or {
            "outside": "something outside the house",
            "charger": "the computer's charger",
            "receiver": "the receiver or the computer",
        }[where]
    )
    return House(seed, (culprit, *others), rooms, centre_hz), truth


def _source(chance: np.random.Generator, name: str, where: str, over_db: float) -> Source:
    kind = str(chance.choice(["comb", "comb", "pulses", "band"]))
    mains_hz = float(chance.choice([0.0, 100.0, 120.0])) if kind == "comb" else float(chance.choice([100.0, 120.0]))
    low = float(chance.uniform(-0.45, 0.0)) * RATE_HZ
    return Source(
        name,
        kind,
        where,
        over_db,
        float(chance.uniform(18e3, 130e3)),
        (low, low + float(chance.uniform(0.2, 0.4)) * RATE_HZ),
        mains_hz if kind != "band" else 0.0,
        by_feed_line=bool(chance.random() < 0.3),
    )
