"""Levels: gain stages of the active receiver, sweeps with advice, levels along the route, the 3:1 test."""

import contextlib
from collections.abc import Callable
from itertools import product
from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, SweepDone, SweepPoint
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LogData, LoggedAttenuationTest, LoggedGainSweep
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.log.logged_tuning import logged_tuning
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.bands import bands_within
from yarddial.yard.demodulation import demodulations_of, turned, usual
from yarddial.yard.errors import BadSamples
from yarddial.yard.external_noise import Atmospherics
from yarddial.yard.frequency import format_frequency
from yarddial.yard.level import GainsDb
from yarddial.yard.parts import GainStage
from yarddial.yard.plain_text import count_of
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import KeptGains

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.levels.advice import Advice
    from yarddial.analysis.levels.best_setting import BestGains
    from yarddial.analysis.levels.level_line import LevelLine, MeasuredLevels
    from yarddial.analysis.levels.measured_setting import GainPoint
    from yarddial.analysis.levels.three_to_one import JudgedLine

# Purpose of a sweep: one stage, all of them together, the present levels, or the 3:1 test.
Purpose = Literal["stage", "all", "weigh", "test"]
# Maximum number of settings in one sweep; beyond it steps are thinned and their ends kept.
MAX_SETTINGS = 120
# The 3:1 test inserts the attenuation nearest to the first, at least the second, in this many pairs.
TEST_DB, MIN_TEST_DB, TEST_PAIRS = 8.0, 3.0, 4
# Uncertainty of a level in dBm derived from the noise alone, due to surroundings and noise figures.
BY_NOISE_SIGMA_DB = 6.0
LEVEL_GLANCE = JobKind("level_glance", "glance", "a look at the levels", "the levels are being looked at")
GAIN_SWEEP = JobKind("gain_sweep", "work", "a gain sweep", "a sweep is under way")
ATTENUATION_TEST = JobKind("attenuation_test", "work", "the 3:1 test", "the 3:1 test is under way")
# Kind of job for each purpose.
JOBS: dict[Purpose, JobKind] = {"stage": GAIN_SWEEP, "all": GAIN_SWEEP, "weigh": LEVEL_GLANCE, "test": ATTENUATION_TEST}


class Swept(msgspec.Struct, frozen=True):
    """Conditions of a sweep: dial, route and the other stages' settings."""

    purpose: Purpose
    receiver: str
    route: str
    dial_hz: float
    stage: str
    others: tuple[tuple[str, float], ...]


