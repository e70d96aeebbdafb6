"""Prediction of ghosts against the simulator's samples on 300 random scenes: all that is there, and nothing else."""

import msgspec
import numpy as np

from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.scene import Ghost, ReceiverModel, Scene
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.front_end import FrontEnd
from yarddial.drivers.simulated.receiver import FINCH, SimulatedReceiver
from yarddial.drivers.simulated.transmitters import Transmitter
from yarddial.drivers.simulated.world import World, WorldPort
from yarddial.drivers.time_source import VirtualTime
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.strong import Strong

SCENES, RATE_HZ, BINS, LINES = 300, 2.048e6, 1 << 16, 12
# Peaks so far over the floor count as there; predicted ones so far over it must be.
THERE_DB, MUST_DB = 12.0, 16.0
WITHIN_BINS, LEVEL_DB = 1.0, 3.0
MOST_SAID = 20


def prove() -> bool:
    """Completeness, level, and false predictions."""
    return all([_prove(richer=False), _prove(richer=True)])


def _prove(*, richer: bool) -> bool:
    there = missed = levelled = predicted = false = 0
    kinds: dict[str, int] = {}
    for seed in range(SCENES):
        scene = RandomScene(seed, richer=richer)
        level_dbm, floor_dbm = scene.measured()
        ghosts = predict(scene.scene, scene.dial_hz, RATE_HZ, floor_dbm + 3.0, 3, with_true=True)
        bins, power = _by_bin(ghosts, scene)
        true_bins = [b for b, g in zip(bins, ghosts, strict=True) if g.kind == "true"]
        peaks = _peaks(level_dbm, floor_dbm + THERE_DB, true_bins)
        for peak in peaks:
            there += 1
            near = np.flatnonzero(np.abs(_apart(bins, peak)) <= WITHIN_BINS) if bins.size else np.empty(0, int)
            if not near.size:
                missed += 1
                if missed < MOST_SAID:
                    print(f"scene {seed}: {level_dbm[peak]:.1f} dBm at bin {peak} is not predicted ({scene.words})")
                continue
            total = 10 * np.log10(np.sum(10 ** (power[near] / 10)))
            levelled += abs(total - level_dbm[peak]) <= LEVEL_DB
            best = ghosts[int(near[np.argmax(power[near])])]
            kinds[best.kind] = kinds.get(best.kind, 0) + 1
        for ghost, where, dbm in zip(ghosts, bins.tolist(), power.tolist(), strict=True):
            if ghost.kind == "true" or dbm < floor_dbm + MUST_DB or _is_hidden(where, true_bins):
                continue
            predicted += 1
            around = level_dbm[(np.arange(-2, 3) + round(where)) % BINS]
            false += around.max() < dbm - 6.0
    good = missed == 0 and levelled >= 0.9 * there and false <= 0.05 * predicted
    name = "richer scenes" if richer else "scenes"
    print(
        f"{'ok  ' if good else 'MISS'} {SCENES} {name}: {there} ghosts there, {missed} not predicted; "
        f"{levelled / there:.1%} within {LEVEL_DB:g} dB; {predicted} predicted over the floor, "
        f"{false / max(predicted, 1):.1%} not there"
    )
    print("     " + ", ".join(f"{count} {kind}" for kind, count in sorted(kinds.items())))
    return good


