"""All actions of the window in one table, for the menu and the finder."""

from collections.abc import Callable
from functools import partial

from yarddial.ui.acting import Acting, WindowAction
from yarddial.ui.listen_actions import listen_actions
from yarddial.ui.sheet_actions import sheet_actions
from yarddial.ui.view_actions import view_actions
from yarddial.yard.places import PlaceName


def window_actions(window: Acting) -> tuple[WindowAction, ...]:
    """List all actions, section by section."""
    session, fixes, opener = window.session, window.fixes, window.opener
    at = partial(_at, window)
    return (
        WindowAction("Yard", "Begin an empty yard", opener.ask_new, "begin a yard", "new station file start over"),
        WindowAction("Yard", "Open a station file", opener.ask_open, "open a yard", "load recent yard"),
        WindowAction("Yard", "Save a copy of the yard", fixes.save_elsewhere, "", "export keep store backup file elsewhere another computer usb drive"),
        WindowAction("Yard", "Export the log", fixes.export_log, "", "save log csv json lines spreadsheet table office write out diary entries"),
        WindowAction("Yard", "Add kept entries to the log", fixes.add_kept_entries, "",
                     "import read waiting entries full disk elsewhere jsonl"),
        WindowAction("Yard", "What have you got: begin from the box", fixes.begin_from_the_box, "",
                     "first start wizard set up beginner box build assemble plain radio knob my own equipment what do I have guided help me"),
        WindowAction("Yard", "Look at the demo yard", opener.show_demo, "", "example try simulated play around practise without a receiver"),
        WindowAction("Yard", "Make the demo yard mine", fixes.adopt_demo, "",
                     "keep demo save example own yard adopt tomorrow"),
        WindowAction("Yard", "Restore the log from a copy", fixes.restore_log, "",
                     "broken damaged unreadable repair recover lost entries backup"),
        WindowAction("Yard", "Close the window", window.close, "", "quit exit end leave program shut down"),
        WindowAction("Yard", "Change a part: take it out, rename it, set its values", partial(window.go, "Bench"),
                     "place Bench", "remove delete edit part antenna receiver rename properties replace"),
        WindowAction("Yard", "Put a part in", window.put_in, "put a part in",
                     "add new antenna vertical wire dipole loop cable coax filter converter upconverter preamplifier amplifier shelf lna attenuator splitter switch receiver insert build equipment"),
        WindowAction("Yard", "Begin a new route", window.new_route, "new route", "path line chain add another connect way"),
        WindowAction("Yard", "Plugs and switches: what is connected", fixes.show_plugs, "",
                     "hand move plug socket lead cable knob antenna switch swap change antennas two on one connected unplug"),
        WindowAction("Yard", "Try a part: what would it change, band by band", fixes.try_part, "",
                     "buy upgrade compare cost price worth money better new antenna receiver converter filter amplifier what if help improve"),
        WindowAction("Yard", "What must lie on the table: leads, supplies, order of work", fixes.show_kit, "",
                     "list print adapters adaptors connectors cables shopping ferrite extension put up antenna check list things needed"),
        WindowAction("Yard", "Known stations", fixes.show_known_stations, "",
                     "reference references transmitter transmitters beacon add own list import csv time signal broadcast schedule remember frequency favourite memory bookmark save"),
        WindowAction("Yard", "Undo", session.undo, "undo", "take back revert mistake wrong go back cancel last change oops"),
        WindowAction("Yard", "Redo", session.redo, "redo", "again"),
        WindowAction("Receiver", "Start or stop the receiver", session.toggle_receiver, "toggle the receiver",
                     "run play power turn on off radio stream switch sdr begin end no signal nothing silent"),
        WindowAction("Receiver", "Stop what is under way", window.cancel_work, "cancel",
                     "stop everything cancel abort end measurement break off"),
        WindowAction("Receiver", "Choose the receiver", fixes.choose_receiver, "",
                     "driver device stick dongle sound card plugged usb hardware select sdr address not found missing connect another change which radio detect"),
        WindowAction("Receiver", "Pair with another computer", fixes.pair_with_computer, "",
                     "remote network far shed garden attic server serve raspberry distance code internet other room lan"),
        WindowAction("Receiver", "The far computer: who is there, recordings", fixes.show_far_computer, "",
                     "remote network distance fetch download recording state load temperature"),
        WindowAction("Receiver", "Ask for control of a far receiver", fixes.ask_for_control, "",
                     "remote network distance take over hand"),
        WindowAction("Receiver", "Hand control of a far receiver over", fixes.hand_control_over, "",
                     "remote network distance give up release"),
        WindowAction("Receiver", "Measure the station at the dial", window.measure, "measure",
                     "calibrate calibration offset frequency error ppm here wrong off dial accurate accuracy true check receiver how far"),
        WindowAction("Receiver", "Apply: enter the correction", session.calibration.apply, "apply",
                     "enter correct offset ppm calibration use set put in fix"),
        WindowAction("Receiver", "Measure afresh: leave out what was measured", session.calibration.forget, "",
                     "reset forget clear delete measurements start over again"),
        WindowAction("Receiver", "Transceiver: link it, follow it, split", window.show_transceiver,
                     "show the transceiver",
                     "rig radio cat control ptt daemon serial vfo panadapter band scope tx connect transmit transmitter"),
        WindowAction("Receiver", "Measure the isolation from the transmitter", fixes.measure_isolation, "",
                     "tap relay attenuator safe power burn damage destroy decibel protect receiver transmit watts"),
        WindowAction("Receiver", "Follow the transceiver, leave it, come back", window.follow_transceiver,
                     "follow the transceiver",
                     "rig sync synchronise track lock roam together"),
        WindowAction("Tools", "Next clear place above", partial(window.next_clear, +1), "next clear place above",
                     "gap free empty unused quiet frequency channel between stations 3 khz"),
        WindowAction("Tools", "Next clear place below", partial(window.next_clear, -1), "next clear place below",
                     "gap free empty channel between stations 3 khz"),
        WindowAction("Tools", "All oscillators: true them all", window.show_all_oscillators, "",
                     "calibrate everything at once receiver ppm crystal lo list offset drift align frequency wrong dial off overview"),
        WindowAction("Tools", "Which oscillator does the converter have", window.show_which_oscillator, "",
                     "which local 100 120 125 mhz leaflet box says wrong upconverter lo offset"),
        WindowAction("Tools", "Settings card", window.show_card, "show the card",
                     "copy clipboard listening other another sdr program software what to type enter numbers offset shift convert lo ppm pdf print export"),
        WindowAction("Tools", "Gain: set and sweep it", partial(window.go, "Levels"), "place Levels",
                     "agc rf gain attenuation noise figure overload level levels sensitivity weak deaf too strong manual set"),
        WindowAction("Tools", "Test the span for ghosts", at("Ghosts", session.span_test.test), "",
                     "images image rejection spurs spurious fake false signals mirror intermodulation birdie real should not be there everywhere"),
        WindowAction("Tools", "Scan all bands for strong signals", at("Ghosts", session.strong.scan), "",
                     "search survey strongest loud overload broadcast nearby"),
        WindowAction("Tools", "Prove all bands", at("Bands", session.band_run.start), "",
                     "check every band run survey good bad best worst which bands work"),
        WindowAction("Tools", "Listen: tune and hear", partial(window.go, "Listen"), "place Listen",
                     "audio sound speaker volume waterfall spectrum picture play radio programme"),
        WindowAction("Tools", "Sample rate and centre: Span", partial(window.go, "Span"), "place Span",
                     "bandwidth msps aliasing decimation spike"),
        WindowAction("Tools", "Write a note in the log", window.write_note, "write a note",
                     "diary journal logbook entry write down remember this remark heard"),
        WindowAction("Tools", "Show the working of the fit", window.show_fit, "show the fit",
                     "formula mathematics why"),
        *sheet_actions(window),
        *listen_actions(window),
        WindowAction("View", "Settings", window.show_settings, "settings",
                     "preferences options configure theme text region sound device units number style"),
        WindowAction("View", "Find anything", window.find_anything, "find anything", "search go to"),
        WindowAction("View", "Day or night", window.change_theme, "day or night", "theme dark light mode colours colors bright"),
        WindowAction("View", "Picture only", window.toggle_chart_only, "picture only", "full screen fullscreen maximise maximize large big bigger hide side column only"),
        WindowAction("View", "Zoom in", partial(window.zoom, -1), "zoom in", "closer magnify bigger detail see less"),
        WindowAction("View", "Zoom out", partial(window.zoom, +1), "zoom out", "wider see more overview"),
        *view_actions(window),
        WindowAction("Help", "Manual", window.show_manual, "manual", "help guide documentation read handbook instructions how does it work explain"),
        WindowAction("Help", "First hour: show me round", window.show_first_hour, "",
                     "tour tutorial beginner guide introduction learn getting started new here teach"),
        WindowAction("Help", "Keys", window.show_keys, "list the keys", "shortcuts shortcut keyboard hotkeys hotkey"),
        WindowAction("Help", "Words explained", window.show_glossary, "", "glossary terms help meaning dictionary abbreviation what does mean"),
    )  # fmt: skip


def _at(window: Acting, place: PlaceName, act: Callable[[], object]) -> Callable[[], None]:
    """Go to a place, then run an action."""

    def do() -> None:
        window.go(place)
        act()

    return do
