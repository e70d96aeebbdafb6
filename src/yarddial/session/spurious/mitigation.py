"""Mitigation of a spurious signal at the dial: possible changes, their predicted effect, and a trial."""

from collections.abc import Callable
from math import log10
from typing import TYPE_CHECKING, Literal, Protocol

import msgspec

from yarddial.drivers.simulated.plugs import with_plug, with_query
from yarddial.engine.jobs.lease import Ending
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedRemedy
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.spurious.judged_span import PEAK_OVER_FLOOR_DB, JudgedPeak
from yarddial.session.spurious.span_recording import SpanRecording, SpanSetting
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.station.desk import Desk
from yarddial.yard.demodulation import demodulations_of, usual
from yarddial.yard.editing import put_in, unique_name
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import path_sense
from yarddial.yard.parts import Converter, TwoPort, Value
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.remedies import Remedy, SpanScene, WantedChannel
    from yarddial.analysis.ghosts.scene import Ghost
    from yarddial.analysis.ghosts.span import Span

# Products made inside the receiver, which nothing in front of it removes.
INCURABLE_KINDS = ("oscillator", "crystal")
# A known spurious signal matches within this many sigma of its prediction.
NEAR_SIGMAS = 4.0
SIMULATED = "simulated:"
# Uncertainty of a filter known by description only, dB.
PART_SIGMA_DB = 3.0
REMEDY_TRIAL = JobKind("remedy_trial", "work", "a remedy on trial", "a remedy is being tried")


class MitigationRequest(msgspec.Struct, frozen=True):
    """Inputs of a plan: the dial, the judged peak, and the arguments of `remedies`."""

    dial_hz: float
    route: str
    judged: JudgedPeak
    setting: "SpanScene"
    channel: "WantedChannel"
    ghost: "Ghost"
    able: object

    def plan(self) -> "tuple[Remedy, ...]":
        """Plan with some hundred predictions, not on the interface thread."""
        from yarddial.analysis.ghosts.remedies import Able, remedies

        assert isinstance(self.able, Able)
        return remedies(self.setting, self.channel, self.ghost, self.able)


class Trial(msgspec.Struct, frozen=True):
    """One remedy tried: spans before and after, and levels of the strongest signal in the channel over the floor.

    wanted_hz : middle of the channel afterwards.
    """

    remedy: "Remedy"
    before: "Span"
    after: "Span"
    channel: "WantedChannel"
    wanted_hz: float
    over_before_db: float
    over_db: float

    @property
    def verdict(self) -> Literal["good", "look"]:
        """Good when the channel is free."""
        return "good" if self.over_db < PEAK_OVER_FLOOR_DB else "look"

    @property
    def sentence(self) -> str:
        """Result of the trial as a sentence."""
        before = f"{self.over_before_db:.0f} dB over the floor before"
        if self.verdict == "good":
            return f"The channel is clean: {before}, nothing now"
        return f"Something stands in the channel still: {before}, {self.over_db:.0f} dB now"


