"""What arrives at a port, and where the tuner puts it: true signals first, then everything that should not be there.

The physics, not a list of products: a signal that passes a converter unconverted, a signal that mixes with three times
the tuner's oscillator, an oscillator's own leak, the crystal's harmonics, and products of the strongest signals, made
by multiplying their base bands.
"""

from collections.abc import Callable
from functools import partial
from itertools import combinations, permutations
from math import floor

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.simulated.clocks import Clock
from yarddial.drivers.simulated.transmitters import Transmitter, modulation, needed_hz, phase, shared_wave, wander_turns
from yarddial.drivers.simulated.world import World, WorldPort
from yarddial.yard.frequency_conversion import lo_weights, path_sense

Seconds = NDArray[np.float64]
# Number of the strongest signals that are mixed, and the level below which none is.
MAX_MIXING_SIGNALS, MIN_DBM = 8, -75.0
# Level over the noise density at which a line is just visible in bins of some hertz.
SEEN_DBHZ = 8.0
# Level of harmonics and triple products relative to f1 + f2 and 2 f1 - f2 in a power series: factors 1/2, 1/3, 2.
HARMONIC2_DB, HARMONIC3_DB, TRIPLE_DB = -6.02, -9.54, 6.02
# Signals further from the centre cannot reach any span, even aliased.
WITHIN_HZ = 40e6
# Supply lines are made this far around the centre; weaker signals than the lowest are below any receiver's noise.
COMB_HZ, LOWEST_DBM = 6e6, -190.0


class Arrival(msgspec.Struct, frozen=True):
    """One signal at the tuner.

    socket_hz : true frequency at the socket, constant errors included.
    mixes_with : multiple of the centre that mixes it down: 3 for the third harmonic, -1 for an image.
    level_dbm : at the socket, at the reference gain.
    make, needed_hz : its base band, and the sample rate that it needs.
    drift_turns : additional phase over true time, in turns: sky wave and converters' oscillators.
    folds, folded_about_hz : of direct sampling, in the receiver's count: sense * (f - whole clocks); of an image or a
        sideband likewise, about the tuner's second frequency.
    crystal_bound : made from the receiver's own crystal, so that its place in the count never changes.
    phase : phase function of constant-envelope kinds, which are faster to make from it.
    wave : name of a base band shared with other signals; see `shared_wave`.
    made_of_hz : offsets from the centre of the signals of which it is a product; empty for a real signal.
    """

    socket_hz: float
    centre_hz: float
    level_dbm: float
    sense: int
    make: Callable[[Seconds], NDArray[np.complex64]]
    needed_hz: float
    drift_turns: Callable[[Seconds], Seconds]
    ahead_s: Callable[[Seconds], Seconds]
    fades: Transmitter | None = None
    mixes_with: int = 1
    folds: int = 1
    folded_about_hz: float = 0.0
    crystal_bound: bool = False
    made_of_hz: tuple[float, ...] = ()
    phase: Callable[[Seconds], NDArray[np.float32]] | None = None
    wave: str = ""

    @property
    def away_hz(self) -> float:
        """Offset from the centre."""
        return self.folds * (self.socket_hz - self.folded_about_hz) - self.mixes_with * self.centre_hz

    def turns(self, clock_s: Seconds) -> Seconds:
        """Phase against the centre at receiver clock time u: F t - n f_c u, with t = u - x(u)."""
        turned = _turns(self.away_hz, clock_s)
        if self.crystal_bound:
            return turned
        ahead_s = self.ahead_s(clock_s)
        return turned + self.folds * (self.drift_turns(clock_s - ahead_s) - self.socket_hz * ahead_s)


def arrivals(world: World, port: WorldPort, centre_hz: float) -> list[Arrival]:
    """All visible signals around a centre, strongest kinds first."""
    if world.faults.has("dead_port") or (world.faults.has("bias_off") and port.stages):
        return _crystal(world, port, centre_hz)
    every_arrival = _signals(world, port, centre_hz)
    every = [*every_arrival, *_leaks(world, port, centre_hz), *_products(world, port, every_arrival)]
    if not port.direct_clock_hz:
        every += _by_oscillator(world, port, every_arrival)
    if port.direct_clock_hz:
        clock_hz = port.direct_clock_hz
        every = [_folded(arrival, clock_hz, world.crystal_ppm) for arrival in every if arrival.mixes_with == 1]
        return [arrival for arrival in every if abs(arrival.away_hz) < WITHIN_HZ]
    near = [arrival for arrival in every if abs(arrival.away_hz) < WITHIN_HZ]
    return [*near, *_crystal(world, port, centre_hz)]


def _folded(arrival: Arrival, clock_hz: float, crystal_ppm: float) -> Arrival:
    """Fold by direct sampling: zone n = floor(2 f / C) with the true clock; odd zones are inverted."""
    zone = floor(2 * arrival.socket_hz / (clock_hz * (1 + crystal_ppm * 1e-6)))
    folds = -1 if zone % 2 else 1
    return msgspec.structs.replace(
        arrival, folds=folds, folded_about_hz=(zone + 1) // 2 * clock_hz, sense=folds * arrival.sense
    )


