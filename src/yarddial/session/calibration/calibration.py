"""Calibration of the dial: measure a known carrier, fit the oscillators, apply the correction, verify."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, Progress, TuneRefused
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedChange, LoggedCorrection, LoggedObservation, LoggedObservations
from yarddial.session.background import Background
from yarddial.session.calibration.carrier_model import model_evidence, model_sentence, model_working
from yarddial.session.calibration.measuring import MeasurementOutcome, Measuring, observation_of
from yarddial.session.calibration.oscillator_estimates import OscillatorEstimates
from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.calibration.suggestion import Suggestion
from yarddial.session.calibration.warmth import Warmth, read_temperature_c
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.log.logged_tuning import logged_tuning
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.picture import DIAL_HALF_SPANS_HZ
from yarddial.session.station.desk import Desk
from yarddial.yard.bands import SKY_WAVE_BELOW_HZ
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.frequency_conversion import path_sense
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import (
    DialState,
    Oscillators,
    crystal_of,
    dial_state,
    stated_oscillators,
)
from yarddial.yard.references import why_no_reference
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference
from yarddial.yard.working import Working

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.correction.fit import CorrectionFit
    from yarddial.session.calibration.correction import CorrectionProposal

# Longest measurement in automatic duration, and for a wide FM signal with its many samples.
MAX_S, MAX_WIDE_S = 60.0, 4.0
# Stop when the noise's uncertainty is this share of the station's own, or of the mode's tolerance.
SHARE_OF_STATION, SHARE_OF_MODE = 1 / 3, 1 / 20
# Half width that the picture's slice must contain for the centre of an FM signal.
HALF_CHANNEL_HZ = {"nfm": 9_000.0, "wfm": 125_000.0}
# The dial is on a reference within this, or within three sigma of its own uncertainty.
NEAR_HZ = 1_000.0
MIN_SEARCH_HZ = 100.0
# A measured drift is shown for this long.
DRIFT_TOLD_S = 600.0
MEASUREMENT = JobKind("measurement", "work", "a measurement", "a measurement is under way")


class Calibration(Job):
    """Measurements and their results. Reads the desk, drives the receiver, writes the log."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, log: LogKeeper, background: Background
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._log = desk, live_receiver, jobs, log
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._proposed: tuple[tuple[object, ...], CorrectionProposal] | None = None
        # Cached state of the dial with its inputs.
        self._state: tuple[ResolvedRoute, float, Oscillators, DialState] | None = None
        self._measured_route: ResolvedRoute | None = None
        jobs.on_rest(self.follow_dial)
        self.measuring: Measuring | None = None
        self.outcome: MeasurementOutcome | None = None
        # Temperature beside the receiver, as last noted by the person.
        self.temperature_c: float | None = None
        # Chosen duration of measurements; 0 for automatic.
        self.chosen_s = 0.0
        self._warmth = Warmth(live_receiver)
        self.oscillator_estimates = OscillatorEstimates(desk, log, background, self._estimated, self._colder)
        self.suggestion = Suggestion(desk, background, self.oscillator_estimates, self._changed.tell)
        desk.on_yard_changed(self._yard_changed)
        desk.on_dial_changed(self._dial_changed)

    def on_calibration_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for progress of a measurement, and for changes of the fit or the dial's state."""
        return self._changed.add(listener)

    # What is known

    @property
    def fit(self) -> "CorrectionFit | None":
        """Fit of today's observations; None without any."""
        return self.oscillator_estimates.fit

    @property
    def oscillators(self) -> Oscillators:
        """Present estimates of all oscillators, with uncertainties grown since their measurement."""
        return self.oscillator_estimates.oscillators

    @property
    def observations(self) -> tuple[Observation, ...]:
        """Today's observations."""
        return self.oscillator_estimates.observations

    def state(self, route: ResolvedRoute | None = None, dial_hz: float | None = None) -> DialState:
        """Error of the dial on a route at a frequency; by default the active route at the dial."""
        route = route or self._desk.route
        dial_hz = self._desk.station.dial_hz if dial_hz is None else dial_hz
        known = self._state
        if known is None or known[0] is not route or known[1] != dial_hz or known[2] is not self.oscillators:
            self._state = known = (route, dial_hz, self.oscillators, dial_state(route, dial_hz, self.oscillators))
        return known[3]

    def dialled(self) -> tuple[ResolvedRoute, float]:
        """The active route and the dial."""
        return self._desk.route, self._desk.station.dial_hz

    @property
    def mode(self) -> str:
        """Mode for which the dial is used."""
        return self._desk.station.mode

    def reference(self) -> Reference | None:
        """The known station nearest to the dial, if the dial is on one."""
        dial_hz = self._desk.station.dial_hz
        near = [r for r in self._desk.station.references if abs(r.frequency_hz - dial_hz) <= NEAR_HZ]
        return min(near, key=lambda r: abs(r.frequency_hz - dial_hz), default=None)

    def proposal(self) -> "CorrectionProposal | None":
        """Correction that the fit suggests; None while there is nothing to correct. Cached."""
        if self.fit is None:
            return None
        from yarddial.session.calibration.correction import propose

        key = (self._desk.station, self.fit, self.oscillators)
        if self.why_contradicted():
            return None
        if self._proposed is None or any(old is not new for old, new in zip(self._proposed[0], key, strict=True)):
            station, route = self._desk.station, self._desk.route
            self._proposed = (key, propose(station, route, self.fit, self.oscillators, self.state()))
        return self._proposed[1]

    def fit_working(self) -> Working:
        """Working of the fit, or of the dial's state before there is one, with the last carrier's signal model."""
        working = self.state().working() if self.fit is None else self.fit.working()
        carrier = self.outcome.carrier if self.outcome is not None else None
        if carrier is None:
            return working
        return msgspec.structs.replace(working, values=(*working.values, model_working(carrier)))

    def why_contradicted(self) -> str:
        """Why no correction is proposed although something was measured; empty where measurements agree."""
        remarks = () if self.fit is None else self.fit.remarks
        return next((remark.sentence for remark in remarks if remark.kind == "contradiction"), "")

    def touches_active_route(self) -> bool:
        """True when every oscillator of the active route was measured, alone or in a sum on this route."""
        return {name for name, _ in self.state().slopes} <= self.oscillator_estimates.touched()

    def _colder(self, measured_s: float) -> dict[str, float]:
        receiver = self._desk.route.receiver.name
        return {crystal_of(receiver): self._warmth.colder_than(receiver, measured_s)}

    def drift_hz_per_minute(self) -> float:
        """Measured drift of the dial on the active route, while recent; else 0."""
        here = [o for o in self.observations if o.route == self._desk.route.name]
        latest = max(here, key=lambda observation: observation.at_utc, default=None)
        if latest is None or seconds_of("") - seconds_of(latest.at_utc) > DRIFT_TOLD_S:
            return 0.0
        return abs(latest.drift_hz_per_s) * 60

    def why_out_of_reach(self) -> str:
        """Reason why the active route cannot serve the dial; empty when it can."""
        return self._desk.route.why_not(self._desk.station.dial_hz)

    # What can be done

    def how_long(self, reference: Reference, seconds_s: float) -> tuple[float, float]:
        """Maximum duration in seconds, and the uncertainty at which to stop; `seconds_s` 0 is automatic."""
        max_s = MAX_WIDE_S if reference.mode == "wfm" else float("inf")
        if seconds_s:
            return min(seconds_s, max_s), 0.0
        tolerance_hz = mode_named(self._desk.station.mode).tolerance_hz
        return min(MAX_S, max_s), max(SHARE_OF_STATION * reference.sigma_hz, SHARE_OF_MODE * tolerance_hz, 1e-3)

    def why_not_measure(self, kind: JobKind | None = None, within: Lease | None = None) -> str:
        """Reason why no measurement can start now; empty when it can. kind : of job, within another."""
        if why_not := self._jobs.why_not(kind or MEASUREMENT, within):
            return why_not
        reference = self.reference()
        if reference is None:
            return "the dial is on no known station: press ] for the next one"
        if distrust := why_no_reference(reference.kind, reference.frequency_hz):
            return f"{reference.name} trues nothing: {distrust}"
        if self._desk.route.why_not(self._desk.station.dial_hz):
            return f"this route does not reach it: {self._desk.route.why_not(self._desk.station.dial_hz)}"
        if why_not := self._live_receiver.why_not_connected(self._desk.route.name):
            return why_not
        if self._live_receiver.running and not self._live_receiver.is_tuned and self._live_receiver.trouble:
            return self._live_receiver.trouble
        return ""

    def measure(self, seconds_s: float | None = None, *, verifying: bool = False, within: Lease | None = None) -> None:
        """Measure the known station at the dial; starts the receiver when it is off.

        seconds_s : duration; 0 ends when the station's own sigma or the mode's need dominates; None takes the chosen
        one.
        within : the job of which it is a part.
        """
        reference = self.reference()
        if self.why_not_measure(within=within) or reference is None:
            return
        self._desk.dial(reference.frequency_hz)
        lease = self._jobs.request(MEASUREMENT, self, within)
        if isinstance(lease, Refusal):
            return
        self._lease, self._measured_route = lease, self._desk.route.at(reference.frequency_hz)
        if not self._live_receiver.wanted:
            self._live_receiver.start(self._desk.route)
        self.examine_dial(lease)
        state = self.state()
        within_hz = max(abs(state.error_hz) + 4 * state.sigma_hz, MIN_SEARCH_HZ)
        max_s, wanted_hz = self.how_long(reference, self.chosen_s if seconds_s is None else seconds_s)
        self.measuring = Measuring(reference, self._desk.route.name, verifying, within_hz, wanted_hz, max_s)
        self.outcome = None
        kind: Literal["carrier", "nfm", "wfm"] = "carrier"
        if reference.mode in ("nfm", "wfm"):
            kind = "nfm" if reference.mode == "nfm" else "wfm"
        route = self._measured_route
        expected_hz = path_sense(route.counted_stages(reference.frequency_hz)) * state.error_hz
        expected_sigma_hz = float((state.sigma_hz**2 + reference.sigma_hz**2) ** 0.5)
        may_fade = reference.frequency_hz < SKY_WAVE_BELOW_HZ
        wanted = Measure(max_s, within_hz, wanted_hz, kind, expected_hz, expected_sigma_hz, may_fade)
        self._desk.when_settled(lambda: self._begin_measuring(lease, reference, wanted))
        self._changed.tell()

    def _begin_measuring(self, lease: Lease, reference: Reference, wanted: Measure) -> None:
        """Begin once a transceiver on the route is tuned to the dial."""
        if lease.is_alive:
            self._measured_route = self._desk.route.at(reference.frequency_hz)
            self.examine_dial(lease)
            lease.ask(wanted)

    def cancel(self) -> None:
        """Stop measuring; earlier observations stay."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def apply(self) -> None:
        """Enter the proposed correction; undoable."""
        proposal = self.proposal()
        if proposal is None or proposal.is_nothing:
            return
        self._desk.edit(proposal.label, proposal.station, "correction")
        self._log.add(
            Entry(
                station=self._desk.station.name,
                kind="correction",
                route=self._desk.route.name,
                method="sum" if proposal.together else "model",
                text=proposal.sentence,
                data=LoggedCorrection(
                    tuple(LoggedChange(c.part, c.unit, c.old, c.new, c.known_only) for c in proposal.changes),
                    proposal.sigma_after_hz,
                ),
            )
        )

    def note_temperature(self, text: str) -> str:
        """Note the temperature beside the receiver, in degrees Celsius, in the log; empty text for unknown.

        Later measurements carry it. Returns what was noted; raises BadObservations.
        """
        value = read_temperature_c(text)
        if value == self.temperature_c:
            return "The temperature is as it was noted"
        self.temperature_c = value
        what = "is not known any more" if value is None else f"is {format_number(value, 0.5)} °C"
        sentence = f"The temperature beside the receiver {what}"
        self._log.add(Entry(station=self._desk.station.name, kind="note", text=sentence, temperature_c=value))
        self._changed.tell()
        return f"{sentence}: measurements from now on carry it"

    def recall(self) -> None:
        """Load today's observations and earlier estimates from the log."""
        self.oscillator_estimates.recall()

    def grow(self) -> None:
        """Let the uncertainties grow with time; called periodically."""
        self._warmth.update(self._desk.route.receiver.name)
        self.oscillator_estimates.grow()
        self._changed.tell()

    def forget(self) -> None:
        """Start afresh: observations stay in the log, but no longer count."""
        self.outcome = None
        self.oscillator_estimates.forget()

    def follow_dial(self) -> None:
        """Tune the receiver to the dial, as wide as the stated tolerances require, and zoom the picture."""
        self.examine_dial(None)

    def examine_dial(self, lease: Lease | None) -> None:
        """Tune to the carrier at the dial under a lease; do nothing for a job that may not tune."""
        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        if route.why_not(dial_hz) or not self._jobs.may_tune(lease):
            return
        loose = dial_state(route, dial_hz, stated_oscillators(self._desk.station))
        reach_hz = max(abs(loose.error_hz) + 4 * loose.sigma_hz, 3_000.0)
        if (reference := self.reference()) is not None:
            reach_hz += HALF_CHANNEL_HZ.get(reference.mode, 0.0)
        self._live_receiver.tuner.tune(route, dial_hz, 1.1 * reach_hz, lease)
        self._live_receiver.picture.show(self.fitting_half_span_hz())

    def fitting_half_span_hz(self) -> float:
        """Half span of the picture that certainly contains the carrier."""
        state = self.state()
        wanted = max(1.25 * (abs(state.error_hz) + 2.5 * state.sigma_hz), 25.0)
        return next((span for span in DIAL_HALF_SPANS_HZ if span >= wanted), DIAL_HALF_SPANS_HZ[-1])

    def take_in(self, observations: Sequence[Observation], method: str, summary: str, **more: float) -> None:
        """Add observations made by another method, and log them together."""
        first, *others = observations
        data: LoggedObservation | LoggedObservations = (
            LoggedObservations(tuple(observations), more=more) if others else LoggedObservation(first, more=more)
        )
        entry = Entry(
            station=self._desk.station.name, kind="observation", route=first.route, method=method,
            reference="" if others else first.reference_name, temperature_c=self.temperature_c, text=summary, data=data,
        )  # fmt: skip

        def tell() -> None:
            self.outcome = MeasurementOutcome("measured", summary, first)
            self._changed.tell()

        self._record(entry, data, observations, tell)

    def _record(
        self,
        entry: Entry,
        data: LoggedObservation | LoggedObservations,
        observations: Sequence[Observation],
        then: Callable[[], None],
    ) -> None:
        """Log observations at once; when the fit is done, add the oscillators' state to the entry.

        then : called after that.
        """
        stored = self._log.add(entry)

        def derive() -> None:
            self._log.amend(stored, msgspec.structs.replace(data, oscillators=self.oscillator_estimates.apart()))
            self.oscillator_estimates.read_histories()
            then()

        self.oscillator_estimates.add(observations, derive)

    # What the engine and the desk say

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        now, lease = self.measuring, self._lease
        if now is None or lease is None:
            return
        match event:
            case Progress():
                self.measuring = msgspec.structs.replace(
                    now, fraction=event.fraction, sigma_hz=event.sigma_hz, needed_s=event.needed_s
                )
                self._changed.tell()
            case Measured():
                self._observed(now, event, lease)
            case TuneRefused():
                lease.end("failed", event.sentence)
            case NotMeasured():
                lease.end("failed", event.sentence)
            case _:
                pass

    def ended(self, ending: Ending) -> None:
        """Note the end of the measurement."""
        turned = self._dial_turned()
        self.measuring = self._lease = None
        if ending.how in ("cancelled", "displaced") or (ending.how == "stale" and turned):
            self.outcome = MeasurementOutcome("cancelled", "Measurement cancelled.")
        elif ending.how != "done":
            self.outcome = MeasurementOutcome("failed", ending.reason)
        self._changed.tell()
        if ending.how == "done":
            self._live_receiver.picture.show(self.fitting_half_span_hz())

    def why_stale(self) -> str:
        """A change of station, route or settings makes the rest of the measurement useless."""
        now = self.measuring
        if now is None:
            return ""
        if self._dial_turned():
            return "the dial was turned meanwhile"
        if self._desk.is_settled() and self._desk.route.at(now.reference.frequency_hz) != self._measured_route:
            return "the yard was changed meanwhile: measure again"
        return ""

    def _dial_turned(self) -> bool:
        now = self.measuring
        return now is not None and (self.reference(), self._desk.route.name) != (now.reference, now.route)

    def _observed(self, now: Measuring, measured: Measured, lease: Lease) -> None:
        """Log a reading, then add it to the fit."""
        route, carrier = self._desk.route, measured.carrier
        observation = observation_of(measured, route, now.reference, self._crystal_noise(route))
        text = (
            f"{now.reference.name} {format_frequency(now.reference.frequency_hz)} reads "
            f"{format_hertz(observation.error_hz, observation.total_sigma_hz)} "
            f"{format_sigma(observation.total_sigma_hz)}"
        )
        if carrier.method != "steady" and now.reference.mode not in HALF_CHANNEL_HZ:
            sentence = model_sentence(carrier)
            text += f" ({sentence[:1].lower()}{sentence[1:]})"
        is_fm = now.reference.mode in HALF_CHANNEL_HZ

        data = LoggedObservation(
            observation,
            cn0_dbhz=carrier.cn0_dbhz,
            duration_s=carrier.duration_s,
            drift_hz_per_s=carrier.drift_hz_per_s,
            model=carrier.method,
            is_adequate=carrier.is_adequate,
            remark=model_evidence(carrier),
            tuning=logged_tuning(measured.tuning),
        )
        entry = Entry(
            station=self._desk.station.name,
            kind="verification" if now.verifying else "observation",
            route=route.name,
            method=carrier.method if is_fm else f"carrier estimate, {carrier.method}",
            reference=now.reference.name,
            text=text,
            data=data,
            temperature_c=self.temperature_c,
        )

        def tell() -> None:
            self.outcome = MeasurementOutcome("measured", text, observation, carrier)
            lease.end()

        self._record(entry, data, (observation,), tell)

    def _crystal_noise(self, route: ResolvedRoute) -> float:
        """Typical frequency noise of the receiver's crystal class over a measurement, fractional."""
        from yarddial.analysis.stability.forecast import HABITS
        from yarddial.session.calibration.oscillator_history import kinds_of

        return HABITS[kinds_of(self._desk.station)[crystal_of(route.receiver.name)]].allan_deviation

    def _yard_changed(self) -> None:
        self.oscillator_estimates.refit()

    def _estimated(self) -> None:
        self.follow_dial()
        self._changed.tell()

    def _dial_changed(self) -> None:
        self.follow_dial()
        self._changed.tell()