class Mitigation:
    """Plans for the spurious signal at the dial; tries remedies one at a time; keeps the one a person wants."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, span_test: SpanTest,
        log: LogKeeper,
    ) -> None:  # fmt: skip
        self._desk, self._live_receiver, self._calibration = desk, live_receiver, calibration
        self._span_test, self._log = span_test, log
        self._records = SpanRecording(desk, live_receiver, jobs, calibration, REMEDY_TRIAL)
        self._changed = Listeners()
        self._spans: list[Span] = []
        self._tried: Remedy | None = None
        self.request: MitigationRequest | None = None
        self.remedies: tuple[Remedy, ...] | None = None
        self.trial: Trial | None = None
        self.trouble = ""

    def on_mitigation_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for a plan, and for the begin and end of a trial."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while a remedy is tried."""
        return self._records.running

    @property
    def doing(self) -> str:
        """The remedy on trial, in words."""
        return self._tried.words if self.running and self._tried is not None else ""

    def needed(self) -> MitigationRequest | None:
        """Inputs of a plan when another spurious signal is at the dial; else None."""
        here = self._span_test.at_dial()
        if here is None or here.judgement.verdict == "true" or self._span_test.running or self.running:
            return None
        dial_hz, route = self._desk.station.dial_hz, self._desk.route.name
        same = self.request is not None and (self.request.dial_hz, self.request.route) == (dial_hz, route)
        if same and self.request is not None and self.request.judged is here:
            return None
        if self._span_test.route is None or self._span_test.route.name != route:
            return None
        self.request, self.remedies, self.trial, self.trouble = self._request(here), None, None, ""
        return self.request

    def refuse_plan(self, request: MitigationRequest, sentence: str) -> None:
        """Note why planning failed."""
        if request is self.request:
            self.remedies, self.trouble = (), sentence
            self._changed.tell()

    def take_plan(self, request: MitigationRequest, ranked: "tuple[Remedy, ...]") -> None:
        """Take a plan, unless its inputs are outdated."""
        if request is self.request:
            self.remedies = ranked
            self._changed.tell()

    @property
    def is_current(self) -> bool:
        """True when the plan belongs to the present dial."""
        now = (self._desk.station.dial_hz, self._desk.route.name)
        return self.request is not None and now == (self.request.dial_hz, self.request.route)

    def why_not_try(self, remedy: "Remedy") -> str:
        """Reason why it cannot be tried here; empty when it can."""
        needs_hands = remedy.part is not None or remedy.lo_hz
        if needs_hands and not self._desk.route.receiver.device.startswith(SIMULATED):
            return "it has to be plugged in first"
        if self.running:
            return "another one is being tried"
        return self._records.why_not() or self._span_test.why_not()

    def try_it(self, remedy: "Remedy") -> None:
        """Record the span before and after the change, and compare the channel."""
        if self.why_not_try(remedy) or self.request is None:
            return
        self._tried, self._spans, self.trial, self.trouble = remedy, [], None, ""
        route = self._span_test.route
        assert route is not None
        steps = [SpanSetting("", 0.0, route, settings_for(route)), self._step(route, remedy)]
        self._records.begin(steps, self._seen, self._ended)
        self._changed.tell()

    def cancel(self) -> None:
        """Cancel the trial."""
        self._records.cancel()

    def keep(self) -> None:
        """Apply the remedy to the yard in one undoable step, and log it."""
        if self.trial is None or not self.is_current:
            return
        remedy = self.trial.remedy
        if remedy.route:
            self._desk.choose_route(remedy.route)
        else:
            self._desk.edit("remedy", self._changed_station(self._desk.station, self._desk.route, remedy))
        text = f"Against a ghost at {format_frequency(self.trial.channel.dial_hz)}: {remedy.words}. "
        data = LoggedRemedy(remedy.kind, self.trial.over_before_db, self.trial.over_db)
        self._log.add(
            Entry(
                station=self._desk.station.name, kind="remedy", route=self._desk.route.name,
                text=f"{text}{self.trial.sentence}", data=data,
            )
        )  # fmt: skip
        self.request = self.remedies = self.trial = None
        # The judgement applied to the former yard: the present one must be examined.
        self._span_test.forget()
        self._span_test.test()
        self._changed.tell()

    def leave(self) -> None:
        """Forget the trial; nothing was set."""
        self.trial = None
        self._changed.tell()

    def _request(self, here: JudgedPeak) -> MitigationRequest:
        from yarddial.analysis.ghosts.inference import source_of
        from yarddial.analysis.ghosts.remedies import SpanScene, WantedChannel

        route, before = self._span_test.route, self._span_test.before
        assert route is not None
        assert before is not None
        station = self._desk.station
        ghost = self._at_hand(here, before)
        scene = self._span_test.scene(route)
        setting = SpanScene(scene, before.centre_hz, before.rate_hz, before.floor_dbm)
        in_scene = {strong_signal.name for strong_signal in scene.strong}
        explained = bool(ghost.sources) and set(ghost.sources) <= in_scene
        if not explained and (source := source_of(ghost, setting)) is not None:
            setting = msgspec.structs.replace(
                setting, scene=msgspec.structs.replace(scene, strong=(*scene.strong, source))
            )
        width_hz = usual(demodulations_of(station.mode, station.dial_hz)[0], station.dial_hz).width_hz
        # Widen the channel to include the peak, which may be off the dial by the dial's error.
        width_hz = max(width_hz, 2 * abs(here.peak.dial_hz - station.dial_hz) + 2 * before.step_hz)
        channel = WantedChannel(station.dial_hz, width_hz)
        able = self._able(route, before, setting)
        return MitigationRequest(station.dial_hz, route.name, here, setting, channel, ghost, able)

    def _at_hand(self, here: JudgedPeak, before: "Span") -> "Ghost":
        """Signal to remove: as predicted, else by the behaviour of its likeliest cause."""
        from yarddial.analysis.ghosts.scene import Ghost

        # Among equally likely causes take one with a remedy: the trial then shows whether it was right.
        likely = [c for c in here.judgement.likely if c.kind not in ("true", *INCURABLE_KINDS)]
        likely += [c for c, _ in here.judgement.odds if c.kind != "true"]
        cause = likely[0]
        near = [
            g
            for g in self._span_test.ghosts
            if g.kind == cause.kind and abs(g.dial_hz - here.peak.dial_hz) < NEAR_SIGMAS * before.within_hz
        ]
        if near:
            best = max(near, key=lambda g: g.level_dbm)
            return msgspec.structs.replace(best, dial_hz=here.peak.dial_hz, level_dbm=here.peak.level_dbm)
        return Ghost(
            here.peak.dial_hz, here.peak.level_dbm, cause.kind, (), "", cause.moves, cause.falls, cause.moves_rate
        )

    def _able(self, route: ResolvedRoute, before: "Span", setting: "SpanScene") -> object:
        from yarddial.analysis.ghosts.remedies import Able, SpanScene

        receiver = route.receiver
        rates = tuple(rate for rate in receiver.rates_hz if self._span_test.is_clean_at(route, rate))
        # Quantisation noise in a step: -6.02 b - 1.76 dB of full scale over the span, plus 1.76 dB for the window.
        steps = before.rate_hz / before.step_hz
        converter_dbm = self._span_test.offset_db - 6.02 * receiver.bits - 10 * log10(steps)
        routes = []
        for other in self._desk.station.resolved_routes():
            there = other.at(route.dial_hz)
            # Only another conversion or another receiver differs; the same receiver shows the same.
            differs = there.receiver.device != receiver.device or [s.name for s in there.stages] != [
                s.name for s in route.stages
            ]
            if self._live_receiver.why_not_connected(there.name):
                continue
            if differs and there.receiver.device and not there.why_not(route.dial_hz) and there.name != route.name:
                centre_hz = there.dial_of(settings_for(there).centre_hz, route.dial_hz)
                scene = self._span_test.scene(there)
                routes.append((there.name, SpanScene(scene, centre_hz, there.receiver.rate_hz, setting.floor_dbm)))
        is_sum = len(route.stages) == 1 and route.stages[0].kind == "sum" and route.transceiver is None
        less_db = tuple(sorted({round(less, 3) for less, _ in self._less(route)}))
        return Able(
            rates, less_db, converter_dbm, lambda hertz: not receiver.why_not(hertz, route.port), tuple(routes), is_sum
        )

    def _less(self, route: ResolvedRoute) -> list[tuple[float, tuple[tuple[str, float], ...]]]:
        """All ways to lower the gain of one stage, with the resulting gains; the first stage first."""
        steps = []
        gains = route.receiver.gains_db()
        for stage in route.receiver.gain_stages:
            for step in stage.steps_db:
                if step < stage.set_db:
                    changed = tuple((name, step if name == stage.name else gain) for name, gain in gains)
                    steps.append((stage.set_db - step, changed))
        return steps

    def _step(self, route: ResolvedRoute, remedy: "Remedy") -> SpanSetting:
        """Record with the remedy, over the changed route."""
        if remedy.route:
            route = self._desk.station.resolve(remedy.route).at(route.dial_hz)
            return SpanSetting("route", 0.0, route, settings_for(route), calibrated=True)
        changed = self._changed_station(self._desk.station, route, remedy).resolve(route.name).at(route.dial_hz)
        return SpanSetting("cure", 0.0, changed, settings_for(changed), calibrated=True)

    def _changed_station(self, station: Station, route: ResolvedRoute, remedy: "Remedy") -> Station:
        """The yard with the remedy applied; raises BadStation."""
        receiver = route.receiver
        if remedy.kind in ("centre", "rate"):
            rate_hz, centre_hz = remedy.setting.rate_hz, remedy.setting.centre_hz
            # Distance of the centre below the dial at the receiver, as a share of the rate.
            below_hz = path_sense(route.counted_stages(route.dial_hz)) * (route.dial_hz - centre_hz)
            changed = msgspec.structs.replace(receiver, rate_hz=rate_hz, park_share=below_hz / rate_hz)
            return station.with_part(changed)
        if remedy.kind == "gain":
            gains = next(dict(gains) for less, gains in self._less(route) if abs(less - remedy.less_db) < 0.01)
            stages = tuple(msgspec.structs.replace(s, set_db=gains[s.name]) for s in receiver.gain_stages)
            return station.with_part(msgspec.structs.replace(receiver, gain_stages=stages))
        if remedy.lo_hz:
            return self._with_oscillator(station, route, remedy.lo_hz)
        if remedy.part is None:
            raise BadStation(f"nothing in the yard can be changed to {remedy.words}")
        return self._with_filter(station, route, remedy)

    def _with_oscillator(self, station: Station, resolved: ResolvedRoute, lo_hz: float) -> Station:
        """Replace the converter on the route; the old one's measurements do not apply to it."""
        converter = next(part for part in resolved.inner if isinstance(part, Converter))
        sigma_hz = converter.lo_hz.unmeasured().sigma * lo_hz / converter.nominal_lo_hz
        name = unique_name(f"{converter.name} {lo_hz / 1e6:g}", (part.name for part in station.parts))
        other = msgspec.structs.replace(
            converter, name=name, lo_hz=Value(lo_hz, sigma_hz, "assumed"), entered_lo_hz=lo_hz
        )
        routes = tuple(
            msgspec.structs.replace(route, parts=tuple(name if n == converter.name else n for n in route.parts))
            if route.name == resolved.name
            else route
            for route in station.routes
        )
        station = msgspec.structs.replace(station, parts=(*station.parts, other), routes=routes)
        return _on_simulated(station, resolved, f"lo={lo_hz:.0f}")

    def _with_filter(self, station: Station, route: ResolvedRoute, remedy: "Remedy") -> Station:
        part = remedy.part
        assert part is not None
        if part.what == "attenuator":
            box = TwoPort("Attenuator", "attenuator", Value(-part.takes_db, 0.5, "assumed"))
            text = f"{route.port}:attenuator:{part.takes_db:g}"
        elif part.what == "notch":
            box = TwoPort(
                "Notch", "filter", Value(-0.5, 0.5, "assumed"), part.low_hz, part.high_hz, remedy.words, "notch"
            )
            text = f"{route.port}:notch:{part.low_hz:.0f}:{part.high_hz:.0f}:{part.takes_db:g}"
        else:
            low_hz, high_hz = (0.0, part.high_hz) if part.what == "low-pass" else (part.low_hz, 1e12)
            name = part.what.capitalize()
            box = TwoPort(
                name, "filter", Value(-0.5, PART_SIGMA_DB, "assumed"), low_hz, high_hz, remedy.words, part.what
            )
            text = f"{route.port}:{part.what}:{part.high_hz:.0f}:{part.poles}"
        return _on_simulated(put_in(station, box, route.name, 1), route, f"plug={text}")

    def _seen(self, step: SpanSetting, span: "Span") -> None:
        del step
        self._spans.append(span)
        self._changed.tell()

    def _ended(self, ending: Ending) -> None:
        self.trouble = ending.reason
        if ending.how == "done" and len(self._spans) == 2 and self.request is not None and self._tried is not None:
            before, after = self._spans
            channel, remedy = self.request.channel, self._tried
            wanted_hz = remedy.dial_hz + self._shift_hz(remedy)
            reach_hz = channel.width_hz / 2
            self.trial = Trial(
                remedy, before, after, channel, wanted_hz,
                before.strongest(channel.dial_hz, reach_hz) - before.floor_dbm,
                after.strongest(wanted_hz, reach_hz) - after.floor_dbm,
            )  # fmt: skip
        elif ending.how == "done":
            self.trouble = "the receiver refused that setting"
        self._changed.tell()

    def _shift_hz(self, remedy: "Remedy") -> float:
        """Shift of the wanted signal on the dial: another route has another error."""
        if not remedy.route:
            return 0.0
        dial_hz = self._desk.station.dial_hz
        other = self._desk.station.resolve(remedy.route).at(dial_hz)
        return self._calibration.state(other, dial_hz).error_hz - self._calibration.state().error_hz


def _on_simulated(station: Station, route: ResolvedRoute, query: str) -> Station:
    """Insert the part into a simulated receiver as well, through its address."""
    receiver = station.part(route.receiver.name)
    device = route.receiver.device
    if not device.startswith(SIMULATED):
        return station
    changed = with_plug(device, query.removeprefix("plug=")) if query.startswith("plug=") else with_query(device, query)
    return station.with_part(msgspec.structs.replace(receiver, device=changed))


class MitigationTopics(CalibrationTopics, Protocol):
    """What the trial needs of the session."""

    @property
    def span_test(self) -> SpanTest:
        """The span test."""
        ...


def _make(of: MitigationTopics) -> Mitigation:
    return Mitigation(of.desk, of.live_receiver, of.jobs, of.calibration, of.span_test, of.log)


DECLARATION = Declaration(
    make=_make, kinds=(REMEDY_TRIAL,), is_under_way=lambda mitigation: mitigation.running, logs=(LoggedRemedy,)
)
