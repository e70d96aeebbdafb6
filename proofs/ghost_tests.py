"""True or ghost: 1,000 peaks of the simulator's samples judged by tests, half of them ghosts of all kinds."""

import msgspec
import numpy as np

from ghosts import RATE_HZ, RandomScene
from yarddial.analysis.ghosts.judging import SpanRecord, causes, judge
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.span import Span
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.front_end import FrontEnd
from yarddial.drivers.simulated.receiver import FINCH, HERON, SimulatedReceiver
from yarddial.drivers.simulated.world import World
from yarddial.drivers.time_source import VirtualTime
from yarddial.yard.frequency_conversion import Stage

MOST_SAID = 8
PEAKS, BINS, LINES = 1_000, 1 << 14, 24
MOVED_HZ, LESS_DB, OTHER_RATE_HZ, PLAIN_RATE_HZ = 130e3, 6.0, 2.4e6, 2e6


# Looks besides the first, by how many recordings there are: the centre alone, and the rate, and attenuation.
RECORDINGS = {2: ("centre",), 3: ("centre", "rate"), 4: ("centre", "rate", "attenuation")}


def prove() -> bool:
    """By all that the program looks at, and by few recordings."""
    return all([_all_looks(), _all_looks(richer=True), _few_looks()])


def _few_looks() -> bool:
    """By two, three and four recordings: seldom wrong, and what is open is told with the test that would help."""
    good = True
    for recordings, changes in RECORDINGS.items():
        counts, balance, named, seed = {"right": 0, "wrong": 0, "unsure": 0}, [0, 0], 0, 5_000
        trues = 0
        while sum(balance) < PEAKS:
            for is_true, verdict, missing, _ in _judge(RandomScene(seed), changes):
                if balance[is_true] >= PEAKS // 2:
                    continue
                balance[is_true] += 1
                how = "unsure" if verdict == "unsure" else "right" if (verdict == "true") == is_true else "wrong"
                counts[how] += 1
                named += verdict == "unsure" and missing is not None
                trues += is_true and verdict == "true"
            seed += 1
        fine = counts["wrong"] <= 0.01 * PEAKS and named == counts["unsure"]
        good = good and fine
        print(
            f"{'ok  ' if fine else 'MISS'} {recordings} recordings, {PEAKS} peaks: "
            f"{counts['right'] / PEAKS:.1%} right, {counts['wrong'] / PEAKS:.1%} wrong, {counts['unsure']} open, "
            f"{named} of these with the test that would tell; {trues} of {balance[1]} true ones are called so",
            flush=True,
        )
    return good


def _all_looks(*, richer: bool = False) -> bool:
    """Right, wrong, unsure; true and ghosts alike often. Richer: with the faults of a tuner and a converter besides."""
    counts = {"right": 0, "wrong": 0, "unsure": 0}
    unsure_named, kinds, balance = 0, {}, [0, 0]
    seed = 0
    while sum(balance) < PEAKS:
        scene = RandomScene(seed, richer=richer)
        seed += 1
        judged = _judge(scene)
        for is_true, verdict, missing, kind in judged:
            if balance[is_true] >= PEAKS // 2:
                continue
            balance[is_true] += 1
            if verdict == "unsure":
                counts["unsure"] += 1
                unsure_named += missing is not None
                if counts["unsure"] <= MOST_SAID:
                    print(f"scene {seed - 1}: a {kind} is left open, {missing} would tell ({scene.words})")
            elif (verdict == "true") == is_true:
                counts["right"] += 1
                kinds[kind] = kinds.get(kind, 0) + 1
            else:
                counts["wrong"] += 1
                print(f"scene {seed - 1}: a {kind} was called {verdict} ({scene.words})")
    total = sum(balance)
    good = counts["right"] >= (0.97 if richer else 0.98) * total and counts["wrong"] <= 0.005 * total
    name = "richer scenes" if richer else "scenes"
    print(
        f"{'ok  ' if good else 'MISS'} {total} peaks of {seed} {name}: {counts['right'] / total:.1%} right, "
        f"{counts['wrong'] / total:.1%} wrong, {counts['unsure']} unsure, {unsure_named} of these with the test named"
    )
    print("     right: " + ", ".join(f"{count} {kind}" for kind, count in sorted(kinds.items())))
    return good


