"""Truing the dial: measure a known carrier, fit the oscillators, apply the correction, verify."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.analysis.correction.observation import Observation, SeenStage
from yarddial.records.entry import Entry
from yarddial.session.desk import Desk
from yarddial.session.engine.messages import (
    CancelMeasure,
    Event,
    Measure,
    Measured,
    NotMeasured,
    Progress,
    Stopped,
)
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import HALF_SPANS_HZ, Reception
from yarddial.yard.frequency import format_doubt, format_frequency, format_hertz
from yarddial.yard.line import Line
from yarddial.yard.oscillators import (
    DialState,
    Oscillators,
    crystal_of,
    dial_state,
    known_oscillators,
    lo_of,
    stated_oscillators,
)
from yarddial.yard.parts import Converter, converters_of
from yarddial.yard.station import Reference, Station

if TYPE_CHECKING:
    # Not needed before the first measurement.
    from yarddial.analysis.correction.fit import CorrectionFit
    from yarddial.dsp.carrier import Carrier
    from yarddial.session.correction import Proposal

SECONDS = 4.0
# Older observations stay in the log; crystals follow the temperature, so they are not mixed with today's.
FRESH = timedelta(hours=12)
# The dial counts as being on a reference within this, or within three sigma of its own doubt.
NEAR_HZ = 1_000.0
LEAST_SEARCH_HZ = 100.0


class Measuring(msgspec.Struct, frozen=True):
    """A measurement under way."""

    id: int
    reference: Reference
    route: str
    verifying: bool
    within_hz: float
    fraction: float = 0.0
    doubt_hz: float = float("inf")


class Outcome(msgspec.Struct, frozen=True):
    """How the last measurement ended."""

    kind: Literal["measured", "failed", "cancelled"]
    text: str
    observation: Observation | None = None
    carrier: "Carrier | None" = None


class Truing:
    """Measurements and what follows from them. Reads the desk, drives the engine, writes the log."""

    def __init__(self, desk: Desk, reception: Reception, engine: EngineLink, log: LogKeeper) -> None:
        self._desk, self._reception, self._engine, self._log = desk, reception, engine, log
        self._changed = Listeners()
        self._next_id = 1
        self.measuring: Measuring | None = None
        self.outcome: Outcome | None = None
        self.observations: tuple[Observation, ...] = ()
        self.fit: CorrectionFit | None = None
        self.oscillators: Oscillators = known_oscillators(desk.station)
        self._refit()
        desk.on_yard_changed(self._yard_changed)
        desk.on_dial_changed(self._dial_changed)

    def on_truing_changed(self, listener: Listener) -> Callable[[], None]:
        """A measurement moved on, or the fit or the dial's state changed."""
        return self._changed.add(listener)

    # What is known

    def state(self, line: Line | None = None, dial_hz: float | None = None) -> DialState:
        """How far the dial is off: on the active route at the dial, unless told otherwise."""
        return dial_state(
            line or self._desk.line, self._desk.station.dial_hz if dial_hz is None else dial_hz, self.oscillators
        )

    def reference(self) -> Reference | None:
        """The known station nearest to the dial, if the dial is on one."""
        dial_hz = self._desk.station.dial_hz
        near = [r for r in self._desk.station.references if abs(r.frequency_hz - dial_hz) <= NEAR_HZ]
        return min(near, key=lambda r: abs(r.frequency_hz - dial_hz), default=None)

    def proposal(self) -> "Proposal | None":
        """The correction that the fit asks for, or None while there is nothing to correct."""
        if self.fit is None:
            return None
        from yarddial.session.correction import propose

        return propose(self._desk.station, self._desk.line, self.fit, self.oscillators, self.state())

    def touches_active_route(self) -> bool:
        """True when every oscillator of the active route was measured, alone or as part of a sum on this route."""
        line = self._desk.line
        names = {crystal_of(line.receiver.name), *(lo_of(converter.name) for converter in line.converters)}
        touched = {name for o in self.fit.observations for name in o.unknowns} if self.fit else _measured(line)
        return names <= touched

    def why_out_of_reach(self) -> str:
        """Why the active route cannot serve the dial, or an empty text."""
        return self._desk.line.why_not(self._desk.station.dial_hz)

    # What can be done

    def why_not_measure(self) -> str:
        """Why nothing can be measured just now, or an empty text."""
        if self.measuring is not None:
            return "a measurement is under way"
        if self._reception.held_by is not None:
            return "Listen has the receiver: it is given up when True is opened"
        if self.reference() is None:
            return "the dial is on no known station: press ] for the next one"
        if self._desk.line.why_not(self._desk.station.dial_hz):
            return f"this route does not reach it: {self._desk.line.why_not(self._desk.station.dial_hz)}"
        if self._reception.running and not self._reception.is_looking and self._reception.trouble:
            return self._reception.trouble
        return ""

    def measure(self, seconds_s: float = SECONDS, *, verifying: bool = False) -> None:
        """Measure the known station at the dial; starts the receiver when it does not run."""
        reference = self.reference()
        if self.why_not_measure() or reference is None:
            return
        self._desk.dial(reference.frequency_hz)
        if not self._reception.wanted:
            self._reception.start(self._desk.line)
        self.follow_dial()
        state = self.state()
        within_hz = max(abs(state.error_hz) + 4 * state.sigma_hz, LEAST_SEARCH_HZ)
        self.measuring = Measuring(self._next_id, reference, self._desk.line.name, verifying, within_hz)
        self._next_id += 1
        self.outcome = None
        self._engine.send(Measure(self.measuring.id, seconds_s, within_hz))
        self._changed.tell()

    def cancel(self) -> None:
        """Stop measuring; what was observed before is untouched."""
        if self.measuring is not None:
            self._engine.send(CancelMeasure())
            self._end(Outcome("cancelled", "Measurement cancelled."))

    def apply(self) -> None:
        """Enter the proposed correction; it can be undone."""
        proposal = self.proposal()
        if proposal is None or proposal.is_nothing:
            return
        self._desk.edit(proposal.label, proposal.station)
        self._log.add(
            Entry(
                station=self._desk.station.name,
                kind="correction",
                route=self._desk.line.name,
                method="shift" if proposal.shift_only else "model",
                text=proposal.sentence,
                data={"changes": msgspec.to_builtins(proposal.changes), "expected_sigma_hz": proposal.sigma_after_hz},
            )
        )

    def recall(self) -> None:
        """Take today's observations from the log."""
        self.observations = (*_fresh_observations(self._log, self._desk.station.name), *self.observations)
        self._refit()
        self._changed.tell()

    def forget(self) -> None:
        """Start measuring afresh: observations stay in the log, but no longer count."""
        self.observations, self.outcome = (), None
        self._refit()
        self._changed.tell()

    def follow_dial(self) -> None:
        """Let the receiver look where the dial stands, as wide as the sheets' doubts ask, and zoom the picture."""
        line, dial_hz = self._desk.line, self._desk.station.dial_hz
        if line.why_not(dial_hz) or self._reception.held_by is not None:
            return
        loose = dial_state(line, dial_hz, stated_oscillators(self._desk.station))
        reach_hz = max(abs(loose.error_hz) + 4 * loose.sigma_hz, 3_000.0)
        self._reception.tune(line, dial_hz, 1.1 * reach_hz)
        self._reception.show(self.fitting_half_span_hz())

    def fitting_half_span_hz(self) -> float:
        """The picture's half span that shows the carrier wherever it may be."""
        state = self.state()
        wanted = max(1.25 * (abs(state.error_hz) + 2.5 * state.sigma_hz), 25.0)
        return next((span for span in HALF_SPANS_HZ if span >= wanted), HALF_SPANS_HZ[-1])

    # What the engine and the desk say

    def take(self, event: Event) -> None:
        """Take an event from the engine; answers to older requests are dropped."""
        now = self.measuring
        if now is None:
            return
        match event:
            case Progress() if event.id == now.id:
                self.measuring = msgspec.structs.replace(now, fraction=event.fraction, doubt_hz=event.sigma_hz)
                self._changed.tell()
            case Measured() if event.id == now.id:
                self._observed(now, event.carrier)
            case NotMeasured() if event.id == now.id:
                self._end(Outcome("failed", event.sentence))
            case Stopped() if event.reason:
                self._end(Outcome("failed", event.reason))
            case _:
                pass

    def _observed(self, now: Measuring, carrier: "Carrier") -> None:
        line, look = self._desk.line, self._reception.look
        assert look is not None
        observation = _observation(line, now.reference, look.look_hz + carrier.frequency_hz, carrier.sigma_hz)
        self.observations = (*self.observations, observation)
        self._refit()
        text = (
            f"{now.reference.name} {format_frequency(now.reference.frequency_hz)} reads "
            f"{format_hertz(observation.error_hz, observation.total_sigma_hz)} "
            f"{format_doubt(observation.total_sigma_hz)}"
        )
        self._log.add(
            Entry(
                station=self._desk.station.name,
                kind="verification" if now.verifying else "observation",
                route=line.name,
                method="carrier estimate",
                reference=now.reference.name,
                text=text,
                data={
                    "observation": msgspec.to_builtins(observation),
                    "cn0_dbhz": carrier.cn0_dbhz,
                    "duration_s": carrier.duration_s,
                    "drift_hz_per_s": carrier.drift_hz_per_s,
                },
            )
        )
        self._end(Outcome("measured", text, observation, carrier))
        self._reception.show(self.fitting_half_span_hz())

    def _end(self, outcome: Outcome) -> None:
        self.measuring, self.outcome = None, outcome
        self._changed.tell()

    def _refit(self) -> None:
        station = self._desk.station
        usable = tuple(o for o in self.observations if _touches_only(station, o))
        if not usable:
            self.fit, self.oscillators = None, known_oscillators(station)
            return
        from yarddial.analysis.correction.fit import fit
        from yarddial.analysis.correction.posterior import merge, priors_of

        self.fit = fit(usable, priors_of(station))
        self.oscillators = merge(stated_oscillators(station), self.fit)

    def _yard_changed(self) -> None:
        self._refit()
        self.follow_dial()
        self._changed.tell()

    def _dial_changed(self) -> None:
        now = self.measuring
        if now is not None and (self.reference(), self._desk.line.name) != (now.reference, now.route):
            # What is heard from here on belongs to another station or another route.
            self.cancel()
        self.follow_dial()
        self._changed.tell()


