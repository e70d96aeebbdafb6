"""History of each oscillator from the log: its measured errors over time, and the forecast for today."""

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from math import exp

import msgspec

from yarddial.analysis.stability.forecast import HABITS, CrystalKind, forecast, growth_ppm, kind_of
from yarddial.analysis.stability.track import Point
from yarddial.records.entry import Entry
from yarddial.records.log_data import observations_of, oscillators_of
from yarddial.yard import clock
from yarddial.yard.errors import BadSamples
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import (
    Oscillators,
    clock_of,
    crystal_of,
    dial_state,
    is_in_ppm,
    known_oscillators,
    lo_of,
    rig_of,
    stated_oscillators,
)
from yarddial.yard.parts import Receiver, Transceiver, Value, converters_of
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Measurements closer together than this form one point: the latest.
APART_S = 6 * 3_600.0
# More points do not improve a forecast.
MAX_POINTS = 60
DAY_LETTERS = len("2026-11-25")
YEAR_S = 365.25 * 86_400.0
DRIFT_LASTS_S = 600.0


class History(msgspec.Struct, frozen=True):
    """History of one oscillator: errors in ppm at times in seconds since 1970, with the temperature noted."""

    name: str
    kind: CrystalKind
    points: tuple[Point, ...]
    temperatures_c: tuple[float | None, ...]

    def before(self, time_s: float) -> "History":
        """History before a time."""
        count = sum(point.time_s < time_s for point in self.points)
        return msgspec.structs.replace(self, points=self.points[:count], temperatures_c=self.temperatures_c[:count])


def seconds_of(at_utc: str) -> float:
    """Time of a log entry in seconds since 1970; now for an empty one."""
    if not at_utc:
        return clock.now().timestamp()
    shape = "%Y-%m-%dT%H:%M:%SZ" if len(at_utc) > DAY_LETTERS else "%Y-%m-%d"
    return datetime.strptime(at_utc, shape).replace(tzinfo=UTC).timestamp()


def units_hz(station: Station) -> dict[str, float]:
    """Value of one ppm of each oscillator in its own unit: 1, or a millionth of a converter's hertz."""
    units = {name: 1.0 for name in stated_oscillators(station).names if is_in_ppm(name)}
    for part in station.parts:
        for converter in converters_of(part):
            units.setdefault(lo_of(converter.name), max(converter.nominal_lo_hz, 1.0) * 1e-6)
    return units


def histories(station: Station, entries: Iterable[Entry]) -> dict[str, History]:
    """Read all oscillators' histories from the log, oldest first."""
    units, set_utc = units_hz(station), menus_set(station)
    devices = {part.name: part.device_name for part in station.parts if isinstance(part, Receiver)}
    seen: dict[str, list[tuple[Point, float | None]]] = {}
    for entry in sorted(entries, key=lambda candidate: (candidate.at_utc, candidate.id)):
        if entry.station != station.name:
            continue
        time_s, others = seconds_of(entry.at_utc), _of_other_devices(entry, devices)
        for name, (value, sigma) in oscillators_of(entry.data).items():
            if name not in units or entry.at_utc <= set_utc.get(name, "") or name in others:
                continue
            track = seen.setdefault(name, [])
            if track and time_s - track[-1][0].time_s < APART_S:
                track.pop()
            track.append((Point(time_s, value / units[name], sigma / units[name]), entry.temperature_c))
    known = known_oscillators(station)
    for name, at_utc in _measured_parts(station).items():
        # A part may have a newer value than this log, from its file or another method.
        track, time_s = seen.setdefault(name, []), seconds_of(at_utc)
        if not track or time_s - track[-1][0].time_s >= APART_S:
            track.append((Point(time_s, known.value(name) / units[name], known.sigma(name) / units[name]), None))
    kinds = kinds_of(station)
    return {
        name: History(
            name, kinds[name], tuple(p for p, _ in track[-MAX_POINTS:]), tuple(t for _, t in track[-MAX_POINTS:])
        )
        for name, track in seen.items()
        if name in kinds
    }


def _of_other_devices(entry: Entry, devices: Mapping[str, str]) -> set[str]:
    """Oscillators of receivers that were another device when the entry was made."""
    others = {
        observation.receiver
        for observation in observations_of(entry.data)
        if observation.device not in ("", devices.get(observation.receiver, ""))
    }
    return {name for receiver in others for name in (crystal_of(receiver), clock_of(receiver))}


def menus_set(station: Station) -> dict[str, str]:
    """Times at which transceivers' references were corrected in their menus, by oscillator; earlier values are void."""
    return {
        rig_of(converter.name): part.menu_set_utc
        for part in station.parts
        if isinstance(part, Transceiver) and part.menu_set_utc
        for converter in converters_of(part)
    }


