"""Cures against the simulator's samples: 300 channels with a ghost in them, and what the first remedy makes of each.

A weak wanted carrier stands beside the ghost. A case is cured when the channel holds that carrier, as strong as it
was, and nothing else; it is curable when any change at all (a grid of centres, rates, gains, attenuators, another
receiver, tried on the samples one by one, not on the prediction) brings that about.
"""

from collections.abc import Iterator

import msgspec
import numpy as np

from ghost_tests import _plain
from ghosts import BINS, RATE_HZ, RandomScene, levels
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.remedies import Able, Remedy, SpanScene, WantedChannel, remedies
from yarddial.analysis.ghosts.scene import Ghost, ReceiverModel, Scene
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.plugs import Plug
from yarddial.drivers.simulated.receiver import FINCH, FINCH_STEPS_DB, HERON, SimulatedReceiver
from yarddial.drivers.simulated.transmitters import Transmitter
from yarddial.drivers.simulated.world import World
from yarddial.drivers.time_source import VirtualTime
from yarddial.yard.frequency_conversion import Stage

CASES, GAIN_DB, PLAIN_RATE_HZ, PLAIN_GAIN_DB = 300, 25.5, 2e6, 48.0
CHANNEL_HZ, BESIDE_HZ = 2_700.0, 900.0
# A ghost that is to be cured; the wanted carrier; what counts as nothing; as much as the wanted one may have changed.
THERE_DB, WANTED_DB, NOTHING_DB, KEPT_DB, HEARD_DB = 12.0, 28.0, 6.0, 3.0, 10.0
RATES_HZ = (1.024e6, 1.536e6, 2.048e6, 2.4e6, 2.56e6)


def prove() -> bool:
    """Of a plain receiver, and of one with a tuner's and a converter's own faults besides."""
    return all([_prove(richer=False), _prove(richer=True)])


def _prove(*, richer: bool) -> bool:
    """The first proposal of every case; every other proposal as well, by its kind."""
    cases = cured = curable = none_said = 0
    by_kind: dict[str, list[int]] = {}
    ghosts: dict[str, int] = {}
    seed = 0
    while cases < CASES:
        case = _case(seed, richer=richer)
        seed += 1
        if case is None:
            continue
        cases += 1
        ghosts[case.ghost.kind] = ghosts.get(case.ghost.kind, 0) + 1
        proposed = remedies(case.setting, case.channel, case.ghost, case.able)
        clean = [case.is_clean(case.applied(one)) for one in proposed]
        for one, good in zip(proposed, clean, strict=True):
            tally = by_kind.setdefault(one.kind, [0, 0])
            tally[0] += good
            tally[1] += 1
        if proposed and clean[0]:
            cured, curable = cured + 1, curable + 1
            continue
        can_be = any(clean) or case.can_be_cured()
        curable += can_be
        none_said += not proposed
        if can_be:
            first = proposed[0].words if proposed else "nothing"
            print(f"scene {seed - 1}: a {case.ghost.kind} was not cured by: {first} ({case.scene.words})")
    good = cured >= 0.95 * curable
    what = "richer scenes" if richer else "scenes"
    print(
        f"{'ok  ' if good else 'MISS'} {cases} ghosts of {seed} {what}, {curable} curable: the first remedy leaves the "
        f"wanted channel clean in {cured / curable:.1%}; nothing was proposed for {none_said}"
    )
    print("     clean by kind: " + ", ".join(f"{kind} {a} of {b}" for kind, (a, b) in by_kind.items()))
    print("     ghosts: " + ", ".join(f"{count} {kind}" for kind, count in sorted(ghosts.items())))
    return good


class Applied(msgspec.Struct):
    """How the simulated receiver is set up: its world, where it looks, its gain, and what the wanted one costs."""

    world: World
    centre_hz: float
    rate_hz: float
    scene: Scene
    less_db: float = 0.0
    costs_db: float = 0.0
    plain: bool = False