def _observation(line: Line, reference: Reference, received_hz: float, sigma_hz: float) -> Observation:
    """Turn what the receiver counted into a dial reading, with the values entered now."""
    shown_hz = received_hz * (1 + line.receiver.entered_ppm * 1e-6)
    dial_hz = shown_hz
    fold = line.fold(line.walk()[-1].out_hz)
    for stage in reversed((*line.stages, *(() if fold is None else (fold,)))):
        dial_hz = (dial_hz - stage.offset_hz) * stage.sense
    return Observation(
        receiver=line.receiver.name,
        reference_hz=reference.frequency_hz,
        reference_sigma_hz=reference.sigma_hz,
        dial_hz=dial_hz,
        sigma_hz=sigma_hz,
        stages=tuple(_seen(converter) for converter in line.converters),
        entered_ppm=line.receiver.entered_ppm,
        reference_name=reference.name,
        route=line.name,
    )


def _measured(line: Line) -> set[str]:
    """Oscillators of a route whose values were measured on an earlier day."""
    found = {lo_of(c.name) for c in line.converters if c.lo_hz.provenance == "measured"}
    return found | ({crystal_of(line.receiver.name)} if line.receiver.crystal_ppm.provenance == "measured" else set())


def _seen(converter: Converter) -> SeenStage:
    return SeenStage(converter.name, converter.kind, converter.nominal_lo_hz, converter.entered_lo_hz)


def _touches_only(station: Station, observation: Observation) -> bool:
    """True while every part that the observation speaks of is still in the yard as it was."""
    there = {c.name: c for part in station.parts for c in converters_of(part)}
    receivers = {line.receiver.name for line in station.lines()}
    return observation.receiver in receivers and all(
        stage.name in there
        and (there[stage.name].follows_dial or there[stage.name].nominal_lo_hz == stage.nominal_lo_hz)
        for stage in observation.stages
    )


def _fresh_observations(log: LogKeeper, station_name: str) -> tuple[Observation, ...]:
    since = (datetime.now(UTC) - FRESH).strftime("%Y-%m-%dT%H:%M:%SZ")
    found: list[Observation] = []
    for entry in log.entries:
        if entry.station == station_name and entry.at_utc >= since and "observation" in entry.data:
            found.append(msgspec.convert(entry.data["observation"], Observation))
    return tuple(reversed(found))
