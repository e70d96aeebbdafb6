"""Actions that open a sheet of some place, or start what runs there."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, cast

from PyQt6.QtWidgets import QWidget

from yarddial.ui.acting import Acting, WindowAction, nothing
from yarddial.ui.widgets.finder import AskedValue
from yarddial.yard.places import PlaceName

if TYPE_CHECKING:
    # Imported with their places.
    from yarddial.ui.places.bands.place import BandsPlace
    from yarddial.ui.places.ghosts.place import GhostsPlace
    from yarddial.ui.places.levels.place import LevelsPlace


def sheet_actions(window: Acting) -> tuple[WindowAction, ...]:
    """List them."""
    session = window.session

    def in_true(title: str) -> Callable[[], None]:
        def do() -> None:
            from yarddial.ui.places.true.methods.sheet import MethodsSheet

            MethodsSheet(window.open_place("True"), session, title).show()

        return do

    def history() -> None:
        from yarddial.ui.places.true.history_sheet import HistorySheet

        HistorySheet(window.open_place("True"), session).show()

    def watch() -> None:
        from yarddial.ui.places.true.watch_sheet import WatchSheet

        WatchSheet(window.open_place("True"), session).show()

    def press(name: PlaceName, act: Callable[[QWidget], object]) -> Callable[[], None]:
        def do() -> None:
            act(window.open_place(name))

        return do

    def check() -> None:
        window.go("First light")
        session.device_check.start()

    def sweep() -> None:
        place = cast("LevelsPlace", window.open_place("Levels"))
        if place.sweep_all.isEnabled():
            place.sweep_all.click()
        elif session.levels.stages:
            session.levels.sweep(session.levels.stages[0].name)

    def temperature() -> str:
        known = session.calibration.temperature_c
        return "" if known is None else f"{known:g}"

    return (
        WindowAction("Receiver", "Check the receiver: First light", check, "place First light",
                     "test diagnose driver usb lost samples drops healthy health working"),
        WindowAction("Receiver", "Verify: measure again with the correction entered",
                     partial(window.measure, verifying=True), "verify", "check calibration prove correction confirm"),
        WindowAction("Receiver", "Temperature beside the receiver", nothing, "",
                     "warm cold heat shed degrees celsius note room",
                     question=AskedValue("degrees Celsius, such as 21.5; nothing for unknown", temperature,
                                       session.calibration.note_temperature)),
        WindowAction("Receiver", "Next known station", partial(window.step_station, +1), "next station", "up following"),
        WindowAction("Receiver", "Previous known station", partial(window.step_station, -1), "previous station",
                     "down before"),
        WindowAction("Receiver", "Hold the route, or let it go",
                     lambda: session.desk.hold(not session.desk.station.held), "hold the route", "lock keep fix"),
        WindowAction("Tools", "History of the oscillators", history, "", "drift age aging past trend crystal earlier was"),
        WindowAction("Tools", "Watch the oscillator", watch, "",
                     "warm-up warm up drift stability steadiness allan crystal follow time"),
        WindowAction("Tools", "By eye, zero beat: true the dial by hand", in_true("By eye, zero beat"), "",
                     "manual hand ear enter ppm other way"),
        WindowAction("Tools", "By a tone: true the dial", in_true("By a tone"), "", "audio pitch other way"),
        WindowAction("Tools", "By raster: true the dial without a known station", in_true("By raster"), "",
                     "channels grid blind other way unknown"),
        WindowAction("Tools", "By a stereo pilot: true the sample clock", in_true("By a stereo pilot"), "",
                     "fm broadcast 19 khz other way"),
        WindowAction("Tools", "Own transmitter: true the dial by it", in_true("Own transmitter"), "",
                     "transmit rig signal generator other way"),
        WindowAction("Tools", "From a file: observations of another program", in_true("From a file"), "",
                     "import csv measurements other way"),
        WindowAction("Tools", "Sweep the gain", sweep, "", "best gain agc attenuation noise overload too strong find level"),
        WindowAction("Tools", "Test without the antenna",
                     press("Ghosts", lambda place: cast("GhostsPlace", place).test_without()), "",
                     "unplug antenna off disconnect real ghost internal birdie"),
        WindowAction("Tools", "Hunt interference in the house",
                     press("Ghosts", lambda place: cast("GhostsPlace", place).search.click()), "",
                     "noise qrm rfi disturbance charger power supply hum mains buzz buzzing switching lamp solar crackle"),
        WindowAction("Tools", "Write a report of all bands",
                     press("Bands", lambda place: cast("BandsPlace", place).report.click()), "",
                     "pdf html export print document show friend"),
        WindowAction("Tools", "Own bands: typed, or read from a file",
                     press("Bands", lambda place: cast("BandsPlace", place).read.click()), "",
                     "my band plan csv json import national"),
    )  # fmt: skip