class Case:
    """One ghost in the wanted channel of a random scene."""

    def __init__(self, scene: RandomScene, ghost: Ghost, floor_dbm: float) -> None:
        self.scene, self.ghost = scene, ghost
        self.channel = WantedChannel(ghost.dial_hz, CHANNEL_HZ)
        self.setting = SpanScene(scene.scene, scene.dial_hz, RATE_HZ, floor_dbm)
        self.wanted_dbm = floor_dbm + WANTED_DB
        wanted_dial_hz = ghost.dial_hz + BESIDE_HZ
        # Where it is on the air, for the dial to show it there.
        self.wanted_hz = 2 * wanted_dial_hz - _dial_of(scene.scene, wanted_dial_hz)
        more = Transmitter("wanted", self.wanted_hz, self.wanted_dbm, "carrier", "x")
        self.world = msgspec.structs.replace(scene.world, transmitters=(*scene.world.transmitters, more))
        bits = scene.world.front.bits
        window_db = 10 * np.log10(2.0 / BINS)
        plain = SpanScene(_plain_scene(scene), scene.dial_hz, PLAIN_RATE_HZ, floor_dbm)
        self.able = Able(
            RATES_HZ,
            tuple(GAIN_DB - step for step in reversed(FINCH_STEPS_DB) if step < GAIN_DB),
            scene.full_dbm - 6.02 * bits - 1.76 + window_db,
            lambda hertz: any(low <= hertz <= high for low, high in FINCH.ranges_hz),
            (("another receiver", plain),) if scene.scene.stages else (),
            own_lo=True,
        )

    def applied(self, one: Remedy) -> Applied:
        """A remedy on the simulated receiver."""
        world, port = self.world, self.world.ports[0]
        if one.kind == "route":
            return Applied(_plain(world), one.setting.centre_hz, PLAIN_RATE_HZ, one.setting.scene, plain=True)
        if one.lo_hz:
            stage = port.stages[0]
            other = Stage("sum", one.lo_hz, stage.lo_error_hz * one.lo_hz / stage.lo_hz, stage.name)
            world = _with_port(world, stages=(other,))
        if one.part is not None:
            part = one.part
            world = _with_port(
                world, plugs=(Plug("x", part.what, part.low_hz, part.high_hz, part.poles, part.takes_db),)
            )
        costs_db = one.costs_db if one.part is not None else 0.0
        setting = one.setting
        return Applied(
            world, setting.centre_hz, setting.rate_hz, setting.scene, one.less_db if one.part is None else 0.0, costs_db
        )

    def can_be_cured(self) -> bool:
        """By anything at all, on the samples."""
        return any(self.is_clean(how) for how in self._everything())

    def _everything(self) -> Iterator[Applied]:
        plain, scene = Applied(self.world, self.scene.dial_hz, RATE_HZ, self.scene.scene), self.scene.scene
        for rate_hz in RATES_HZ:
            for share in np.arange(-0.36, 0.37, 0.06).tolist():
                yield msgspec.structs.replace(
                    plain, rate_hz=rate_hz, centre_hz=round(self.channel.dial_hz + share * rate_hz, -3)
                )
        for less_db in self.able.less_db:
            yield msgspec.structs.replace(plain, less_db=less_db)
        for takes_db in (3.0, 6.0, 10.0, 15.0, 20.0):
            world = _with_port(self.world, plugs=(Plug("x", "attenuator", takes_db=takes_db),))
            yield msgspec.structs.replace(plain, world=world, costs_db=takes_db)
        if scene.stages:
            yield Applied(_plain(self.world), self.scene.dial_hz, PLAIN_RATE_HZ, _plain_scene(self.scene), plain=True)

    def is_clean(self, how: Applied) -> bool:
        """The channel holds the wanted carrier, and nothing else over the floor."""
        level, floor_dbm = _measured(how, self.scene.full_dbm)
        wanted_hz = _dial_of(how.scene, self.wanted_hz)
        step_hz = how.rate_hz / BINS
        dial_hz = how.centre_hz + (np.arange(BINS) - BINS / 2) * step_hz
        beside_hz = dial_hz - wanted_hz
        line = np.abs(beside_hz) < 6 * step_hz
        rest = (np.abs(beside_hz + BESIDE_HZ) < CHANNEL_HZ / 2) & ~line
        if not line.any() or not rest.any():
            return False
        heard_dbm = float(level[line].max())
        should_dbm = self.wanted_dbm - how.costs_db
        kept = abs(heard_dbm - should_dbm) < KEPT_DB and heard_dbm > floor_dbm + HEARD_DB
        return bool(kept and level[rest].max() < floor_dbm + NOTHING_DB)


