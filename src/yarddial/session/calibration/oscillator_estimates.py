"""Present estimates of all oscillators: today's observations fitted, earlier ones carried forward, sigmas growing."""

from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

import msgspec

from yarddial.records.log_data import observations_of
from yarddial.session.background import Background
from yarddial.session.calibration.oscillator_history import (
    History,
    carried,
    drifted,
    grown,
    histories,
    kinds_of,
    menus_set,
    seconds_of,
    serves_for_s,
    units_hz,
)
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import Oscillators, dial_state, known_oscillators, stated_oscillators
from yarddial.yard.parts import converters_of
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.correction.fit import CorrectionFit
    from yarddial.analysis.stability.forecast import CrystalKind

# Older observations stay in the log; crystals follow the temperature, so they are not mixed with today's.
MAX_OBSERVATION_AGE = timedelta(hours=12)
# More come only from a script; then the latest count.
MAX_FRESH = 2_000
# Clocks of computers differ by seconds; an entry further in the future has a wrong clock.
AHEAD_S = 300.0
# Fit this many observations at once; more are fitted in the background.
IMMEDIATE_FIT_OBSERVATIONS = 5
# Chi-square from which earlier knowledge is contradicted: four sigma of one number.
CONTRADICTION_CHI2 = 16.0


class FitRequest(msgspec.Struct, frozen=True):
    """Inputs of the fit: observations, knowledge before them, and data sheets."""

    observations: tuple[Observation, ...]
    before: Oscillators
    station: Station

    def solve(self) -> "FitAnswer":
        """Fit with prior knowledge, or with the data sheets alone where that is contradicted."""
        from yarddial.analysis.correction.fit import fit
        from yarddial.analysis.correction.posterior import merge, priors_of

        stated, before, surprise = stated_oscillators(self.station), self.before, ""
        priors = {n: (before.value(n), before.sigma(n)) for n in before.names if before.sigma(n) > 0}
        answer = fit(self.observations, priors)
        if answer.prior_misfit > CONTRADICTION_CHI2 and before != stated:
            answer, before = fit(self.observations, priors_of(self.station)), stated
            surprise = (
                "today's measurements contradict what was known before: the receiver is still cold, or a part was "
                "changed; only today's count"
            )
        latest_s = max(seconds_of(o.at_utc) for o in self.observations)
        return FitAnswer(answer, before, merge(before, answer), surprise, latest_s)


class FitAnswer(msgspec.Struct, frozen=True):
    """Result: the fit, its priors, all oscillators, and the time of the latest observation."""

    fit: "CorrectionFit"
    before: Oscillators
    fitted: Oscillators
    surprise: str
    fitted_s: float


