"""The session: one person at one station now. Joins desk, reception, truing and log, and passes events along."""

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.link import EngineLink
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedEntered, LoggedPlace
from yarddial.session.background import Background
from yarddial.session.bands.band_board import BandBoard
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.crystal_follower import CrystalFollower
from yarddial.session.faults import Faults
from yarddial.session.first_light.device_check import BeginRun, DeviceCheck
from yarddial.session.levels.levels import Levels
from yarddial.session.listeners import Listeners
from yarddial.session.listening.listening import Listening
from yarddial.session.log.log_keeper import Book, LogKeeper
from yarddial.session.memory import give_back, keep_together
from yarddial.session.overview.overview import Overview
from yarddial.session.preferences.keeper import PreferenceKeeper
from yarddial.session.receiver.far_recordings import FarRecordings
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.spurious.span_test import SpanTest
from yarddial.session.spurious.strong_signals import StrongSignals
from yarddial.session.station.desk import Desk, Edit
from yarddial.session.station.inspection import Inspection
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten
from yarddial.yard.frequency import format_frequency
from yarddial.yard.reach import reaching
from yarddial.yard.station import Reference, Station

if TYPE_CHECKING:
    # Not needed before the first paint.
    from collections.abc import Mapping
    from pathlib import Path

    from yarddial.distance.far_engine import FarEngine
    from yarddial.drivers.rig.protocol import RigLink
    from yarddial.session.bands.band_run import BandRun
    from yarddial.session.calibration.carrier_watch import CarrierWatch
    from yarddial.session.calibration.live_methods import LiveMethods
    from yarddial.session.calibration.lo_leak_scan import LoLeakScan
    from yarddial.session.calibration.oscillator_walk import OscillatorWalk
    from yarddial.session.calibration.other_methods import OtherMethods
    from yarddial.session.listening.comparison import Comparison
    from yarddial.session.listening.reception_check import ReceptionCheck
    from yarddial.session.listening.replayed_centre import CentreAt
    from yarddial.session.receiver.receiver_choice import ChoiceHelpers, ReceiverChoice
    from yarddial.session.rig.own_transmission import OwnTransmission
    from yarddial.session.sampling.span_planner import SpanPlanner
    from yarddial.session.spurious.expected_products import ExpectedProducts
    from yarddial.session.spurious.interference_hunt import InterferenceHunt
    from yarddial.session.spurious.mitigation import Mitigation
    from yarddial.session.station.building import Building
    from yarddial.session.station.station_saver import StationSaver
    from yarddial.session.station.versions import Side

# Between two savings of the dial, and between two attempts to write what the log could not take: polls or seconds,
# whichever is over first, as an idle window polls seldom.
RETRY_POLLS, RETRY_S = 120, 2.0
# The log is copied when the start is long over.
LOOK_AFTER_POLLS = 100
# So often the dial's uncertainty grows by something.
GROW_POLLS, GROW_S = 3600, 60.0


