"""Calibration sequence: measure as planned until all oscillators are known; a person enters all at once."""

from collections.abc import Callable

import msgspec

from yarddial.analysis.correction.measurement_plan import MeasurementPlan, PlannedMeasurement
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import utc_now
from yarddial.session.activity import Declaration
from yarddial.session.background import Background
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.oscillator_list import (
    MENU_HZ,
    KnownState,
    OscillatorRow,
    PlanRequest,
    RouteEffect,
    oscillator_rows,
    route_effects,
)
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.yard.frequency import format_hertz
from yarddial.yard.oscillators import oscillator_of
from yarddial.yard.parts import Transceiver, converters_of
from yarddial.yard.shared_sockets import Move

# Resolution of a transceiver's menu at ten megahertz.
MENU_STEP_HZ = 0.1
# Maximum number of measurements in one sequence.
MAX_MEASUREMENTS = 24
CALIBRATION_SEQUENCE = JobKind(
    "oscillator_walk",
    "work",
    "all oscillators",
    "all oscillators are being measured",
    tunes=False,
    outlives=True,
    asks_hands=True,
)


class CalibrationSequence(Job):
    """Plans in the background; measures under its own lease; does not retry a station without a signal."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        calibration: Calibration,
        background: Background,
        hands: Hands,
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._hands = desk, live_receiver, jobs, hands
        # Planned measurement whose route a hand must connect first.
        self._waiting: PlannedMeasurement | None = None
        self._calibration, self._background = calibration, background
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._asked: PlanRequest | None = None
        self._answered: PlanRequest | None = None
        self._left_out: frozenset[tuple[str, str]] = frozenset()
        self._now: PlannedMeasurement | None = None
        self._count = 0
        self._yard = ""
        # Rows as last made, with their inputs.
        self._rows: dict[bool, tuple[OscillatorRow, ...]] = {}
        self._rows_of: tuple[object, ...] = ()
        self.plan: MeasurementPlan | None = None
        self.trouble = ""
        calibration.on_calibration_changed(self._changed.tell)

    def on_sequence_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for progress, new plans, begin and end."""
        return self._changed.add(listener)

    def menu_was_set(self, part_name: str) -> None:
        """Mark a transceiver's reference as corrected in its own menu by the person.

        That it was, and the right way, is only the person's word: until it is measured again, its uncertainty is as
        large as the error that was to be removed. Earlier measurements of it no longer count; one undo restores them.
        """
        station = self._desk.station
        part = station.part(part_name)
        if not isinstance(part, Transceiver):
            return
        (converter,) = converters_of(part) or (None,)
        if converter is None:
            return
        name, known = oscillator_of(converter), self._calibration.oscillators
        at_utc = utc_now()
        offset = format_hertz(-known.value(name) * 1e-6 * MENU_HZ, 0.1)
        step_ppm = MENU_STEP_HZ / MENU_HZ * 1e6
        before_ppm = known.value(name)
        sigma = max((known.sigma(name) ** 2 + step_ppm**2 / 12) ** 0.5, abs(before_ppm))
        value = part.rig_ppm.measured(0.0, sigma, at_utc, f"set in its menu by {offset} at 10 MHz, unchecked")
        changed = msgspec.structs.replace(part, rig_ppm=value, menu_set_utc=at_utc, menu_before_ppm=before_ppm)
        self._desk.edit(f"{part_name}: set in its own menu", station.with_part(changed))

    @property
    def running(self) -> bool:
        """True while the sequence runs."""
        return self._lease is not None

    @property
    def awaited_move(self) -> Move | None:
        """Move by hand that the next measurement needs, while it is waited for."""
        moves = self._hands.moves(self._waiting.route) if self._waiting is not None else ()
        return moves[0] if moves else None

    @property
    def doing(self) -> str:
        """Present measurement and progress, or the move that is waited for."""
        if self._waiting is not None:
            return self._hands.why_not(self._waiting.route)
        if self._now is None:
            return ""
        left = len(self.plan.measurements) if self.plan is not None else 1
        name = f"{self._now.reference.name} over {self._now.route}"
        return f"{self._count} of about {self._count + max(left - 1, 0)}: {name}"

    def rows(self, *, every: bool = False) -> tuple[OscillatorRow, ...]:
        """State of the oscillators that the routes need, or of every one: the same wherever it is shown. Cached."""
        calibration = self._calibration
        fit, proposal = calibration.fit, calibration.proposal()
        key = (self._desk.station, calibration.oscillators, self.plan, fit, proposal)
        if len(self._rows_of) != len(key) or any(a is not b for a, b in zip(key, self._rows_of, strict=True)):
            self._rows_of, self._rows = key, {}
        if every not in self._rows:
            self._rows[every] = oscillator_rows(self._desk.station, self._known(), self.plan, every=every)
        return self._rows[every]

    def _known(self) -> KnownState:
        calibration = self._calibration
        fit, proposal = calibration.fit, calibration.proposal()
        changes = () if proposal is None else proposal.changes
        together = fit.together if fit is not None else ()
        pending = {change.oscillator for change in changes if not change.known_only}
        # A sum is entered as a whole.
        pending |= {name for group in together if pending & set(group) for name in group}
        touched = frozenset(calibration.oscillator_estimates.touched())
        return KnownState(calibration.oscillators, touched, together, frozenset(pending))

    def will_change(self) -> str:
        """What entering would change, before and after; empty where there is nothing to enter."""
        proposal = self._calibration.proposal()
        changes = () if proposal is None else proposal.changes
        return "; ".join(change.before_and_after for change in changes)

    def effects(self) -> tuple[RouteEffect, ...]:
        """Effect of entering the correction on each route; empty where there is none to enter."""
        proposal = self._calibration.proposal()
        if proposal is None or proposal.is_nothing:
            return ()
        return route_effects(self._desk.station, proposal.station, self._calibration.oscillators)

    def ask_plan(self) -> None:
        """Request a plan for the present state; the answer comes by `on_sequence_changed`."""
        request = self._request()
        if request != self._asked:
            self._asked = request
            self._background.ask("the plan of measurements", request.solve, self._take_plan, self._no_plan)

    def _request(self) -> PlanRequest:
        fit = self._calibration.fit
        kept_rows = fit.kept if fit is not None else ()
        estimates = self._calibration.oscillator_estimates
        return PlanRequest(self._desk.station, estimates.fitted, estimates.before, kept_rows, self._left_out)

    def _take_plan(self, plan: MeasurementPlan) -> None:
        self.plan, self._answered = plan, self._asked
        if self._lease is not None and self._now is None:
            self._go_on()
        self._changed.tell()

    def _no_plan(self, sentence: str) -> None:
        self.plan = None
        if self._lease is not None:
            self._lease.end("failed", f"no plan could be made: {sentence}")
        self._changed.tell()

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if why_not := self._jobs.why_not(CALIBRATION_SEQUENCE):
            return why_not
        return "a recording plays: end it first" if self._live_receiver.plays else ""

    def start(self) -> None:
        """Start the sequence."""
        if self.why_not():
            return
        lease = self._jobs.request(CALIBRATION_SEQUENCE, self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        lease.restore_with(self._desk.restorer())
        self.trouble, self._yard, self._count, self._now = "", self._desk.station.name, 0, None
        self._left_out = frozenset()
        self._plan_on()
        self._changed.tell()

    def skip(self) -> None:
        """Skip the present measurement, or the first planned one."""
        planned = (
            self._now
            or self._waiting
            or (self.plan.measurements[0] if self.plan is not None and self.plan.measurements else None)
        )
        if planned is None:
            return
        self._left_out |= {(planned.reference.name, planned.route)}
        self._waiting = None
        if self._now is not None:
            self._calibration.cancel()
        else:
            self.ask_plan()

    def cancel(self) -> None:
        """Stop; measurements so far stay."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def ended(self, ending: Ending) -> None:
        """Clean up; the dial is back where it was."""
        self._lease, self._now, self._waiting = None, None, None
        self._hands.ask("")
        if ending.how == "cancelled":
            self.trouble = "stopped: what was measured stays, and the walk can be gone on with"
        elif ending.how != "done":
            self.trouble = f"stopped, {ending.reason}: it can be gone on with"
        self._changed.tell()

    def why_stale(self) -> str:
        """The sequence belongs to one yard."""
        return "" if self._desk.station.name == self._yard else "another yard was opened"

    def poll(self) -> None:
        """Continue when the present measurement has ended, or the hand that was waited for has connected the route."""
        if self._waiting is not None and not self._hands.moves(self._waiting.route):
            self._waiting = None
            self._go_on()
        if self._lease is None or self._now is None or self._calibration.measuring is not None:
            return
        planned, self._now = self._now, None
        outcome = self._calibration.outcome
        if outcome is None or outcome.kind != "measured":
            self._left_out |= {(planned.reference.name, planned.route)}
        if not self._live_receiver.wanted and self._live_receiver.trouble:
            self._lease.end("failed", self._live_receiver.trouble)
            return
        self._plan_on()

    def _plan_on(self) -> None:
        """Make a new plan, or continue the last one when nothing changed."""
        self.ask_plan()
        if self._answered == self._asked and self.plan is not None:
            self._go_on()

    def _go_on(self) -> None:
        lease, plan = self._lease, self.plan
        if lease is None or plan is None:
            return
        if not plan.measurements or self._count >= MAX_MEASUREMENTS:
            # What was measured is entered by a person, who sees beforehand what it changes.
            lease.end()
            return
        # Measure first what needs no hand; then move plugs as little as possible.
        routes = self._hands.in_order(tuple(planned.route for planned in plan.measurements))
        planned = next(planned for planned in plan.measurements if planned.route == routes[0])
        desk = self._desk
        if self._hands.moves(planned.route):
            self._waiting = planned
            desk.choose_route(planned.route)
            self._hands.ask(planned.route)
            self._changed.tell()
            return
        self._hands.ask("")
        self._now = planned
        self._count += 1
        desk.hold(False)
        desk.choose_route(planned.route)
        desk.dial(planned.reference.frequency_hz)
        desk.choose_mode(planned.reference.mode)
        if desk.station.route != planned.route:
            desk.choose_route(planned.route)
        if self._calibration.why_not_measure(within=lease):
            # It cannot be measured now, which shows by its absence from the plan.
            self._now = None
            self._left_out |= {(planned.reference.name, planned.route)}
            self._plan_on()
            return
        self._calibration.measure(within=lease)
        self._changed.tell()


def _make(of: CalibrationTopics) -> CalibrationSequence:
    return CalibrationSequence(of.desk, of.live_receiver, of.jobs, of.calibration, of.background, of.hands)


DECLARATION = Declaration(
    make=_make,
    kinds=(CALIBRATION_SEQUENCE,),
    begin={CALIBRATION_SEQUENCE.name: CalibrationSequence.start},
    is_under_way=lambda sequence: sequence.running,
    poll=CalibrationSequence.poll,
)