def kinds_of(station: Station) -> dict[str, CrystalKind]:
    """Kind of every oscillator by its data sheet."""
    stated, units = stated_oscillators(station), units_hz(station)
    # One ppm in hertz; 0 for a crystal, which counts in ppm.
    return {
        name: kind_of(stated.sigma(name) / units[name], 0.0 if is_in_ppm(name) else 1e6 * units[name])
        for name in stated.names
    }


def carried(known: Oscillators, past: Mapping[str, History], units: Mapping[str, float], at_s: float) -> Oscillators:
    """Carry knowledge forward to a time: values by their history, uncertainties grown."""
    values, variances = list(known.values), [known.covariance[i][i] for i in range(len(known.names))]
    for i, name in enumerate(known.names):
        track = past.get(name)
        if track is None or not track.points:
            continue
        try:
            expected = forecast(track.points, max(at_s, track.points[-1].time_s), track.kind)
        except BadSamples:
            continue
        values[i], variances[i] = expected.ppm * units[name], (expected.sigma_ppm * units[name]) ** 2
    size = range(len(values))
    return Oscillators(
        known.names, tuple(values), tuple(tuple(variances[i] if i == j else 0.0 for j in size) for i in size)
    )


def grown(
    known: Oscillators,
    kinds: Mapping[str, CrystalKind],
    units: Mapping[str, float],
    seconds_s: float,
    colder: Mapping[str, float] | None = None,
) -> Oscillators:
    """Let uncertainties grow over time by the oscillators' kinds.

    colder : by how much of its warm-up one is colder than when it was measured, 0 to 1.
    """
    rows = [list(row) for row in known.covariance]
    for i, name in enumerate(known.names):
        if name in kinds:
            rows[i][i] += (growth_ppm(seconds_s, kinds[name]) * units[name]) ** 2
            cold = 0.0 if colder is None else colder.get(name, 0.0)
            rows[i][i] += (cold * HABITS[kinds[name]].cold_ppm * units[name]) ** 2
    return Oscillators(known.names, known.values, tuple(tuple(row) for row in rows))


def drifted(known: Oscillators, observations: Iterable[Observation], at_s: float) -> Oscillators:
    """Add uncertainty for an observed drift that may have continued.

    A measured drift decays like a warm-up; it has continued for DRIFT_LASTS_S at most.
    """
    rows = [list(row) for row in known.covariance]
    latest: dict[str, Observation] = {}
    for seen in sorted(observations, key=lambda observation: observation.at_utc):
        latest |= dict.fromkeys(seen.unknowns, seen)
    for i, name in enumerate(known.names):
        observation = latest.get(name)
        if observation is None or not observation.drift_hz_per_s:
            continue
        lasted_s = DRIFT_LASTS_S * (1 - exp(-max(at_s - seconds_of(observation.at_utc), 0.0) / DRIFT_LASTS_S))
        moved_hz = abs(observation.drift_hz_per_s) * lasted_s
        per_unit = 1.0 if not is_in_ppm(name) else max(abs(observation.shown_uncorrected_hz()), 1.0) * 1e-6
        rows[i][i] += (moved_hz / per_unit) ** 2
    return Oscillators(known.names, known.values, tuple(tuple(row) for row in rows))


def serves_for_s(
    route: ResolvedRoute,
    dial_hz: float,
    tolerance_hz: float,
    known: Oscillators,
    kinds: Mapping[str, CrystalKind],
    units: Mapping[str, float],
) -> float:
    """How long the dial stays within a mode's tolerance at two sigma: 0 if not now, a year at most.

    The error itself is taken as corrected.
    """

    def serves(seconds_s: float) -> bool:
        return 2 * dial_state(route, dial_hz, grown(known, kinds, units, seconds_s)).sigma_hz <= tolerance_hz

    if not serves(0.0):
        return 0.0
    if serves(YEAR_S):
        return YEAR_S
    low, high = 60.0, YEAR_S
    while high / low > 1.05:
        middle = (low * high) ** 0.5
        low, high = (middle, high) if serves(middle) else (low, middle)
    return low


def _measured_parts(station: Station) -> dict[str, str]:
    """Measurement times of oscillators whose part holds a measured value; empty where unknown."""
    measured_parts: dict[str, str] = {}
    for part in station.parts:
        if isinstance(part, Receiver):
            measured_parts |= _dated(crystal_of(part.name), part.crystal_ppm)
            measured_parts |= {} if part.clock_ppm is None else _dated(clock_of(part.name), part.clock_ppm)
        for converter in converters_of(part):
            if isinstance(part, Transceiver):
                measured_parts |= _dated(rig_of(converter.name), part.rig_ppm)
            else:
                measured_parts |= _dated(lo_of(converter.name), converter.lo_hz)
    return measured_parts


def _dated(name: str, value: Value) -> dict[str, str]:
    return {name: value.date} if value.provenance == "measured" else {}