def _case(seed: int, *, richer: bool = False) -> Case | None:
    """One ghost of a scene that the samples show, chosen at random; None where there is none."""
    scene = RandomScene(seed, richer=richer)
    how = Applied(scene.world, scene.dial_hz, RATE_HZ, scene.scene)
    level, floor_dbm = _measured(how, scene.full_dbm)
    step_hz = RATE_HZ / BINS
    every = predict(scene.scene, scene.dial_hz, RATE_HZ, floor_dbm, 3, with_true=True)
    true_hz = [g.dial_hz for g in every if g.kind == "true"]
    able = []
    for ghost in every:
        index = round((ghost.dial_hz - scene.dial_hz) / step_hz + BINS / 2)
        apart_hz = min((abs(ghost.dial_hz - hz) for hz in true_hz), default=np.inf)
        inside = abs(ghost.dial_hz - scene.dial_hz) < 0.38 * RATE_HZ
        there = ghost.kind != "true" and inside and apart_hz > 2 * CHANNEL_HZ
        if there and level[max(index - 1, 0) : index + 2].max(initial=-300.0) > floor_dbm + THERE_DB:
            able.append(ghost)
    # Each kind as likely as any other.
    kinds = sorted({ghost.kind for ghost in able})
    if not kinds:
        return None
    chance = np.random.default_rng(seed + 9)
    kind = kinds[int(chance.integers(len(kinds)))]
    chosen = [ghost for ghost in able if ghost.kind == kind]
    return Case(scene, chosen[int(chance.integers(len(chosen)))], floor_dbm)


def _measured(how: Applied, full_dbm: float) -> tuple[np.ndarray, float]:
    """Levels by bin, dBm at the socket, low end first, and the floor of a bin."""
    device = SimulatedReceiver(how.world, VirtualTime(), HERON if how.plain else FINCH)
    lo_hz = sum(stage.lo_hz for stage in how.world.ports[0].stages)
    gains = () if how.plain else (("gain", GAIN_DB - how.less_db),)
    device.apply(RequestedSettings(how.centre_hz + lo_hz, how.rate_hz, "x", gains_db=gains))
    return levels(device, full_dbm + how.less_db)


def _dial_of(scene: Scene, air_hz: float) -> float:
    """Where the dial shows a true signal: with one converter at most, f_shown = (f + L (1 + q)) / (1 + p) - L."""
    lo_hz = sum(stage.lo_hz for stage in scene.stages)
    error_hz = sum(stage.lo_error_hz for stage in scene.stages)
    return (air_hz + lo_hz + error_hz) / (1 + scene.receiver.ppm * 1e-6) - lo_hz


def _plain_scene(scene: RandomScene) -> Scene:
    """The other receiver has no converter, a good mixer, and the same intercepts and crystal."""
    front = scene.world.front
    model = ReceiverModel(
        iip2_dbm=scene.full_dbm + front.iip2_over_full_db, iip3_dbm=scene.full_dbm + front.iip3_over_full_db,
        ppm=scene.scene.receiver.ppm,
    )  # fmt: skip
    return Scene(scene.scene.strong, (), model)


def _with_port(world: World, **changed: object) -> World:
    return msgspec.structs.replace(world, ports=(msgspec.structs.replace(world.ports[0], **changed),))
