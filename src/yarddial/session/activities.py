"""List of all activities, one line each, by the file that declares it. Add a line here for a new activity."""

from collections.abc import Iterator
from functools import cached_property
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, TypeVar, overload

from yarddial.session.activity import Declaration

if TYPE_CHECKING:
    # Each activity is imported when first used.
    from yarddial.session.bands.band_board import BandBoard
    from yarddial.session.bands.band_run import BandRun
    from yarddial.session.calibration.calibration import Calibration
    from yarddial.session.calibration.calibration_sequence import CalibrationSequence
    from yarddial.session.calibration.carrier_watch import CarrierWatch
    from yarddial.session.calibration.crystal_follower import CrystalFollower
    from yarddial.session.calibration.live_methods import LiveMethods
    from yarddial.session.calibration.lo_leak_scan import LoLeakScan
    from yarddial.session.calibration.other_methods import OtherMethods
    from yarddial.session.calibration.plug_check import PlugCheck
    from yarddial.session.first_light.device_check import DeviceCheck
    from yarddial.session.levels.levels import Levels
    from yarddial.session.levels.noise_watch import NoiseWatch
    from yarddial.session.listening.comparison import Comparison
    from yarddial.session.listening.listening import Listening
    from yarddial.session.listening.reception_check import ReceptionCheck
    from yarddial.session.listening.recorder import Recorder
    from yarddial.session.receiver.far_recordings import FarRecordings
    from yarddial.session.receiver.receiver_choice import ReceiverChoice
    from yarddial.session.rig.isolation_measurement import IsolationMeasurement
    from yarddial.session.rig.own_transmission import OwnTransmission
    from yarddial.session.rig.rig_control import RigControl
    from yarddial.session.sampling.span_planner import SpanPlanner
    from yarddial.session.spurious.expected_products import ExpectedProducts
    from yarddial.session.spurious.interference_search import InterferenceSearch
    from yarddial.session.spurious.mitigation import Mitigation
    from yarddial.session.spurious.span_verification import SpanTest
    from yarddial.session.spurious.strong_signals import StrongSignals
    from yarddial.session.station.building import Building

A = TypeVar("A")


class Room(Generic[A]):
    """An activity as an attribute of the session, created on first use from its file's `DECLARATION`.

    from_start : created with the session, because it listens to the yard from the first moment on.
    """

    def __init__(self, module: str, *, from_start: bool = False) -> None:
        self._module, self.from_start = f"yarddial.session.{module}", from_start
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    @overload
    def __get__(self, session: None, owner: type) -> "Room[A]": ...

    @overload
    def __get__(self, session: object, owner: type) -> A: ...

    def __get__(self, session: object, owner: type) -> "Room[A] | A":
        """Return the activity; the session caches it under the same name."""
        if session is None:
            return self
        declaration = self.declaration
        activity = declaration.make(session)
        vars(session)[self.name] = activity
        if isinstance(session, Activities):
            session.on_made(declaration, activity)
        return activity

    @cached_property
    def declaration(self) -> Declaration[A]:
        """The activity's declaration, from its file."""
        declared: Declaration[A] = import_module(self._module).DECLARATION
        return declared


class Activities:
    """All activities. Those with `from_start` are created in this order, after the objects they are given."""

    rig: Room["RigControl"] = Room("rig.declaration", from_start=True)
    calibration: Room["Calibration"] = Room("calibration.declaration", from_start=True)
    device_check: Room["DeviceCheck"] = Room("first_light.declaration", from_start=True)
    levels: Room["Levels"] = Room("levels.declaration", from_start=True)
    span_test: Room["SpanTest"] = Room("spurious.declaration", from_start=True)
    listening: Room["Listening"] = Room("listening.declaration", from_start=True)
    recorder: Room["Recorder"] = Room("listening.recorder", from_start=True)
    strong: Room["StrongSignals"] = Room("spurious.strong_signals", from_start=True)
    crystal_follower: Room["CrystalFollower"] = Room("calibration.crystal_follower", from_start=True)
    board: Room["BandBoard"] = Room("bands.band_board", from_start=True)
    plug_check: Room["PlugCheck"] = Room("calibration.plug_check", from_start=True)
    far_recordings: Room["FarRecordings"] = Room("receiver.far_recordings", from_start=True)
    receiver_choice: Room["ReceiverChoice"] = Room("receiver.receiver_choice")
    carrier_watch: Room["CarrierWatch"] = Room("calibration.carrier_watch")
    noise_watch: Room["NoiseWatch"] = Room("levels.noise_watch")
    lo_leak_scan: Room["LoLeakScan"] = Room("calibration.lo_leak_scan")
    live_methods: Room["LiveMethods"] = Room("calibration.live_methods")
    other_methods: Room["OtherMethods"] = Room("calibration.other_methods")
    calibration_sequence: Room["CalibrationSequence"] = Room("calibration.calibration_sequence")
    expected_products: Room["ExpectedProducts"] = Room("spurious.expected_products")
    mitigation: Room["Mitigation"] = Room("spurious.mitigation")
    interference_search: Room["InterferenceSearch"] = Room("spurious.interference_search")
    comparison: Room["Comparison"] = Room("listening.comparison")
    reception_check: Room["ReceptionCheck"] = Room("listening.reception_check")
    band_run: Room["BandRun"] = Room("bands.band_run")
    own_transmission: Room["OwnTransmission"] = Room("rig.own_transmission")
    isolation: Room["IsolationMeasurement"] = Room("rig.isolation_measurement")
    span_planner: Room["SpanPlanner"] = Room("sampling.span_planner")
    building: Room["Building"] = Room("station.building")

    def on_made(self, declaration: Declaration[Any], activity: Any) -> None:
        """Note a newly created activity."""

    def made_rooms(self) -> Iterator[tuple[Declaration[Any], Any]]:
        """Activities that exist, with their declarations, in the order of the list."""
        for room in rooms():
            if (activity := vars(self).get(room.name)) is not None:
                yield room.declaration, activity


def rooms() -> tuple[Room[Any], ...]:
    """All activities in the order of the list."""
    return _ROOMS


_ROOMS: tuple[Room[Any], ...] = tuple(room for room in vars(Activities).values() if isinstance(room, Room))