class Levels(Job):
    """One sweep at a time; its steps, and the advice once it is done."""

    def __init__(self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, log: LogKeeper) -> None:
        self._desk, self._live_receiver, self._jobs, self._log = desk, live_receiver, jobs, log
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._points: list[SweepPoint] = []
        self._last_points: list[SweepPoint] = []
        self._running: Swept | None = None
        self.swept: Swept | None = None
        self.steps: tuple[GainPoint, ...] = ()
        self.advice: Advice | None = None
        self.setting: BestGains | None = None
        self.strongest_hz: float | None = None
        self.trouble = ""
        self.fraction: float | None = None
        # Lines of the 3:1 test with their dial frequencies, and its conditions.
        self.tested: Swept | None = None
        self.lines: tuple[tuple[float, JudgedLine], ...] = ()
        # Present levels, and their conditions.
        self._weighed: tuple[Swept, SweepPoint] | None = None
        desk.on_dial_changed(self._moved)
        desk.on_yard_changed(self._moved)
        live_receiver.on_receiver_changed(self._changed.tell)

    def on_levels_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new steps, the end of a sweep, and changed gains."""
        return self._changed.add(listener)

    # What is known

    @property
    def stages(self) -> tuple[GainStage, ...]:
        """Stages of the active route's receiver, the first in the signal path first."""
        return () if self._desk.route.missing else self._desk.route.receiver.gain_stages

    @property
    def is_current(self) -> bool:
        """True when the conditions of the last sweep still hold."""
        return self.swept is not None and self.swept == self._here(self.swept.purpose, self.swept.stage)

    @property
    def is_tested(self) -> bool:
        """True when the conditions of the 3:1 test still hold."""
        return self.tested is not None and self.tested == self._here("test", self.tested.stage)

    @property
    def running_purpose(self) -> Purpose | None:
        """Purpose of the sweep in progress."""
        return None if self._running is None else self._running.purpose

    @property
    def surroundings(self) -> str:
        """Surroundings of the antennas, which set the external noise."""
        return self._desk.station.surroundings

    def choose_surroundings(self, name: str) -> None:
        """Choose the surroundings of the antennas; undoable."""
        station = msgspec.structs.replace(self._desk.station, surroundings=name)
        self._desk.edit("surroundings", station)

    @property
    def atmospherics(self) -> Atmospherics:
        """Thunderstorms assumed for the noise."""
        return self._desk.station.atmospherics

    def choose_atmospherics(self, name: Atmospherics) -> None:
        """Choose the thunderstorms assumed; undoable."""
        self._desk.edit("thunderstorms", msgspec.structs.replace(self._desk.station, atmospherics=name))

    def level_line(self) -> "LevelLine | None":
        """Levels along the active route at the dial, in the mode's bandwidth; None while out of reach."""
        from yarddial.analysis.levels.level_line import level_line

        dial_hz = self._desk.station.dial_hz
        if self._desk.route.why_not(dial_hz):
            return None
        demodulation = usual(demodulations_of(self._desk.station.mode, dial_hz)[0], dial_hz)
        route = self._desk.route.at(dial_hz)
        point = self.weighed()
        if point is None:
            return level_line(route, self._desk.outside, demodulation.width_hz)
        seen = self._seen(route, point)
        return level_line(route, self._desk.outside, demodulation.width_hz, seen, is_hidden=seen is None)

    def weighed(self) -> SweepPoint | None:
        """Levels measured with the present gains, dial and route."""
        return self._weighed[1] if self._weighed is not None and self._weighed[0] == self._here("weigh", "") else None

    def _seen(self, route: ResolvedRoute, point: SweepPoint) -> "MeasuredLevels | None":
        """Convert measured levels to dBm at the socket: by the calibration, else by the expected noise."""
        from yarddial.analysis.levels.level_line import MeasuredLevels, socket_offset_db

        offset = route.receiver.level_offset(route.port)
        if offset is not None:
            offset_db, sigma_db, by = offset.value, offset.sigma, "as calibrated"
        else:
            by_noise_db = socket_offset_db(route, self._desk.outside, point.floor_dbfs_hz)
            if by_noise_db is None:
                return None
            offset_db, sigma_db = by_noise_db, BY_NOISE_SIGMA_DB
            by = "by the noise that should be there, as nothing is calibrated"
        step = step_of(point)
        wanted_dbm = point.channel_dbfs + offset_db if step.over_db > 0 else None
        # A wide signal is weak in each line, and may still be the strongest.
        strongest_dbfs = max(point.strongest_dbfs, point.channel_dbfs)
        return MeasuredLevels(wanted_dbm, strongest_dbfs + offset_db, offset_db, sigma_db, by)

    def kept_here(self) -> KeptGains | None:
        """Gains stored for the dial's band over this route."""
        band, route = self._band(), self._desk.route.name
        return next((k for k in self._desk.station.kept_gains if (k.band, k.route) == (band, route)), None)

    # What can be done

    def set_gain(self, stage: str, gain_db: float) -> None:
        """Set a stage to the step nearest to a gain; undoable."""
        self._set_gains(f"gain {stage}", ((stage, gain_db),), "")

    def why_not_sweep(self, purpose: Purpose = "stage") -> str:
        """Reason why no sweep can begin now; empty when it can."""
        if why_not := self._jobs.why_not(JOBS[purpose]):
            return why_not
        if why_not := self._desk.route.why_not(self._desk.station.dial_hz):
            return why_not
        if not self.stages:
            return f"{self._desk.route.receiver.name} has no gain to set"
        if not self._live_receiver.is_tuned:
            return "the receiver is off: Space starts it"
        return ""

    def why_not_test(self) -> str:
        """Reason why the 3:1 test cannot begin now; empty when it can."""
        why_not = self.why_not_sweep("test")
        if not why_not and self._test_steps() is None:
            why_not = f"{self.stages[0].name} has no step that takes {MIN_TEST_DB:g} dB or more off"
        return why_not

    def sweep(self, stage: str) -> None:
        """Measure at every real step of a stage, with the others unchanged."""
        chosen_stage = next((candidate for candidate in self.stages if candidate.name == stage), None)
        if self.why_not_sweep() or chosen_stage is None:
            return
        self.swept, self.steps, self.advice, self.setting = self._here("stage", stage), (), None, None
        self._begin(self.swept, tuple(((stage, gain_db),) for gain_db in chosen_stage.steps_db), with_products=True)

    def sweep_all(self) -> None:
        """Measure at every setting of all stages together."""
        if self.why_not_sweep():
            return
        self.swept, self.steps, self.advice, self.setting = self._here("all", ""), (), None, None
        self._begin(self.swept, settings_of(self.stages), with_products=True)

    def weigh(self) -> None:
        """Measure the present levels, unless they are known or another measurement runs."""
        here = self._here("weigh", "")
        is_known = self._weighed is not None and self._weighed[0] == here
        if not is_known and not self.why_not_sweep("weigh"):
            self._begin(here, ((),))

    def test_products(self) -> None:
        """Repeatedly insert attenuation in front, and see what falls three times as fast."""
        steps = self._test_steps()
        if self.why_not_test() or steps is None:
            return
        name, (less_db, more_db) = self.stages[0].name, steps
        self.tested, self.lines = self._here("test", name), ()
        self._begin(self.tested, (((name, more_db),), ((name, less_db),)) * TEST_PAIRS, with_span=True)

    def cancel(self) -> None:
        """Cancel the sweep; the gain is restored."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def advised(self) -> GainsDb:
        """Gains that the last sweep advises; empty where it advises nothing."""
        if self.setting is not None:
            return self.setting.gains_db
        return ((self.swept.stage, self.advice.gain_db),) if self.advice is not None and self.swept is not None else ()

    def use(self) -> None:
        """Set the advised gains, and store them for this band and route."""
        judged = self.advice or self.setting
        if judged is not None and self.is_current:
            self._set_gains("advised gain", self.advised(), judged.reason)

    def use_kept(self) -> None:
        """Set the gains stored for this band and route."""
        if (stored_gains := self.kept_here()) is not None:
            self._set_gains(f"gains of {stored_gains.band}", stored_gains.gains_db, "")

    # What the engine says

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case SweepPoint() if self._running is not None:
                self.fraction = event.fraction
                self._points.append(event)
                if self._running.purpose in ("stage", "all"):
                    self.steps = (*self.steps, step_of(event))
            case SweepDone() if self._lease is not None:
                self._lease.end("failed" if event.reason else "done", event.reason)
            case _:
                return
        self._changed.tell()

    def _begin(
        self, swept: Swept, settings: tuple[GainsDb, ...], *, with_span: bool = False, with_products: bool = False
    ) -> None:
        lease = self._jobs.request(JOBS[swept.purpose], self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        self._running, self._points, self.trouble, self.fraction = swept, [], "", 0.0
        dial_hz = self._desk.station.dial_hz
        demodulation = usual(demodulations_of(self._desk.station.mode, dial_hz)[0], dial_hz)
        heard = turned(demodulation.settings(), self._desk.route.at(dial_hz))
        middle_hz = (heard.low_hz + heard.high_hz) / 2
        lease.ask(Sweep(settings, demodulation.width_hz, middle_hz, with_span=with_span, with_products=with_products))
        self._changed.tell()

    def ended(self, ending: Ending) -> None:
        """Judge the result; the gains are restored."""
        swept, points = self._running, self._points
        # An interrupted weighing is no failure: it restarts by itself.
        trouble = "" if swept is not None and swept.purpose == "weigh" else ending.reason
        self._lease, self._running, self._points, self.fraction, self.trouble = None, None, [], None, trouble
        if ending.how == "done" and swept is not None and points:
            self._finish(swept, points)
        self._changed.tell()

    def why_stale(self) -> str:
        """A change of dial, route or another stage's setting makes the sweep useless."""
        if self._running is None or self._running == self._here(self._running.purpose, self._running.stage):
            return ""
        return "the dial or the yard was changed meanwhile"

    def _finish(self, swept: Swept, points: list[SweepPoint]) -> None:
        try:
            self._last_points = points
            match swept.purpose:
                case "weigh":
                    self._weighed = (swept, points[-1])
                case "test":
                    self._judge(swept, points)
                case "all":
                    self._set_together(swept)
                case _:
                    self._advise(swept)
        except BadSamples as error:
            self.trouble = str(error)

    def _advise(self, swept: Swept) -> None:
        from yarddial.analysis.levels.advice import advise

        self.advice = advise(self.steps)
        if len(self.stages) == 1:
            # With all stages swept, predicted products and clipping decide too, where there is a signal.
            with contextlib.suppress(BadSamples):
                self._take_setting()
        if self.setting is not None:
            ((_, gain_db),) = self.setting.gains_db
            self.advice = msgspec.structs.replace(
                self.advice, gain_db=gain_db, by="signal", reason=self.setting.reason, over_db=self.setting.sndr_db
            )
        text = f"Gain '{swept.stage}' of {swept.receiver} swept at {format_frequency(swept.dial_hz)}: "
        self._log_it(swept, f"{text}{self.advice.gain_db:g} dB advised", self._swept(self.advice))

    def _take_setting(self) -> "BestGains":
        from yarddial.analysis.levels.best_setting import best_setting

        ratio = 10 ** ((line.over_db if (line := self.level_line()) is not None else -100.0) / 10)
        setting = self.setting = best_setting(self.steps, ratio / (1 + ratio))
        chosen = next(point for point in self._last_points if point.gains_db == setting.gains_db)
        self.strongest_hz = self._dial_of(chosen.tuning.centre_hz + chosen.strongest_hz)
        return setting

    def _set_together(self, swept: Swept) -> None:
        setting = self._take_setting()
        text = f"All gains of {swept.receiver} swept at {format_frequency(swept.dial_hz)}: "
        gain_words = ", ".join(f"{name} {gain_db:g} dB" for name, gain_db in setting.gains_db)
        self._log_it(swept, f"{text}{gain_words} advised", self._swept(setting))

    def _judge(self, swept: Swept, points: list[SweepPoint]) -> None:
        from yarddial.analysis.levels.three_to_one import judge_lines

        tuning = points[0].tuning
        # Use the real reduction of gain, not the requested one.
        less_db = sum(gain_db for _, gain_db in points[0].gains_db) - sum(gain_db for _, gain_db in points[1].gains_db)
        judged = judge_lines([p.span for p in points[::2]], [p.span for p in points[1::2]], tuning.rate_hz, less_db)
        self.lines = tuple((self._dial_of(tuning.centre_hz + line.offset_hz), line) for line in judged)
        product_count = sum(line.kind == "product" for line in judged)
        text = f"3:1 test of {swept.receiver} at {format_frequency(swept.dial_hz)} with {less_db:g} dB: "
        data = LoggedAttenuationTest(tuple(msgspec.to_builtins(line) for line in judged), logged_tuning(tuning))
        self._log_it(swept, f"{text}{product_count} of {count_of(len(judged), 'line')} made in the receiver", data)

    def _swept(self, advice: msgspec.Struct) -> LoggedGainSweep:
        tuning = logged_tuning(self._last_points[-1].tuning)
        return LoggedGainSweep(msgspec.to_builtins(advice), msgspec.to_builtins(self.steps), tuning)

    def _log_it(self, swept: Swept, text: str, data: LogData) -> None:
        self._log.add(Entry(station=self._desk.station.name, kind="levels", route=swept.route, text=text, data=data))

    # The rest

    def _set_gains(self, label: str, gains_db: GainsDb, reason: str) -> None:
        """Set stages to their nearest steps in one edit; with a reason they are stored for the band too."""
        receiver, wanted = self._desk.route.receiver, dict(gains_db)
        stages = tuple(
            msgspec.structs.replace(gain_stage, set_db=gain_stage.nearest_db(wanted[gain_stage.name]))
            if gain_stage.name in wanted
            else gain_stage
            for gain_stage in receiver.gain_stages
        )
        changed = msgspec.structs.replace(receiver, gain_stages=stages)
        station = self._desk.station.with_part(changed)
        if reason:
            day = clock.today()
            stored_gains = KeptGains(self._band(), self._desk.route.name, changed.gains_db(), reason, day)
            others = tuple(
                k for k in station.kept_gains if (k.band, k.route) != (stored_gains.band, stored_gains.route)
            )
            station = msgspec.structs.replace(station, kept_gains=(*others, stored_gains))
        self._desk.edit(label, station)

    def _band(self) -> str:
        dial_hz = self._desk.station.dial_hz
        bands = bands_within(dial_hz, dial_hz + 1e-3, self._desk.station.bands)
        return bands[0].name if bands else f"about {format_frequency(round(dial_hz, -6) or dial_hz)}"

    def _test_steps(self) -> tuple[float, float] | None:
        """Lower and higher gain of the first stage for the 3:1 test; None where it has no two."""
        stage = self.stages[0]
        below = [db for db in stage.steps_db if stage.set_db - db >= MIN_TEST_DB]
        if below:
            return min(below, key=lambda db: abs(stage.set_db - db - TEST_DB)), stage.set_db
        above = [db for db in stage.steps_db if db - stage.set_db >= MIN_TEST_DB]
        return (stage.set_db, min(above, key=lambda db: abs(db - stage.set_db - TEST_DB))) if above else None

    def _dial_of(self, counted_hz: float) -> float:
        dial_hz = self._desk.station.dial_hz
        return self._desk.route.at(dial_hz).dial_of(counted_hz, dial_hz)

    def _here(self, purpose: Purpose, stage: str) -> Swept:
        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        # A sweep over all stages holds for any of their settings; a weighing only for the present ones.
        moved = {gain_stage.name for gain_stage in route.receiver.gain_stages} if purpose == "all" else {stage}
        others = tuple(
            (gain_stage.name, gain_stage.set_db)
            for gain_stage in route.receiver.gain_stages
            if gain_stage.name not in moved
        )
        return Swept(purpose, route.receiver.name, route.name, dial_hz, stage, others)

    def _moved(self) -> None:
        self._changed.tell()


def settings_of(stages: tuple[GainStage, ...]) -> tuple[GainsDb, ...]:
    """All combinations of the stages, later stages varying fastest; thinned where there are too many."""
    every = [list(stage.steps_db) for stage in stages]
    while _count(every) > MAX_SETTINGS:
        longest = max(every, key=len)
        inner = longest[1:-1][1::2]
        longest[:] = [longest[0], *inner, longest[-1]]
    names = [stage.name for stage in stages]
    return tuple(tuple(zip(names, gains_db, strict=True)) for gains_db in product(*every))


def _count(every: list[list[float]]) -> int:
    count = 1
    for steps in every:
        count *= len(steps)
    return count


def step_of(point: SweepPoint) -> "GainPoint":
    """Convert a point of a sweep for the evaluation."""
    from yarddial.analysis.levels.measured_setting import GainPoint

    return GainPoint(
        sum(gain_db for _, gain_db in point.gains_db),
        point.floor_dbfs_hz,
        point.channel_dbfs,
        point.width_hz,
        point.clipped_share,
        point.gains_db,
        point.total_dbfs,
        point.products_dbfs,
    )
