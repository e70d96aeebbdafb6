"""Remedies of findings as actions of the window, with the sheets that they open."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from yarddial.session.finding import Act, Finding, GoTo, MendYard
from yarddial.session.session import Session
from yarddial.ui.opener import Opener
from yarddial.yard.places import PlaceName
from yarddial.yard.plain_text import count_of


class FindingFixes:
    """Remedies of findings; sheets open over the window."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        opener: Opener,
        go: Callable[[PlaceName], object],
        attempt: Callable[[Callable[[], object]], None],
        copy_fault: Callable[[], None],
        open_part: Callable[[str, str], None],
        say: Callable[[str], None],
    ) -> None:
        self._window, self._session, self._opener = window, session, opener
        self._go, self._attempt, self._copy_fault, self._open_part = go, attempt, copy_fault, open_part
        self._say = say

    def fix(self, finding: Finding) -> None:
        """Apply the remedy of a finding; a refusal is shown on the strip."""
        match finding.fix:
            case GoTo(place):
                self._go(place)
            case Act(what):
                self._attempt(self._acts()[what])
            case MendYard(bench):
                self._attempt(partial(self._session.building.mend, bench))
            case None:
                pass

    def _acts(self) -> dict[str, Callable[[], object]]:
        session = self._session
        return {
            "measure": self._measure_in_true,
            "apply": session.calibration.apply,
            "free the route": self._free_route,
            "recover": session.file.recover,
            "copy the fault": self._copy_fault,
            "compare versions": self._compare_versions,
            "write read-only": session.file.write_read_only,
            "save elsewhere": self.save_elsewhere,
            "restore the log": self.restore_log,
            "export unreadable": self._export_unreadable,
            "choose the receiver": self.choose_receiver,
            "begin from the box": self.begin_from_the_box,
            "show the transceiver": self._show_transceiver,
            "hand control over": self.hand_control_over,
            "ask for control": self.ask_for_control,
            "show the plugs": self.show_plugs,
            "feed the line": lambda: session.live_receiver.feed(session.desk.route),
        }

    def begin_from_the_box(self) -> None:
        """Open "What have you got?" to build a yard."""
        from yarddial.ui.from_the_box.sheet import FromTheBox

        built = partial(self._go, "First light")
        opener = self._opener
        FromTheBox(self._window, self._session, opener.show_demo, opener.ask_open, opener.begin_with, built).show()

    def adopt_demo(self) -> None:
        """Keep the demo yard, with its log, as the person's own; it opens in a new window."""
        if not self._session.file.is_temporary:
            self._say("This yard is yours already: every change of it is saved in its own file")
            return
        self._attempt(partial(self._opener.adopt, self._session))

    def _show_transceiver(self) -> None:
        from yarddial.ui.transceiver.sheet import TransceiverSheet

        TransceiverSheet(self._window, self._session).show()

    def measure_isolation(self) -> None:
        """Open the guided measurement of the isolation between transmitter and receiver."""
        from yarddial.ui.transceiver.isolation_sheet import IsolationSheet

        IsolationSheet(self._window, self._session).show()

    def choose_receiver(self) -> None:
        """Open the choice of the active route's receiver."""
        from yarddial.ui.receiver_picker.sheet import ReceiverPicker

        route = self._session.desk.route
        if not route.missing:
            ReceiverPicker(self._window, self._session, route.receiver.name).show()

    def pair_with_computer(self) -> None:
        """Open the pairing with a computer that serves its receivers."""
        from yarddial.ui.pairing_sheet import PairingSheet

        if self._opener.files is not None:
            PairingSheet(self._window, self._opener.files, self.choose_receiver).show()
        else:
            self._say("Computers are paired from a yard of your own: begin one in the menu, under Yard")

    def show_far_computer(self) -> None:
        """Open the sheet of the far computer."""
        from yarddial.ui.far_computer_sheet import FarComputerSheet

        if self._session.far_engine is None:
            self._say("The receiver in use stands here: pair with another computer in the menu, under Receiver")
        else:
            FarComputerSheet(self._window, self._session, self.ask_for_control, self.hand_control_over).show()

    def ask_for_control(self) -> None:
        """Ask for control of the far receiver in use."""
        self._want_control(wanted=True)

    def hand_control_over(self) -> None:
        """Give control to the next computer that asks."""
        self._want_control(wanted=False)

    def _want_control(self, *, wanted: bool) -> None:
        far = self._session.far_engine
        if far is None:
            self._say("The receiver in use stands here: there is nobody to ask")
            return
        far.want_control(wanted=wanted)
        name = far.computer.name
        self._say(f"{name} is asked for control" if wanted else f"control of {name} is free for others")

    def show_known_stations(self) -> None:
        """Open the known stations."""
        from yarddial.ui.places.true.methods.sheet import MethodsSheet

        MethodsSheet(self._window, self._session, "Known stations").show()

    def _compare_versions(self) -> None:
        from yarddial.ui.versions_sheet import VersionsSheet

        VersionsSheet(self._window, self._session).show()

    def save_elsewhere(self) -> None:
        """Save a copy of the station in another file."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        FileSheet(
            self._window, "Keep the station elsewhere", "my.yard.json", "Keep it", self._session.file.save_elsewhere
        ).show()

    def restore_log(self) -> None:
        """Open the restoration of the log."""
        from yarddial.ui.places.log.restore_sheet import RestoreSheet

        RestoreSheet(self._window, self._session.log).show()

    def add_kept_entries(self) -> None:
        """Read entries that were kept elsewhere when a window closed over a full disk."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        heading = "Add entries kept elsewhere to the log"
        FileSheet(self._window, heading, "kept-log.jsonl", "Add them", self._add_kept, reads=True).show()

    def _add_kept(self, path: Path) -> None:
        added = self._session.log.add_from(path)
        self._say(f"{count_of(added, 'entry', 'entries')} of {path.name} added to the log")

    def export_log(self) -> None:
        """Export the whole log as a table or with all numbers, in a thread; report when it is done."""
        from yarddial.ui.widgets.file_sheet import FileSheet

        name = f"{self._session.desk.station.name.lower().replace(' ', '-')}-log.csv"
        heading = "Export the log, to .csv or with all its numbers to .jsonl"
        FileSheet(self._window, heading, name, "Export", self._begin_export).show()

    def _begin_export(self, path: Path) -> None:
        from yarddial.records.log_export import check_target
        from yarddial.ui.work import Work

        check_target(path)
        work = Work(self._window, partial(self._session.log.export, path))
        work.done.connect(lambda count: self._say(f"{count_of(count, 'entry', 'entries')} written to {path}"))
        work.refused.connect(self._say)
        work.start()

    def _export_unreadable(self) -> None:
        from yarddial.ui.widgets.file_sheet import FileSheet

        keep = self._session.log.export_unreadable
        FileSheet(self._window, "Export what cannot be read", "unreadable-entries.jsonl", "Export", keep).show()

    def _measure_in_true(self) -> None:
        self._go("True")
        self._session.calibration.measure()

    def compare_recordings(self) -> None:
        """Open the comparison of two recordings."""
        from yarddial.ui.places.listen.two_recordings_sheet import TwoRecordingsSheet

        TwoRecordingsSheet(self._window, self._session).show()

    def try_part(self) -> None:
        """Open the trial of a part before it is bought."""
        from yarddial.ui.trial_sheet import TrialSheet

        TrialSheet(self._window, self._session).show()

    def show_kit(self) -> None:
        """Open the list of what must lie on the table."""
        from yarddial.ui.kit_sheet import KitSheet

        KitSheet(self._window, self._session.desk.station, Path.home()).show()

    def show_plugs(self) -> None:
        """Open the plugs and switches that a hand moves."""
        from yarddial.ui.plugs.sheet import PlugsSheet

        PlugsSheet(self._window, self._session).show()

    def _free_route(self) -> None:
        desk = self._session.desk
        desk.hold(False)
        desk.dial(desk.station.dial_hz)

    def open_part(self, name: str, key: str = "") -> None:
        """Show a part on Bench, with one value focused."""
        self._open_part(name, key)