class RandomScene:
    """A receiver with faults of its own, no converter or one, and carriers of all strengths."""

    def __init__(self, seed: int, *, richer: bool = False) -> None:
        chance = np.random.default_rng(seed)
        bits = int(chance.choice((10, 12, 14)))
        full_dbm = float(chance.uniform(-40, -15))
        # The antenna's noise moves the lowest bit: gain is right.
        noise_dbm_hz = full_dbm - 6.02 * bits + 5.0 - 10 * np.log10(RATE_HZ)
        has_converter = chance.random() < 0.6
        lo_hz = float(chance.choice((100e6, 120e6, 125e6)))
        stages = (Stage("sum", lo_hz, float(chance.normal(0, 500.0)), "Ladder"),) if has_converter else ()
        isolation_db = float(chance.uniform(35, 55))
        leak_dbm = float(full_dbm - chance.uniform(25, 50))
        self.dial_hz = round(float(chance.uniform(3e6, 25e6) if has_converter else chance.uniform(70e6, 300e6)), -3)
        front = FrontEnd(
            bits, 10 ** (-chance.uniform(1.3, 2.0)) * np.exp(1j * chance.uniform(0, 6.28)),
            1 + float(chance.uniform(0.005, 0.04)), float(chance.uniform(0.2, 2.0)), float(chance.uniform(12, 22)),
            float(chance.uniform(30, 50)), float(chance.uniform(35, 55)), float(chance.choice((24e6, 26e6, 28.8e6))),
            float(full_dbm - chance.uniform(40, 60)),
        )  # fmt: skip
        strong = self._strong(chance, full_dbm, self.dial_hz, lo_hz if has_converter else 0.0)
        more = np.random.default_rng(seed + 70_000)
        if richer:
            front = msgspec.structs.replace(
                front, even_db=float(more.uniform(40, 60)), fifth_db=float(more.uniform(45, 65)),
                if_hz=float(more.choice((3.57e6, 4.6e6, 10.7e6))), image_db=float(more.uniform(30, 55)),
                half_if_over_full_db=float(more.uniform(15, 35)), reference_hz=float(more.choice((100e3, 250e3))),
                reference_db=float(more.uniform(45, 65)), third_over_full_db=float(more.uniform(24, 34)),
                quarter_dbfs=float(more.uniform(-75, -55)),
            )  # fmt: skip
            strong = (*strong[:2], *self._far(more, full_dbm, front, lo_hz if has_converter else 0.0))
        ppm = float(chance.uniform(-40, 40))
        port = WorldPort(
            "x", "x", stages, noise_dbm_hz, full_dbm, leak_dbm if has_converter else float("-inf"),
            isolation_db if has_converter else float("inf"),
        )  # fmt: skip
        carriers = tuple(Transmitter(s.name, s.frequency_hz, s.level_dbm, "carrier", "x") for s in strong)
        world = World(carriers, (port,), ppm, seed, front, reference_gain_db=25.5)
        self.world, self.full_dbm = world, full_dbm
        model = ReceiverModel(
            iip2_dbm=full_dbm + front.iip2_over_full_db, iip3_dbm=full_dbm + front.iip3_over_full_db,
            mirror_db=front.mirror_db, harmonic_db=front.harmonic_db, crystal_hz=front.crystal_hz,
            crystal_dbm=front.crystal_dbm, spike_dbm=full_dbm + 20 * np.log10(abs(front.spike)), ppm=ppm,
        )  # fmt: skip
        if richer:
            model = msgspec.structs.replace(
                model, even_db=front.even_db, fifth_db=front.fifth_db, if_hz=front.if_hz, image_db=front.image_db,
                half_if_dbm=full_dbm + front.half_if_over_full_db, reference_hz=front.reference_hz,
                reference_db=front.reference_db, third_dbm=full_dbm + front.third_over_full_db,
                quarter_dbm=full_dbm + front.quarter_dbfs,
            )  # fmt: skip
        self.scene = Scene(
            strong, stages, model, None, isolation_db if has_converter else None, leak_dbm if has_converter else None
        )
        over = "converter" if has_converter else "direct"
        self.words = f"{bits} bits, {len(strong)} signals, {over}, dial {self.dial_hz / 1e6:.3f}"

    def _strong(self, chance: np.random.Generator, full_dbm: float, dial_hz: float, lo_hz: float) -> tuple[Strong, ...]:
        """Up to four: some in the span, some beside it, some where a ghost of theirs comes into it."""
        places = [
            dial_hz + float(chance.uniform(-0.38, 0.38)) * RATE_HZ,
            dial_hz + float(chance.uniform(0.62, 0.9)) * RATE_HZ * float(chance.choice((-1, 1))),
            3 * (dial_hz + lo_hz) - lo_hz + float(chance.uniform(-0.3, 0.3)) * RATE_HZ,
            dial_hz + lo_hz + float(chance.uniform(-0.3, 0.3)) * RATE_HZ,
            (dial_hz + lo_hz) / 2 + float(chance.uniform(-0.1, 0.1)) * RATE_HZ,
            float(chance.uniform(1e6, 400e6)),
            dial_hz + float(chance.uniform(1, 5)) * RATE_HZ,
        ]
        chosen = chance.permutation(len(places))[: int(chance.integers(2, 5))]
        return tuple(
            Strong(places[i], float(full_dbm - chance.uniform(14, 34)), f"S{n}") for n, i in enumerate(chosen.tolist())
        )

    def _far(self, more: np.random.Generator, full_dbm: float, front: FrontEnd, lo_hz: float) -> tuple[Strong, ...]:
        """Two where the tuner's other answers bring them into the span."""
        here_hz = self.dial_hz + lo_hz
        spread = more.uniform(-0.35, 0.35, 5) * RATE_HZ
        socket_hz = [
            here_hz + 2 * front.if_hz + spread[0], here_hz + front.if_hz / 2 + spread[1] / 2, 2 * here_hz + spread[2],
            4 * here_hz + spread[3], 5 * here_hz + spread[4],
        ]  # fmt: skip
        chosen = more.permutation(5)[:2]
        return tuple(
            Strong(float(socket_hz[i] - lo_hz), float(full_dbm - more.uniform(12, 24)), f"F{i}")
            for i in chosen.tolist()
        )

    def measured(self) -> tuple[np.ndarray, float]:
        """Levels by bin, dBm, low end first, and the floor of a bin."""
        device = SimulatedReceiver(self.world, VirtualTime(), FINCH)
        lo_hz = sum(stage.lo_hz for stage in self.world.ports[0].stages)
        device.apply(RequestedSettings(self.dial_hz + lo_hz, RATE_HZ, "x"))
        return levels(device, self.full_dbm)