def _judge(scene: RandomScene, changes: tuple[str, ...] = ()) -> list[tuple[bool, str, str | None, str]]:
    """Truth, verdict, the test that is missing and the kind of each peak; by some changes or by all."""
    before = _span(scene, scene.world, scene.dial_hz, RATE_HZ)
    weaker = tuple(msgspec.structs.replace(t, level_dbm=t.level_dbm - LESS_DB) for t in scene.world.transmitters)
    looks = [
        *(
            SpanRecord("centre", hz, _span(scene, scene.world, scene.dial_hz + hz, RATE_HZ))
            for hz in (MOVED_HZ, -MOVED_HZ)
        ),
        SpanRecord(
            "attenuation",
            LESS_DB,
            _span(scene, msgspec.structs.replace(scene.world, transmitters=weaker), scene.dial_hz, RATE_HZ),
        ),
        SpanRecord("rate", OTHER_RATE_HZ - RATE_HZ, _span(scene, scene.world, scene.dial_hz, OTHER_RATE_HZ)),
    ]
    if scene.world.ports[0].stages:
        # Another receiver on the same antenna, without a converter.
        looks.append(
            SpanRecord("route", 0.0, _span(scene, _plain(scene.world), scene.dial_hz, PLAIN_RATE_HZ, converted=False))
        )
    if changes:
        # One recording of each.
        looks = [look for look in looks if look.change in changes and look.amount != -MOVED_HZ]
    ghosts = predict(scene.scene, scene.dial_hz, RATE_HZ, before.floor_dbm, 3, with_true=True)
    found = []
    for peak in before.peaks():
        near = [g for g in ghosts if abs(g.dial_hz - peak.dial_hz) < 2 * before.step_hz]
        if not near:
            continue
        strongest = max(near, key=lambda g: g.level_dbm)
        able = causes(
            peak.dial_hz, peak.level_dbm, ghosts, before.step_hz, has_converter=bool(scene.scene.stages), seen=before
        )
        told = judge(able, peak, looks)
        found.append((strongest.kind == "true", told.verdict, told.missing, strongest.kind))
    return found


def _plain(world: World) -> World:
    port = msgspec.structs.replace(world.ports[0], stages=(), lo_leak_dbm=float("-inf"), isolation_db=float("inf"))
    # Its front end is a good one in every way.
    plain = world.front
    front = FrontEnd(plain.bits, iip3_over_full_db=plain.iip3_over_full_db, iip2_over_full_db=plain.iip2_over_full_db)
    return msgspec.structs.replace(world, ports=(port,), front=front, reference_gain_db=48.0)


def _span(scene: RandomScene, world: World, dial_hz: float, rate_hz: float, *, converted: bool = True) -> Span:
    """Measure it: the receiver tuned to a centre on the dial."""
    device = SimulatedReceiver(world, VirtualTime(), FINCH if converted else HERON)
    stages: tuple[Stage, ...] = world.ports[0].stages if converted else ()
    lo_hz = sum(stage.lo_hz for stage in stages)
    device.apply(RequestedSettings(dial_hz + lo_hz, rate_hz, "x"))
    blocks, have = [], 0
    while have < BINS * LINES:
        blocks.append(device.read().samples)
        have += blocks[-1].size
    samples = np.concatenate(blocks)[: BINS * LINES].reshape(LINES, BINS)
    window = np.kaiser(BINS, 12.0)
    spectra = np.abs(np.fft.fft(samples * window, axis=1) / window.sum()) ** 2
    level = 10 * np.log10(np.fft.fftshift(spectra.mean(axis=0))) + scene.full_dbm
    step_hz = rate_hz / BINS
    # Oscillators are known to some hundreds of hertz here, on another route too.
    within_hz = 2 * step_hz if converted else 15e3
    return Span(dial_hz - rate_hz / 2, step_hz, level, dial_hz, rate_hz, within_hz)