class Session:
    """All that a window or a script needs; knows neither."""

    def __init__(
        self,
        station: Station,
        engine: EngineLink,
        open_book: Callable[[], Book],
        save: Callable[[Station], None] | None = None,
        recovered: Station | None = None,
        begin_check: "BeginRun | None" = None,
        faults: Faults | None = None,
        saver: "StationSaver | None" = None,
        helpers: "Callable[[], ChoiceHelpers] | None" = None,
        preferences: PreferenceKeeper | None = None,
        open_rig: "Callable[[str], RigLink] | None" = None,
        far_in_use: "Callable[[], FarEngine | None]" = lambda: None,
    ) -> None:
        """far_in_use : the far computer whose receiver is used, None while it is one of this computer's."""
        keep_together()
        self._far_in_use = far_in_use
        self._engine = engine
        self._polls = 0
        self._cleared = False
        self._grows, self._retries = _Every(GROW_POLLS, GROW_S), _Every(RETRY_POLLS, RETRY_S)
        self.recovered, self.saver = recovered, saver
        self._saver_state: object = None
        self._far_state: object = None
        self._helpers = helpers
        self._saver_changed = Listeners()
        self.faults = faults or Faults()
        self.preferences = preferences or PreferenceKeeper()
        self.background = Background()
        # What may take long and nobody waits for.
        self.upkeep = Background()
        self.jobs = jobs = Scheduler(engine)
        self.desk = desk = Desk(station, save)
        # Before anybody else hears of it: what is under way must not go on with a dial that was turned.
        desk.on_dial_changed(jobs.check_stale)
        desk.on_yard_changed(jobs.check_stale)
        self.inspection = Inspection(desk)
        self.log = LogKeeper(open_book)
        self.live_receiver = receiver = LiveReceiver(jobs)
        self.calibration = calibration = Calibration(desk, receiver, jobs, self.log, self.background)
        self.listening = Listening(desk, receiver, jobs, self.note)
        self.far_recordings = FarRecordings(far_in_use)
        self.listening.recorder.bring = self.far_recordings.bring
        self.crystal_follower = CrystalFollower(desk, receiver, jobs, calibration)
        self.levels = Levels(desk, receiver, jobs, self.log)
        self.strong = StrongSignals(desk, receiver, jobs, calibration, self.log)
        self.span_test = SpanTest(desk, receiver, jobs, calibration, self.log, self.strong)
        self.board = BandBoard(desk, calibration, self.log, self.background)
        self.device_check = DeviceCheck(desk, receiver, jobs, self.log, begin_check)
        self.rig = RigControl(desk, receiver, jobs, self.listening, open_rig)
        self.overview = Overview(
            self,
            jobs,
            (
                desk.on_yard_changed,
                desk.on_dial_changed,
                desk.on_saving_changed,
                self._saver_changed.add,
                calibration.on_calibration_changed,
                self.device_check.on_device_check_changed,
                self.listening.on_listening_changed,
                self.levels.on_levels_changed,
                receiver.on_receiver_changed,
                self.log.on_log_changed,
                self.span_test.on_span_test_changed,
                self.board.on_board_changed,
                jobs.on_jobs_changed,
                self.faults.on_fault,
                self.rig.on_rig_changed,
            ),
        )
        self.preferences.on_preferences_changed(desk.show_again)
        calibration.follow_dial()

    @cached_property
    def receiver_choice(self) -> "ReceiverChoice":
        """What a receiver of the yard really is; loaded when somebody chooses."""
        from yarddial.session.receiver.receiver_choice import ReceiverChoice

        helpers = self._helpers() if self._helpers is not None else None
        return ReceiverChoice(self.desk, self.live_receiver, helpers)

    @cached_property
    def carrier_watch(self) -> "CarrierWatch":
        """How an oscillator warms up, and how steady it is; loaded when it is first asked for."""
        from yarddial.session.calibration.carrier_watch import CarrierWatch

        return CarrierWatch(self.desk, self.live_receiver, self.jobs, self.calibration, self.log)

    @cached_property
    def lo_leak_scan(self) -> "LoLeakScan":
        """A converter's own leak, looked for with the receiver; loaded when it is first asked for."""
        from yarddial.session.calibration.lo_leak_scan import LoLeakScan

        return LoLeakScan(self.desk, self.live_receiver, self.jobs, lambda: self.calibration.oscillators)

    @cached_property
    def reception_check(self) -> "ReceptionCheck":
        """Proof by steps; loaded when it is first asked for."""
        from yarddial.session.listening.reception_check import ReceptionCheck

        return ReceptionCheck(self.desk, self.live_receiver, self.jobs, self.listening)

    @cached_property
    def comparison(self) -> "Comparison":
        """Two set-ups in turn; loaded when it is first asked for."""
        from yarddial.session.listening.comparison import Comparison

        return Comparison(self.desk, self.live_receiver, self.jobs, self.log)

    @cached_property
    def expected_products(self) -> "ExpectedProducts":
        """What strong signals are expected to make here; loaded when it is first asked for."""
        from yarddial.session.spurious.expected_products import ExpectedProducts

        return ExpectedProducts(self.desk, self.span_test)

    @cached_property
    def mitigation(self) -> "Mitigation":
        """What removes a ghost; loaded when it is first asked for."""
        from yarddial.session.spurious.mitigation import Mitigation

        return Mitigation(self.desk, self.live_receiver, self.jobs, self.calibration, self.span_test, self.log)

    @cached_property
    def interference_hunt(self) -> "InterferenceHunt":
        """What disturbs, and where it is; loaded when it is first asked for."""
        from yarddial.session.spurious.interference_hunt import InterferenceHunt

        return InterferenceHunt(self.desk, self.live_receiver, self.jobs, self.calibration, self.log)

    @cached_property
    def band_run(self) -> "BandRun":
        """All bands proven in turn; loaded when it is first asked for."""
        from yarddial.session.bands.band_run import BandRun

        return BandRun(self.desk, self.live_receiver, self.jobs, self.calibration, self.span_test, self.board, self.log)

    @cached_property
    def oscillator_walk(self) -> "OscillatorWalk":
        """All oscillators in one list, and the walk through them; loaded when it is first asked for."""
        from yarddial.session.calibration.oscillator_walk import OscillatorWalk

        return OscillatorWalk(self.desk, self.live_receiver, self.jobs, self.calibration, self.background)

    @cached_property
    def span_planner(self) -> "SpanPlanner":
        """Which rate and centre; loaded when it is first asked for."""
        from yarddial.session.sampling.span_planner import SpanPlanner

        return SpanPlanner(self.desk)

    @cached_property
    def live_methods(self) -> "LiveMethods":
        """Tones and rasters with the receiver; loaded when it is first asked for."""
        from yarddial.records.temporary import temporary_folder
        from yarddial.session.calibration.live_methods import LiveMethods

        return LiveMethods(
            self.desk, self.live_receiver, self.jobs, self.calibration, temporary_folder(), self.far_recordings
        )

    @cached_property
    def other_methods(self) -> "OtherMethods":
        """Truing by hand, by tones, rasters and files; loaded when it is first asked for."""
        from yarddial.session.calibration.other_methods import OtherMethods

        return OtherMethods(self.desk, self.calibration)

    @cached_property
    def own_transmission(self) -> "OwnTransmission":
        """One's own transmission heard; loaded when it is first asked for."""
        from yarddial.session.rig.own_transmission import OwnTransmission

        return OwnTransmission(self.desk, self.live_receiver, self.jobs, self.calibration, self.log, self.rig)

    @cached_property
    def building(self) -> "Building":
        """Every change to parts and routes; loaded when the first one is made."""
        from yarddial.session.station.building import Building

        return Building(self.desk)

    def poll(self) -> bool:
        """Take what the engine has to say; call it many times a second. True when there was something.

        The first call opens the log and recalls today's observations from it.
        """
        if not self._polls:
            self.faults.begin()
            self.log.open()
            self.calibration.recall()
        is_news = self.jobs.poll()
        self.rig.poll()
        self.background.poll()
        self.upkeep.poll()
        self.log.poll()
        self.faults.poll()
        self.device_check.poll()
        self.far_recordings.poll()
        far = self.far_engine
        far_state = (far.here, far.far, far.is_linked, far.gaps_lately) if far is not None else None
        if self._far_state != far_state:
            self._far_state = far_state
            self._saver_changed.tell()
        if self.saver is not None and self._saver_state != (state := (self.saver.conflict, self.saver.others)):
            self._saver_state = state
            self._saver_changed.tell()
        if "receiver_choice" in vars(self):
            self.receiver_choice.poll()
        if "reception_check" in vars(self):
            self.reception_check.poll()
        if "band_run" in vars(self):
            self.band_run.poll()
        if "oscillator_walk" in vars(self):
            self.oscillator_walk.poll()
        if "own_transmission" in vars(self):
            self.own_transmission.poll()
        self.overview.refresh()
        self._polls += 1
        if self._grows.is_due():
            self.calibration.grow()
            self.upkeep.ask("memory", give_back, lambda _: None, lambda sentence: None)
        if self._retries.is_due():
            self.desk.save_dial()
            if self.log.waiting or self.log.trouble:
                self.log.retry()
            if self._polls > LOOK_AFTER_POLLS:
                self._look_after()
        return is_news

    def _look_after(self) -> None:
        """What may wait until the start is long over: the log's daily copy, and what killed programs have left."""
        self.log.look_after(self.upkeep)
        if not self._cleared:
            from yarddial.records.temporary import clear_dead_folders

            self._cleared = True
            self.upkeep.ask("folders left behind", clear_dead_folders, lambda count: None, lambda sentence: None)

    @property
    def is_busy(self) -> bool:
        """True while something goes on that must be looked at often."""
        goes_on = any(lease.kind.nature not in ("listen", "along") for lease in self.jobs.leases)
        chooses = "receiver_choice" in vars(self) and self.receiver_choice.is_busy
        return (
            self.live_receiver.wanted
            or self.rig.status != "off"
            or goes_on
            or chooses
            or self.far_recordings.fetching is not None
            or self.background.is_busy
            or self.faults.is_new
        )

    def stop_job(self, lease: Lease) -> None:
        """Stop who has the receiver, by a person's wish; a recording is made whole first."""
        if lease.kind.nature == "record":
            self.listening.recorder.stop_recording_samples()
        else:
            self.jobs.cancel(lease)

    @property
    def far_engine(self) -> "FarEngine | None":
        """The engine in use, where it is another computer's."""
        return self._far_in_use()

    def warm(self) -> None:
        """Get ready for the receiver to be started; call it when there is nothing better to do."""
        self._engine.warm()

    def toggle_receiver(self) -> None:
        """Start or stop."""
        if self.live_receiver.wanted:
            self.live_receiver.stop()
        elif self.device_check.running:
            self.device_check.cancel()
        else:
            self.live_receiver.start(self.desk.line)

    def replay(self, path: "Path", centre_at: "CentreAt | None" = None) -> None:
        """Play a recording in the receiver's place; raises BadRecording, or CentreUnclear where a person must say."""
        self.listening.recorder.replay(path, centre_at)
        self.live_receiver.start(self.desk.line)

    def end_replay(self) -> None:
        """The receiver's own samples again, when it is started."""
        self.listening.recorder.end_replay()

    def step_reference(self, direction: int) -> Reference | None:
        """Dial the next known station up (+1) or down (-1) that some route reaches; None at the end."""
        station = self.desk.station
        able = sorted(
            (r for r in station.references if reaching(station, r.frequency_hz)), key=lambda r: r.frequency_hz
        )
        beyond = [r for r in able if (r.frequency_hz - station.dial_hz) * direction > 0.5]
        if not beyond:
            return None
        found = beyond[0] if direction > 0 else beyond[-1]
        self.desk.dial(found.frequency_hz)
        self.desk.choose_mode(found.mode)
        return found

    def undo(self) -> str:
        """Take the last edit back, and say so in the log when it was a correction."""
        return self._note_step(self.desk.undo(), "Took back")

    def redo(self) -> str:
        """Bring the last undone edit back."""
        return self._note_step(self.desk.redo(), "Brought back")

    def note(self, text: str) -> None:
        """Put a note in the log."""
        if text.strip():
            line = self.desk.line
            state = LoggedPlace(self.desk.station.dial_hz, self.desk.station.mode)
            self.log.add(
                Entry(station=self.desk.station.name, kind="note", route=line.name, text=text.strip(), data=state)
            )

    def recover(self) -> None:
        """Take the edits that could not be saved last time; it can be undone like any edit."""
        kept, self.recovered = self.recovered, None
        if kept is not None:
            if self.saver is not None:
                kept = self.saver.with_kept(kept, self.desk.station)
            self.desk.edit("recovered edits", kept)

    def merge_versions(self, chosen: "Mapping[tuple[str, str], Side]") -> None:
        """Lay another program's version of the station file and the one here together; it can be undone like any edit.

        Raises BadStation where the choice does not hold together.
        """
        if self.saver is not None:
            found = self.saver.merged(self.desk.station, chosen)
            self.desk.edit("both versions of the file", found)
            self.desk.save_anew()

    def write_read_only(self) -> None:
        """Write the station file though it is read-only."""
        if self.saver is not None:
            self.saver.write_read_only()
            self.desk.save_anew()

    def save_elsewhere(self, path: "Path") -> "Path":
        """Keep the station in another file as well; raises NotWritten."""
        if self.saver is None:
            raise NotWritten("this yard belongs to no file: begin one of your own")
        return self.saver.copy_to(path, self.desk.station)

    def note_card(self, route: str, dial_hz: float, path: str) -> None:
        """Keep in the log that a settings card was handed over, and for what."""
        text = f"Settings card for {format_frequency(dial_hz)} over {route}, saved as {path}"
        data = LoggedPlace(dial_hz, file=path)
        self.log.add(Entry(station=self.desk.station.name, kind="card", route=route, text=text, data=data))

    def close(self) -> None:
        """Stop the receiver and end the engine; a last try for the log and the dial."""
        if self.log.waiting:
            self.log.retry()
        self.jobs.end_all("the window was closed")
        if "receiver_choice" in vars(self):
            self.receiver_choice.leave()
        if "live_methods" in vars(self):
            self.live_methods.clear()
        self.rig.unlink()
        self.background.close()
        self.upkeep.close()
        self.desk.finish()
        if self.saver is not None:
            self.saver.close()
        self.faults.end()
        self._engine.close()

    def _note_step(self, edit: Edit | None, verb: str) -> str:
        if edit is None:
            return ""
        if edit.kind == "correction":
            entered = {part.name: value for part in self.desk.station.parts if (value := _entered(part)) is not None}
            text = f"{verb}: {edit.label}"
            self.log.add(Entry(station=self.desk.station.name, kind="undo", text=text, data=LoggedEntered(entered)))
        return edit.label


def _entered(part: object) -> float | None:
    value = getattr(part, "entered_ppm", getattr(part, "entered_lo_hz", None))
    return None if value is None else float(value)


class _Every:
    """Comes due after so many polls, or so many seconds."""

    def __init__(self, polls: int, seconds_s: float) -> None:
        self._every, self._every_s = polls, seconds_s
        self._polls, self._last_s = 0, clock.monotonic_s()

    def is_due(self) -> bool:
        """Count a poll."""
        self._polls += 1
        if self._polls < self._every and clock.monotonic_s() - self._last_s < self._every_s:
            return False
        self._polls, self._last_s = 0, clock.monotonic_s()
        return True