def levels(device: SimulatedReceiver, full_dbm: float) -> tuple[np.ndarray, float]:
    """What a receiver shows by bin, dBm, low end first, and the floor of a bin; full_dbm fills its converter."""
    blocks, have = [], 0
    while have < BINS * LINES:
        blocks.append(device.read().samples)
        have += blocks[-1].size
    samples = np.concatenate(blocks)[: BINS * LINES].reshape(LINES, BINS)
    n = np.arange(BINS)
    # Four-term Blackman-Harris window: sidelobes 92 dB down.
    window = sum(a * np.cos(2 * np.pi * k * n / BINS) for k, a in enumerate((0.35875, -0.48829, 0.14128, -0.01168)))
    spectra = np.abs(np.fft.fft(samples * window, axis=1) / window.sum()) ** 2
    level = 10 * np.log10(np.maximum(np.fft.fftshift(spectra.mean(axis=0)), 1e-30)) + full_dbm
    return level, float(np.median(level))


def _by_bin(ghosts: tuple[Ghost, ...], scene: RandomScene) -> tuple[np.ndarray, np.ndarray]:
    lo_hz = sum(stage.lo_hz for stage in scene.world.ports[0].stages)
    centre_hz = scene.dial_hz + lo_hz
    bins = np.array([(g.counted_hz - centre_hz) / RATE_HZ * BINS + BINS / 2 for g in ghosts])
    return bins, np.array([g.level_dbm for g in ghosts])


def _apart(bins: np.ndarray, peak: float) -> np.ndarray:
    return (bins - peak + BINS / 2) % BINS - BINS / 2


def _is_hidden(where: float, true_bins: list[float]) -> bool:
    return any(abs(where - b) < 12 for b in true_bins)


def _peaks(level_dbm: np.ndarray, min_dbm: float, true_bins: list[float]) -> list[int]:
    tops = (level_dbm[1:-1] >= level_dbm[:-2]) & (level_dbm[1:-1] > level_dbm[2:]) & (level_dbm[1:-1] > min_dbm)
    found = sorted((np.flatnonzero(tops) + 1).tolist(), key=lambda i: -float(level_dbm[i]))
    kept: list[int] = []
    for peak in found:
        # The skirts of a stronger line are none of their own.
        if not _is_hidden(peak, true_bins) and all(abs(peak - other) > 6 for other in kept):
            kept.append(peak)
    return kept