def ahead_of(world: World) -> Callable[[Seconds], Seconds]:
    """Lead of the receiver's clock over true time, as a function of its count."""
    fast = world.crystal_ppm * 1e-6

    def ahead_s(clock_s: Seconds) -> Seconds:
        steady = clock_s * fast / (1 + fast)
        return steady if world.crystal is None else steady + world.crystal.time_error_s(clock_s)

    return ahead_s


def _signals(world: World, port: WorldPort, centre_hz: float) -> list[Arrival]:
    """Stations through the converters, past the converters, and by the tuner's third harmonic."""
    signals: list[Arrival] = []
    sense, weights = path_sense(port.stages), lo_weights(port.stages)
    lo_hz = sum(w * (s.lo_hz + s.lo_error_hz) for w, s in zip(weights, port.stages, strict=True))
    nominal_hz = [w * s.lo_hz for w, s in zip(weights, port.stages, strict=True)]
    air_hz = sense * (centre_hz - sum(nominal_hz))
    ahead_s = ahead_of(world)
    lines = [line for comb in world.combs for line in comb.lines(air_hz - COMB_HZ, air_hz + COMB_HZ)]
    for transmitter in (*world.transmitters, *lines):
        if transmitter.antenna != port.antenna or not transmitter.is_heard(world.hour):
            continue
        handed_dbm = transmitter.level_dbm + port.handed_db(transmitter.frequency_hz)
        paths = [(sense * transmitter.frequency_hz + lo_hz, handed_dbm, sense, 1, True)]
        if port.stages:
            paths.append((transmitter.frequency_hz, handed_dbm - port.isolation_db, 1, 1, False))
        mixes = world.front.mixes.items()
        paths += [
            (hz, dbm - down, s, times, is_converted) for hz, dbm, s, _, is_converted in paths for times, down in mixes
        ]
        for socket_hz, unfiltered_dbm, turned, harmonic, converted in paths:
            level_dbm = unfiltered_dbm + port.passed_db(abs(socket_hz))
            if level_dbm < LOWEST_DBM:
                continue
            drift = partial(_drift, transmitter, turned, tuple(nominal_hz) if converted else (), port.clocks)
            signals.append(
                Arrival(
                    socket_hz, centre_hz, level_dbm, turned, partial(modulation, transmitter),
                    needed_hz(transmitter.kind), drift, ahead_s,
                    transmitter if transmitter.fading_hz else None, harmonic, phase=phase(transmitter),
                    wave=shared_wave(transmitter.kind),
                )
            )  # fmt: skip
    return signals


def _by_oscillator(world: World, port: WorldPort, signals: list[Arrival]) -> list[Arrival]:
    """Responses of the IF and of the oscillator's sidebands: image, half-IF, sidebands."""
    front, responses = world.front, []
    at_socket = [arrival for arrival in signals if arrival.mixes_with == 1]
    replaced = msgspec.structs.replace
    if front.if_hz:
        # The oscillator is above: f_c + 2 IF - f, inverted, and 2 f - 2 f_c - IF.
        responses += [
            replaced(at_tuner, level_dbm=at_tuner.level_dbm - front.image_db, sense=-at_tuner.sense, folds=-1,
                     folded_about_hz=2 * front.if_hz, mixes_with=-1)
            for at_tuner in at_socket
        ]  # fmt: skip
        for at_tuner in at_socket:
            level_dbm = 2 * at_tuner.level_dbm - (port.full_scale_dbm + front.half_if_over_full_db)
            twice = _product((at_tuner, at_tuner), (1, 1), level_dbm)
            responses.append(replaced(twice, folded_about_hz=front.if_hz, mixes_with=2))
    if front.reference_hz:
        responses += [
            replaced(
                at_tuner, level_dbm=at_tuner.level_dbm - front.reference_db, folded_about_hz=sign * front.reference_hz
            )
            for at_tuner in at_socket
            for sign in (1, -1)
        ]
    return responses


def _drift(
    transmitter: Transmitter, sense: int, nominal_hz: tuple[float, ...], clocks: tuple[Clock, ...], true_s: Seconds
) -> Seconds:
    turns = sense * wander_turns(transmitter, true_s)
    for hertz, clock in zip(nominal_hz, clocks, strict=False):
        turns = turns + hertz * clock.time_error_s(true_s)
    return turns


def _steady(time_s: NDArray[np.float64]) -> NDArray[np.complex64]:
    return np.ones(time_s.shape, np.complex64)


def _leaks(world: World, port: WorldPort, centre_hz: float) -> list[Arrival]:
    """Each converter's own oscillator and its second harmonic."""
    if port.lo_leak_dbm < -190:
        return []
    leaks = []
    for index, stage in enumerate(port.stages):
        clock = port.clocks[index] if index < len(port.clocks) else Clock()
        for harmonic, down_db in ((1, 0.0), (2, 20.0)):
            hertz = harmonic * (stage.lo_hz + stage.lo_error_hz)
            drift = partial(_clock_turns, harmonic * stage.lo_hz, clock)
            leaks.append(
                Arrival(
                    hertz,
                    centre_hz,
                    port.lo_leak_dbm - down_db,
                    1,
                    _steady,
                    4e3,
                    drift,
                    ahead_of(world),
                    wave="carrier",
                )
            )
    return leaks


