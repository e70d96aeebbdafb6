"""All actions of the window in one table, for the menu and the finder."""

from collections.abc import Callable
from functools import partial
from typing import Protocol

import msgspec

from yarddial.session.session import Session
from yarddial.ui.finding_fixes import FindingFixes
from yarddial.ui.opener import Opener
from yarddial.yard.keys import key_text
from yarddial.yard.places import PlaceName


class WindowAction(msgspec.Struct, frozen=True):
    """An action of the window.

    section : of the menu. key_act : its name in the table of keys; empty without a key.
    also : other words that people use for it.
    """

    section: str
    name: str
    act: Callable[[], object]
    key_act: str = ""
    also: str = ""

    @property
    def keys(self) -> str:
        """Its keys in the notation of the list; empty without one."""
        return key_text(self.key_act) if self.key_act else ""


class Acting(Protocol):
    """The window as its actions see it."""

    session: Session
    fixes: FindingFixes
    opener: Opener

    def go(self, name: PlaceName) -> None:
        """Open a place."""
        ...

    def measure(self) -> None:
        """Measure the station at the dial."""
        ...

    def show_card(self) -> None:
        """Show the settings card."""
        ...

    def show_fit(self) -> None:
        """Show the working of the fit."""
        ...

    def write_note(self) -> None:
        """Go to the log's note."""
        ...

    def change_theme(self) -> None:
        """Switch between day and night."""
        ...

    def show_settings(self) -> None:
        """Open the settings."""
        ...

    def toggle_chart_only(self) -> None:
        """Show the place alone, or everything."""
        ...

    def zoom(self, steps: int) -> None:
        """Zoom the picture by steps."""
        ...

    def show_keys(self) -> None:
        """Show the list of keys."""
        ...

    def show_glossary(self) -> None:
        """Show the glossary."""
        ...

    def show_manual(self, page: str = "") -> None:
        """Show a manual page; by default that of the focused widget."""
        ...

    def show_first_hour(self) -> None:
        """Start the guide of the first hour."""
        ...

    def find_anything(self) -> None:
        """Open the finder."""
        ...

    def put_in(self) -> None:
        """Choose a part and insert it."""
        ...

    def new_route(self) -> None:
        """Add a route."""
        ...

    def show_which_oscillator(self) -> None:
        """Open the search for a converter's real oscillator."""
        ...

    def show_all_oscillators(self) -> None:
        """Open the list of all oscillators."""
        ...

    def show_transceiver(self) -> None:
        """Open the transceiver."""
        ...

    def follow_transceiver(self) -> None:
        """Follow the transceiver, leave it, or return."""
        ...

    def next_clear(self, direction: int) -> None:
        """Dial the next gap between stations."""
        ...