class OscillatorEstimates:
    """Reads the desk and the log; calls `changed` when its estimates change."""

    def __init__(
        self,
        desk: Desk,
        log: LogKeeper,
        background: Background,
        changed: Callable[[], None],
        colder_than: Callable[[float], dict[str, float]],
    ) -> None:
        """colder_than : by how much of its warm-up each oscillator is colder than when it was measured."""
        self._desk, self._log, self._background = desk, log, background
        # Listeners hear nothing before the first answer is complete.
        self._changed: Callable[[], None] = lambda: None
        self._colder_than = colder_than
        # Callbacks that wait for the effect of an observation.
        self._waiting: list[Callable[[], None]] = []
        self.observations: tuple[Observation, ...] = ()
        self.fit: CorrectionFit | None = None
        # Errors of each oscillator at other times, from the log.
        self.histories: dict[str, History] = {}
        # A sentence where measurements contradict earlier knowledge.
        self.surprise = ""
        self._fitted_s = 0.0
        self._devices = _devices_of(desk.station)
        self._fitted: Oscillators = known_oscillators(desk.station)
        self.before: Oscillators = self._fitted
        self.oscillators: Oscillators = self._fitted
        self.refit()
        self._changed = changed

    def recall(self) -> None:
        """Load today's observations and earlier estimates from the log."""
        self.read_histories()
        fresh = _fresh_observations(self._log, self._desk.station.name)
        self.observations = (*fresh, *(seen for seen in self.observations if seen not in fresh))
        self.refit()

    def add(self, observations: Sequence[Observation], then: Callable[[], None]) -> None:
        """Add observations; `then` is called when their effect is known."""
        self.observations = (*self.observations, *observations)
        self._waiting.append(then)
        self.refit()

    def forget(self) -> None:
        """Exclude the observations so far; they stay in the log."""
        self.observations = ()
        self.refit()

    def read_histories(self) -> None:
        """Reload the histories after the log has grown."""
        station = self._desk.station
        self.histories = histories(station, self._log.of_oscillators(station.name, stated_oscillators(station).names))

    def measured_s_ago(self) -> float | None:
        """Age of the oldest measurement among the active route's oscillators; None without one."""
        names = [name for name, _ in self._slopes()]
        if self.fit is not None and all(any(n in o.unknowns for o in self.fit.observations) for n in names):
            return max(seconds_of("") - self._fitted_s, 0.0)
        tracks = [self.histories.get(name) for name in names]
        if any(track is None for track in tracks):
            return None
        return seconds_of("") - min(track.points[-1].time_s for track in tracks if track is not None)

    def touched(self) -> set[str]:
        """Oscillators with observations of today or earlier."""
        return {name for o in (self.fit.observations if self.fit else ()) for name in o.unknowns} | set(self.histories)

    def _slopes(self) -> tuple[tuple[str, float], ...]:
        return dial_state(self._desk.route, self._desk.station.dial_hz, self.oscillators).slopes

    def apart(self) -> dict[str, tuple[float, float]]:
        """Every oscillator that today's observations separate, with its uncertainty in its own unit."""
        estimates = self.fit.estimates if self.fit is not None else ()
        return {estimate.name: (estimate.value, estimate.sigma) for estimate in estimates if estimate.separate}

    def refit(self) -> None:
        """Start a new fit after a change of yard or observations."""
        # An answer to an earlier request must not replace the present one.
        self._background.withdraw("the fit")
        station = self._desk.station
        if (devices := _devices_of(station)) != self._devices:
            self._devices = devices
            self.read_histories()
        usable = tuple(o for o in self.observations if _touches_only(station, o))
        self._fitted_s = seconds_of("")
        self.surprise = ""
        latest_s = max((track.points[-1].time_s for track in self.histories.values()), default=0.0)
        if latest_s > self._fitted_s + AHEAD_S:
            day = datetime.fromtimestamp(latest_s, UTC).strftime("%Y-%m-%d %H:%M")
            self.surprise = (
                f"the log holds a measurement of {day} UTC, which is still to come: this computer's clock was set back"
            )
        first_s = min((seconds_of(o.at_utc) for o in usable), default=self._fitted_s)
        before = self._known_before(first_s)
        if not usable:
            self.fit, self._fitted, self.before = None, before, before
            self._settle()
            return
        request = FitRequest(usable, before, station)
        if len(usable) <= IMMEDIATE_FIT_OBSERVATIONS:
            self._take(request.solve())
        else:
            self._background.ask("the fit", request.solve, self._take, self._fail)

    def _take(self, answer: FitAnswer) -> None:
        self.fit, self.before, self._fitted = answer.fit, answer.before, answer.fitted
        self._fitted_s, self.surprise = answer.fitted_s, answer.surprise or self.surprise
        self._settle()

    def _fail(self, sentence: str) -> None:
        """Keep the former estimates, and release those who wait."""
        self.surprise = f"the last measurements are not taken into account: {sentence}"
        self._settle()

    def _settle(self) -> None:
        waiting, self._waiting = self._waiting, []
        self._grow()
        for then in waiting:
            then()
        self._changed()

    def _known_before(self, first_s: float) -> Oscillators:
        """Knowledge before today's first observation: earlier measurements carried forward, data sheets for the
        rest.
        """
        past = {name: track.before(first_s) for name, track in self.histories.items()}
        return carried(stated_oscillators(self._desk.station), past, self._units, self._fitted_s)

    @property
    def _units(self) -> dict[str, float]:
        return units_hz(self._desk.station)

    def _moving(self) -> "dict[str, CrystalKind]":
        """Oscillators that were measured once and drift since; data-sheet values are uncertain enough."""
        touched = self.touched()
        return {name: kind for name, kind in kinds_of(self._desk.station).items() if name in touched}

    def grow(self) -> None:
        """Let the uncertainties grow with time; called periodically."""
        self._grow()

    def _grow(self) -> None:
        since_s = max(seconds_of("") - self._fitted_s, 0.0)
        known = drifted(self._fitted, self.observations, seconds_of(""))
        colder = self._colder_than(self._fitted_s)
        self.oscillators = grown(known, self._moving(), self._units, since_s, colder)

    @property
    def fitted(self) -> Oscillators:
        """Estimates as fitted, before any growth of uncertainty: the basis of a plan."""
        return self._fitted

    def serves_until_s(self) -> float:
        """Moment until which the corrected dial serves its mode, seconds since 1970; 0 where it does not serve now.

        It is reckoned from the last measurement, so that it stays until something is measured.
        """
        station, route = self._desk.station, self._desk.route
        if route.missing:
            return 0.0
        tolerance_hz = mode_named(station.mode).tolerance_hz
        if 2 * dial_state(route, station.dial_hz, self.oscillators).sigma_hz > tolerance_hz:
            return 0.0
        known = (route, station.dial_hz, tolerance_hz, self._fitted, self._moving(), self._units)
        return self._fitted_s + serves_for_s(*known)

    @property
    def fitted_s(self) -> float:
        """Moment of the last measurement that counts, seconds since 1970."""
        return self._fitted_s


def _devices_of(station: Station) -> dict[str, str]:
    """Devices of the receivers that a route ends in, by the receivers' names."""
    return {route.receiver.name: route.receiver.device_name for route in station.resolved_routes()}


def _touches_only(station: Station, observation: Observation) -> bool:
    """Return True while every part of the observation is still in the yard unchanged."""
    there = {c.name: c for part in station.parts for c in converters_of(part)}
    set_utc = menus_set(station)
    devices = _devices_of(station)
    device = devices.get(observation.receiver)
    # A measurement of another device says nothing about this one's crystal.
    return (
        device is not None
        and observation.device in ("", device)
        and all(
            stage.name in there
            and (there[stage.name].follows_dial or there[stage.name].nominal_lo_hz == stage.nominal_lo_hz)
            and observation.at_utc > set_utc.get(stage.unknown, "")
            for stage in observation.stages
        )
    )


def _fresh_observations(log: LogKeeper, station_name: str) -> tuple[Observation, ...]:
    since = clock.utc_text(clock.now() - MAX_OBSERVATION_AGE)
    observations: list[Observation] = []
    kinds = ("observation", "verification")
    entries = [entry for kind in kinds for entry in log.entries(kind, station_name, since_utc=since, limit=MAX_FRESH)]
    for entry in sorted(entries, key=lambda candidate: (candidate.at_utc, candidate.id), reverse=True)[:MAX_FRESH]:
        observations += reversed(observations_of(entry.data))
    return tuple(reversed(observations))