def _clock_turns(hertz: float, clock: Clock, true_s: Seconds) -> Seconds:
    return hertz * clock.time_error_s(true_s)


def _crystal(world: World, port: WorldPort, centre_hz: float) -> list[Arrival]:
    """Harmonics of the receiver's own crystal near the centre and its multiples: constant in the receiver's count."""
    front = world.front
    if not front.crystal_hz:
        return []
    return [
        Arrival(
            k * front.crystal_hz, centre_hz, front.crystal_dbm - down_db, 1, _steady, 4e3, _nothing, _nothing,
            mixes_with=times, crystal_bound=True, wave="carrier",
        )
        for times, down_db in ({1: 0.0} | front.mixes).items()
        for k in (floor(times * centre_hz / front.crystal_hz), floor(times * centre_hz / front.crystal_hz) + 1)
        if k > 0
    ]  # fmt: skip


def _nothing(true_s: Seconds) -> Seconds:
    return np.zeros(true_s.shape)


def _products(world: World, port: WorldPort, signals: list[Arrival]) -> list[Arrival]:
    """Second- and third-order products of the strongest signals at the socket, by their intercepts.

    Levels: third order 2 P1 + P2 - 2 IIP3, second order P1 + P2 - IIP2, with both intercepts at the socket; of three
    signals twice the voltage, of a single one half of the second and a third of the third.
    """
    iip3_dbm = port.full_scale_dbm + world.front.iip3_over_full_db
    iip2_dbm = port.full_scale_dbm + world.front.iip2_over_full_db
    strong = sorted((a for a in signals if a.mixes_with == 1), key=lambda a: -a.level_dbm)[:MAX_MIXING_SIGNALS]
    strong = [a for a in strong if a.level_dbm > MIN_DBM]
    # Each costs as much as a station: skip those below the noise, even as the narrowest of lines.
    min_dbm = port.floor_dbm_hz(signals[0].centre_hz if signals else 0.0) + SEEN_DBHZ
    products: list[Arrival] = []

    def add(parts: tuple[Arrival, ...], signs: tuple[int, ...], level_dbm: float) -> None:
        if level_dbm <= min_dbm:
            return
        socket_hz = abs(sum(sign * part.socket_hz for sign, part in zip(signs, parts, strict=True)))
        if socket_hz > 0 and abs(socket_hz - parts[0].centre_hz) < WITHIN_HZ:
            products.append(_product(parts, signs, level_dbm))

    for first, two in permutations(strong, 2):
        add((first, first, two), (1, 1, -1), 2 * first.level_dbm + two.level_dbm - 2 * iip3_dbm)
    for first in strong:
        add((first, first), (1, 1), 2 * first.level_dbm - iip2_dbm + HARMONIC2_DB)
        add((first, first, first), (1, 1, 1), 3 * first.level_dbm - 2 * iip3_dbm + HARMONIC3_DB)
    for first, two in combinations(strong, 2):
        for three in strong:
            if three is not first and three is not two:
                level_dbm = first.level_dbm + two.level_dbm + three.level_dbm - 2 * iip3_dbm + TRIPLE_DB
                add((first, two, three), (1, 1, -1), level_dbm)
        for sign in (1, -1):
            add((first, two), (1, sign), first.level_dbm + two.level_dbm - iip2_dbm)
    return products


def _product(parts: tuple[Arrival, ...], signs: tuple[int, ...], level_dbm: float) -> Arrival:
    socket_hz = sum(sign * part.socket_hz for sign, part in zip(signs, parts, strict=True))
    if socket_hz < 0:
        socket_hz, signs = -socket_hz, tuple(-sign for sign in signs)
    return Arrival(
        socket_hz, parts[0].centre_hz, level_dbm, 1, partial(_multiplied, parts, signs),
        sum(part.needed_hz for part in parts), partial(_summed, parts, signs), parts[0].ahead_s,
        made_of_hz=tuple(part.away_hz for part in parts),
    )  # fmt: skip


def _multiplied(
    parts: tuple[Arrival, ...], signs: tuple[int, ...], time_s: NDArray[np.float64]
) -> NDArray[np.complex64]:
    result = np.ones(time_s.shape, np.complex64)
    for part, sign in zip(parts, signs, strict=True):
        base = part.make(time_s)
        result *= base if sign * part.sense > 0 else base.conj()
    return result


def _summed(parts: tuple[Arrival, ...], signs: tuple[int, ...], true_s: Seconds) -> Seconds:
    drifts = [sign * part.drift_turns(true_s) for sign, part in zip(signs, parts, strict=True)]
    return np.asarray(np.sum(drifts, axis=0))


def _turns(hertz: float, seconds: Seconds) -> Seconds:
    """hertz times seconds, whole hertz and the rest apart, to keep the fraction of a turn exact."""
    whole = floor(hertz)
    return whole * seconds + (hertz - whole) * seconds