def window_actions(window: Acting) -> tuple[WindowAction, ...]:
    """List all actions, section by section."""
    session, fixes, opener = window.session, window.fixes, window.opener
    at = partial(_at, window)
    return (
        WindowAction("Yard", "Begin an empty yard", opener.ask_new, "begin a yard", "new station file start over"),
        WindowAction("Yard", "Open a station file", opener.ask_open, "open a yard", "load recent yard"),
        WindowAction("Yard", "Save a copy of the yard", fixes.save_elsewhere, "", "export keep store backup file"),
        WindowAction("Yard", "Export the log", fixes.export_log, "", "save log csv json lines spreadsheet write out"),
        WindowAction("Yard", "Add kept entries to the log", fixes.add_kept_entries, "",
                     "import read waiting entries full disk elsewhere jsonl"),
        WindowAction("Yard", "What have you got: begin from the box", fixes.begin_from_the_box, "",
                     "first start wizard set up beginner"),
        WindowAction("Yard", "Look at the demo yard", opener.show_demo, "", "example try simulated"),
        WindowAction("Yard", "Make the demo yard mine", fixes.adopt_demo, "",
                     "keep demo save example own yard adopt tomorrow"),
        WindowAction("Yard", "Put a part in", window.put_in, "put a part in",
                     "add antenna cable filter converter preamplifier shelf lna"),
        WindowAction("Yard", "Begin a new route", window.new_route, "new route", "path line chain"),
        WindowAction("Yard", "Plugs and switches: what is connected", fixes.show_plugs, "",
                     "hand move plug socket lead cable knob antenna switch swap"),
        WindowAction("Yard", "Try a part: what would it change, band by band", fixes.try_part, "",
                     "buy upgrade compare cost price better antenna receiver converter what if"),
        WindowAction("Yard", "What must lie on the table: leads, supplies, order of work", fixes.show_kit, "",
                     "list print adapters cables shopping ferrite extension put up antenna check list"),
        WindowAction("Yard", "Known stations", fixes.show_known_stations, "",
                     "reference references transmitter beacon add import csv time signal"),
        WindowAction("Yard", "Undo", session.undo, "undo", "take back revert"),
        WindowAction("Yard", "Redo", session.redo, "redo", "again"),
        WindowAction("Receiver", "Start or stop the receiver", session.toggle_receiver, "toggle the receiver",
                     "run play power on off stream sdr"),
        WindowAction("Receiver", "Choose the receiver", fixes.choose_receiver, "",
                     "driver device stick dongle sound card plugged usb hardware select sdr address"),
        WindowAction("Receiver", "Pair with another computer", fixes.pair_with_computer, "",
                     "remote network far shed server serve raspberry distance code"),
        WindowAction("Receiver", "The far computer: who is there, recordings", fixes.show_far_computer, "",
                     "remote network distance fetch download recording state load temperature"),
        WindowAction("Receiver", "Ask for control of a far receiver", fixes.ask_for_control, "",
                     "remote network distance take over hand"),
        WindowAction("Receiver", "Hand control of a far receiver over", fixes.hand_control_over, "",
                     "remote network distance give up release"),
        WindowAction("Receiver", "Check the receiver: First light", partial(window.go, "First light"),
                     "place First light",
                     "test diagnose driver usb lost samples drops"),
        WindowAction("Receiver", "Measure the station at the dial", window.measure, "measure",
                     "calibrate calibration offset frequency error ppm here"),
        WindowAction("Receiver", "Apply the correction", session.calibration.apply, "apply",
                     "enter correct offset ppm calibration"),
        WindowAction("Receiver", "Measure afresh: leave out what was measured", session.calibration.forget, "",
                     "reset forget clear measurements"),
        WindowAction("Receiver", "Transceiver: link it, follow it, split", window.show_transceiver,
                     "show the transceiver",
                     "rig radio cat control ptt daemon serial vfo panadapter band scope tx"),
        WindowAction("Receiver", "Measure the isolation from the transmitter", fixes.measure_isolation, "",
                     "tap relay attenuator safe power burn decibel protect receiver"),
        WindowAction("Receiver", "Follow the transceiver, leave it, come back", window.follow_transceiver,
                     "follow the transceiver",
                     "rig sync track lock roam"),
        WindowAction("Tools", "Next clear place above", partial(window.next_clear, +1), "next clear place above",
                     "gap free empty channel between stations 3 khz"),
        WindowAction("Tools", "Next clear place below", partial(window.next_clear, -1), "next clear place below",
                     "gap free empty channel between stations 3 khz"),
        WindowAction("Tools", "All oscillators: true them all", window.show_all_oscillators, "",
                     "calibrate everything ppm crystal lo list offset drift align"),
        WindowAction("Tools", "Which oscillator does the converter have", window.show_which_oscillator, "",
                     "lo local 120 125 mhz leaflet wrong converter"),
        WindowAction("Tools", "Settings card", window.show_card, "show the card",
                     "listening program what to type offset shift convert lo pdf print export"),
        WindowAction("Tools", "Gain: set and sweep it", partial(window.go, "Levels"), "place Levels",
                     "agc rf gain attenuation noise figure overload level sensitivity"),
        WindowAction("Tools", "Test the span for ghosts", at("Ghosts", session.span_test.test), "",
                     "images spurs fake signals mirror intermodulation birdie"),
        WindowAction("Tools", "Scan all bands for strong signals", at("Ghosts", session.strong.scan), "",
                     "search survey strongest"),
        WindowAction("Tools", "Hunt interference in the house", at("Ghosts", lambda: None), "",
                     "noise qrm rfi disturbance charger power supply hum"),
        WindowAction("Tools", "Prove all bands", at("Bands", session.band_run.start), "",
                     "check every band run survey"),
        WindowAction("Tools", "Write a report of all bands", partial(window.go, "Bands"), "",
                     "pdf html export print document"),
        WindowAction("Tools", "Compare two routes or settings: which hears better", partial(window.go, "Listen"), "",
                     "antenna a b better versus difference"),
        WindowAction("Tools", "Compare two recordings: of two receivers or computers", fixes.compare_recordings, "",
                     "antenna a b better versus difference file sigmf wav"),
        WindowAction("Tools", "Record sound or samples", partial(window.go, "Listen"), "",
                     "wav sigmf iq save capture tape recorder"),
        WindowAction("Tools", "Play a recording", partial(window.go, "Listen"), "", "open file replay iq wav sigmf"),
        WindowAction("Tools", "Listen: tune and hear", partial(window.go, "Listen"), "place Listen",
                     "audio sound speaker volume mute waterfall spectrum am ssb cw fm filter squelch"),
        WindowAction("Tools", "Sample rate and centre: Span", partial(window.go, "Span"), "place Span",
                     "bandwidth msps aliasing decimation spike"),
        WindowAction("Tools", "Write a note in the log", window.write_note, "write a note",
                     "diary journal logbook entry"),
        WindowAction("Tools", "Show the working of the fit", window.show_fit, "show the fit",
                     "formula mathematics why"),
        WindowAction("View", "Settings", window.show_settings, "settings",
                     "preferences options configure theme font text lettering size region North America Americas "
                     "Europe Africa Asia Oceania sound device units s-meter dbm locator sunrise sunset number style "
                     "digits"),
        WindowAction("View", "Find anything", window.find_anything, "find anything", "search go to"),
        WindowAction("View", "Day or night", window.change_theme, "day or night", "theme dark light mode colours"),
        WindowAction("View", "Picture only", window.toggle_chart_only, "picture only", "full screen maximise"),
        WindowAction("View", "Zoom in", partial(window.zoom, -1), "zoom in", "closer magnify"),
        WindowAction("View", "Zoom out", partial(window.zoom, +1), "zoom out", "wider"),
        WindowAction("Help", "Manual", window.show_manual, "manual", "help guide documentation read handbook"),
        WindowAction("Help", "First hour: show me round", window.show_first_hour, "",
                     "tour tutorial beginner guide introduction learn getting started"),
        WindowAction("Help", "Keys", window.show_keys, "list the keys", "shortcuts keyboard hotkeys"),
        WindowAction("Help", "Words explained", window.show_glossary, "", "glossary terms help meaning"),
    )  # fmt: skip


def _at(window: Acting, place: PlaceName, act: Callable[[], object]) -> Callable[[], None]:
    """Go to a place, then run an action."""

    def do() -> None:
        window.go(place)
        act()

    return do
