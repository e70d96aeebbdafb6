"""The session: one person at one station. It joins desk, receiver, log and all activities, and distributes events."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import msgspec

from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.link import EngineLink
from yarddial.session.activities import Activities, rooms
from yarddial.session.activity import Declaration
from yarddial.session.background import Background
from yarddial.session.faults import Faults
from yarddial.session.first_light.device_check import BeginRun
from yarddial.session.housekeeping import Housekeeping
from yarddial.session.log.log_keeper import Book, LogKeeper
from yarddial.session.log.notes import Notes
from yarddial.session.memory import keep_together
from yarddial.session.overview.overview import Overview
from yarddial.session.preferences.keeper import PreferenceKeeper
from yarddial.session.receiver.far_watch import FarWatch
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.session.station.inspection import Inspection
from yarddial.session.station.own_file import OwnFile
from yarddial.session.station.saving import Saving
from yarddial.session.unkept import UnkeptWork
from yarddial.yard.left_off import LeftOff
from yarddial.yard.places import PlaceName
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported after the first paint.
    from pathlib import Path

    from yarddial.distance.far_engine import FarEngine
    from yarddial.drivers.rig.protocol import RigLink
    from yarddial.records.left_off_file import LeftOffFile
    from yarddial.records.waiting_entries import WaitingEntries
    from yarddial.session.listening.replayed_centre import CentreAt
    from yarddial.session.receiver.receiver_choice import ChoiceHelpers
    from yarddial.session.station.demo_table import DemoTable
    from yarddial.session.station.station_saver import StationSaver


class Session(Activities):
    """All that a window or a script needs; it knows neither."""

    def __init__(
        self,
        station: Station,
        engine: EngineLink,
        open_book: Callable[[], Book],
        save: Saving | None = None,
        recovered: Station | None = None,
        begin_check: BeginRun | None = None,
        faults: Faults | None = None,
        saver: "StationSaver | None" = None,
        helpers: "Callable[[], ChoiceHelpers] | None" = None,
        preferences: PreferenceKeeper | None = None,
        open_rig: "Callable[[str], RigLink] | None" = None,
        far_in_use: "Callable[[], FarEngine | None]" = lambda: None,
        table: "DemoTable | None" = None,
        waiting_store: "Callable[[], WaitingEntries] | None" = None,
        left_off_file: "LeftOffFile | None" = None,
        *,
        is_temporary: bool = False,
    ) -> None:
        """table : of a yard's simulated receivers.

        left_off_file : remembers where the person left off.

        is_temporary : file and log go with the program, as the demo yard's do.

        waiting_store : keeps log entries that the log cannot take over the end of the program.

        far_in_use : the far computer whose receiver is used; None for one of this computer."""
        keep_together()
        self._engine = engine
        self._is_begun = False
        self.begin_check, self.choice_helpers, self.open_rig = begin_check, helpers, open_rig
        self.far_in_use = far_in_use
        self.faults = faults or Faults()
        self.preferences = preferences or PreferenceKeeper()
        self.background = Background()
        # For slow work that nobody waits for.
        self.upkeep = Background()
        self.jobs = jobs = Scheduler(engine)
        self.desk = desk = Desk(station, save)
        # First of all, since no job may continue with a dial that was moved.
        desk.on_dial_changed(jobs.check_stale)
        desk.on_yard_changed(jobs.check_stale)
        self.inspection = Inspection(desk)
        self.log = LogKeeper(open_book, waiting_store)
        self.notes = Notes(desk, self.log)
        self.file = OwnFile(desk, saver, recovered, is_temporary=is_temporary)
        self.unkept = UnkeptWork(desk, self.log, self.file)
        self.far_watch = FarWatch(far_in_use)
        self.hands = Hands(desk)
        self.table = table
        self._left_off_file = left_off_file
        self.left_off = LeftOff() if left_off_file is None else left_off_file.read()
        self.live_receiver = LiveReceiver(jobs, self.hands, table)
        self.overview = Overview(
            self,
            jobs,
            (
                desk.on_yard_changed,
                desk.on_dial_changed,
                desk.on_saving_changed,
                self.hands.on_hands_changed,
                self.file.on_file_changed,
                self.far_watch.on_far_changed,
                self.live_receiver.on_receiver_changed,
                self.log.on_log_changed,
                jobs.on_jobs_changed,
                self.faults.on_fault,
            ),
        )
        for room in rooms():
            if room.from_start:
                getattr(self, room.name)
        self.housekeeping = Housekeeping(desk, self.log, self.calibration.grow, self.upkeep)
        self.preferences.on_preferences_changed(desk.show_again)
        self.calibration.follow_dial()

    def on_made(self, declaration: Declaration[Any], activity: Any) -> None:
        """Show from now on what a new activity reports."""
        if declaration.on_changed is not None:
            declaration.on_changed(activity)(self.overview.forget)

    def poll(self) -> bool:
        """Process the engine's events; call it many times a second. True when there were any.

        The first call opens the log and loads today's observations.
        """
        if not self._is_begun:
            self._is_begun = True
            self.faults.begin()
            self.log.open()
            self.calibration.recall()
        is_news = self.jobs.poll()
        for part in (self.background, self.upkeep, self.log, self.faults, self.far_watch, self.file):
            part.poll()
        for declaration, activity in tuple(self.made_rooms()):
            if declaration.poll is not None:
                declaration.poll(activity)
        self.overview.refresh()
        self.housekeeping.poll()
        return is_news

    @property
    def is_busy(self) -> bool:
        """True while something runs that needs frequent polls."""
        quiet = ("listen", "along", "recurring")
        return (
            self.live_receiver.wanted
            or any(lease.kind.nature not in quiet for lease in self.jobs.leases)
            or any(declaration.needs_polls(activity) for declaration, activity in self.made_rooms())
            or self.background.is_busy
            or self.faults.is_new
        )

    def place_shown(self, name: PlaceName) -> None:
        """Remember the place for the next session."""
        self.left_off = msgspec.structs.replace(self.left_off, place=name)

    @property
    def far_engine(self) -> "FarEngine | None":
        """The present engine, where it is on another computer."""
        return self.far_in_use()

    def stop_job(self, lease: Lease) -> None:
        """Stop the receiver's user for the person; a recording is completed first."""
        if lease.kind.nature == "record":
            self.recorder.stop_recording_samples()
        else:
            self.jobs.cancel(lease)

    def warm(self) -> None:
        """Prepare for a start of the receiver; call it when idle."""
        self._engine.warm()

    def toggle_receiver(self) -> None:
        """Start or stop the receiver."""
        if self.live_receiver.wanted:
            self.live_receiver.stop()
        elif self.device_check.running:
            self.device_check.cancel()
        else:
            self.live_receiver.start(self.desk.route)

    def replay(self, path: "Path", centre_at: "CentreAt | None" = None) -> None:
        """Play a recording: sound beside the receiver, samples instead of it. Raises BadRecording, or CentreUnclear
        where a person must decide.
        """
        from yarddial.records.sound_player import is_sound

        if is_sound(path):
            self.recorder.play_sound(path)
            return
        self.recorder.replay(path, centre_at)
        self.live_receiver.start(self.desk.route)

    def undo(self) -> str:
        """Undo the last edit, and log it when it was a correction."""
        return self.notes.step(self.desk.undo(), "Took back")

    def redo(self) -> str:
        """Redo the last undone edit."""
        return self.notes.step(self.desk.redo(), "Brought back")

    def save_now(self) -> None:
        """Save the dial, and where the person is, because the yard may be opened anew."""
        self._remember()
        self.desk.finish()

    def _remember(self) -> None:
        if self._left_off_file is not None:
            self._left_off_file.write(msgspec.structs.replace(self.listening.left_off(), place=self.left_off.place))

    def close(self) -> None:
        """Stop the receiver and end the engine; save the dial and retry the log once more."""
        if self.log.waiting:
            self.log.retry()
        self._remember()
        self.jobs.end_all("the window was closed")
        for declaration, activity in tuple(self.made_rooms()):
            if declaration.close is not None:
                declaration.close(activity)
        self.background.close()
        self.upkeep.close()
        self.desk.finish()
        self.file.close()
        self.log.close()
        self.faults.end()
        self._engine.close()
