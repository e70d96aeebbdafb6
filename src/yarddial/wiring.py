"""Composition of the program: drivers, logs and files are joined here and nowhere else; it knows no window."""

import os
from typing import TYPE_CHECKING

import msgspec

from yarddial.drivers.protocol import Device
from yarddial.engine.process import EngineProcess
from yarddial.session.faults import Faults
from yarddial.session.log.log_keeper import Book
from yarddial.session.preferences.keeper import PreferenceKeeper
from yarddial.session.session import Session
from yarddial.session.station.saving import BackgroundSave
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import DeviceNotFound, LogNotWritten, NotWritten
from yarddial.yard.parts import Receiver
from yarddial.yard.plain_text import one_line
from yarddial.yard.station import Station

# Interval of discovery while the picker is open, and time-outs after which discovery or a query counts as hung.
CHECK_INTERVAL_S, CHECK_PATIENCE_S, ASKS_PATIENCE_S = 1.0, 20.0, 15.0
# Seconds for which First light watches each rate for lost samples.
RATE_WATCHED_S, FLAT_OUT_S = 2.0, 0.4

# How long announcements of other computers are waited for.
ANNOUNCED_S = 2.0
# File of the demo yard, which its folder's end takes along.
DEMO_FILE = "demo.yard.json"
# More than any demo yard's log holds.
ALL_ENTRIES = 1_000_000
# The first folders for unsaved work outlive a restart of the computer.
DURABLE_FOLDERS = 2

if TYPE_CHECKING:
    import logging

    # Imported after the first paint.
    from collections.abc import Iterator
    from pathlib import Path

    from yarddial.distance.engine_switch import EngineSwitch
    from yarddial.distance.far_check import CheckRun
    from yarddial.distance.far_driver import FarDriver
    from yarddial.distance.far_engine import FarEngine
    from yarddial.distance.identity import Identity, KnownComputers
    from yarddial.distance.server import Server
    from yarddial.drivers.discovery import Listing, Told
    from yarddial.drivers.protocol import Capabilities, FoundReceiver
    from yarddial.drivers.registry import Registry
    from yarddial.records.allowed_programs import AllowedPrograms
    from yarddial.records.left_off_file import LeftOffFile
    from yarddial.records.waiting_entries import WaitingEntries
    from yarddial.session.first_light.checks import FirstLight
    from yarddial.session.first_light.device_check import BeginRun
    from yarddial.session.first_light.result import CheckResult
    from yarddial.session.first_light.runner import Runner
    from yarddial.session.receiver.receiver_choice import ChoiceHelpers
    from yarddial.yard.resolved_route import ResolvedRoute


def registry() -> "Registry":
    """All drivers: built-in ones, simulated first, then those that other packages announce."""
    from yarddial.drivers.kernel.driver import KernelDriver
    from yarddial.drivers.program.driver import ProgramDriver
    from yarddial.drivers.recording.player import RecordingDriver
    from yarddial.drivers.registry import Registry
    from yarddial.drivers.simulated.driver import SimulatedDriver
    from yarddial.drivers.sound.driver import SoundDriver
    from yarddial.drivers.stream.stream import StreamDriver
    from yarddial.records.recordings import open_recording

    ours = (
        SimulatedDriver(),
        KernelDriver(),
        SoundDriver(),
        StreamDriver(),
        RecordingDriver(open_recording),
        ProgramDriver(allowed_programs().why_not),
        _far_driver(),
    )
    drivers = Registry(ours)
    drivers.load_announced()
    return drivers


def _far_driver() -> "FarDriver":
    """Driver for receivers of paired computers."""
    import platform

    from yarddial.distance.far_driver import FarDriver

    return FarDriver(lambda: known_computers().all(), platform.node() or "near computer")


def known_computers() -> "KnownComputers":
    """Computers with which this one was paired."""
    from yarddial.distance.identity import KnownComputers

    return KnownComputers(data_folder() / "known-computers.json")


def engine_link(*, flat_out: bool = False) -> "EngineSwitch":
    """The engine in its own process, or on a paired computer, depending on the receiver started."""
    from yarddial.distance.engine_switch import EngineSwitch

    here = EngineProcess(open_device_flat_out if flat_out else open_device, in_thread=not flat_out)
    return EngineSwitch(here, far_engine)


def far_engine(name: str) -> "FarEngine | None":
    """Engine of a paired computer; None for an unknown one."""
    import platform

    from yarddial.distance.far_engine import FarEngine

    known = known_computers().at(name)
    return None if known is None else FarEngine(known, platform.node() or "near computer")


def distance_server(identity: "Identity", name: str) -> "Server":
    """Server of this computer's receivers: those discovered here, without other computers'."""
    from functools import partial

    from yarddial.distance.server import Server

    recordings = data_folder() / "far-recordings"
    return Server(
        identity, EngineProcess(open_device), offered_receivers, partial(_capabilities_of), recordings, name,
        served_check,
    )  # fmt: skip


def served_check(address: str, station_text: str, route_name: str, *, flat_out: bool = False) -> "CheckRun":
    """First light for a guest, on an offered receiver over the guest's own route; raises BadStation."""
    from pathlib import Path

    from yarddial.records.station_file import station_of
    from yarddial.session.first_light.told_run import ToldRun

    station = station_of(station_text.encode(), Path("a guest's yard")).station
    for part in station.parts:
        if isinstance(part, Receiver) and part.device.startswith("far:") and part.device.endswith(f"/{address}"):
            station = station.with_part(msgspec.structs.replace(part, device=address))
    begin = begin_check_flat_out if flat_out else begin_check
    return ToldRun(begin(station, address, route_name))


def offered_receivers() -> "tuple[tuple[str, FoundReceiver], ...]":
    """Offered receivers by the addresses under which they are started."""
    from yarddial.drivers.discovery import find_receivers

    known = registry()
    ours = [driver for driver in known.drivers() if driver.name not in ("far", "process", "stream", "recording")]
    return tuple((f"{name}:{receiver.address}", receiver) for name, receiver in find_receivers(ours, {}).receivers)


def _capabilities_of(address: str) -> "tuple[Capabilities | None, str]":
    from yarddial.drivers.discovery import told_of

    answer = told_of(address, open_device)
    return answer.capabilities, answer.why


def allowed_programs() -> "AllowedPrograms":
    """Programs that a person has allowed on this computer."""
    from yarddial.records.allowed_programs import AllowedPrograms

    return AllowedPrograms(data_folder() / "allowed-programs.json")


def open_device(address: str, *, flat_out: bool = False) -> Device:
    """Open `driver:address`, such as `simulated:finch` or `recording:/path/file.sigmf-meta`.

    flat_out lets a simulated receiver or a recording run as fast as the computer can.
    """
    from yarddial.drivers.time_source import RealTime, VirtualTime

    if not address.isprintable():
        raise DeviceNotFound(f"'{one_line(address)}' holds what cannot be seen: type the address anew")
    name, colon, rest = address.partition(":")
    known = registry()
    if not colon:
        names = ", ".join(known.names())
        raise DeviceNotFound(f"there is no driver for '{address}': write one of {names}, a colon, and what to open")
    return known.driver(name).open(rest, VirtualTime() if flat_out else RealTime())


def open_device_flat_out(address: str) -> Device:
    """`open_device` without waiting; a module-level function, so that another process can import it."""
    return open_device(address, flat_out=True)


def first_light(
    station: Station, address: str, route_name: str = "", seconds_s: float = RATE_WATCHED_S, *, flat_out: bool = False
) -> "FirstLight":
    """First light of a receiver, over a route of a station to it, with the most accurate station on that route."""
    from yarddial.drivers.time_source import RealTime, VirtualTime
    from yarddial.session.first_light.checks import FirstLight, Plan

    name, _, rest = address.partition(":")
    driver = registry().driver(name)
    time = VirtualTime() if flat_out else RealTime()
    bus = getattr(driver, "bus", None)
    routes = [
        route
        for route in station.resolved_routes()
        if route.receiver.device.partition("?")[0] == address.partition("?")[0]
    ]
    wanted = [route for route in routes if not route_name or route.name == route_name]
    # Prefer a tuner's port: direct sampling has no station of its own.
    wanted.sort(key=lambda route: route.receiver.samples_directly(route.port))
    route = wanted[0] if wanted else None
    able = [
        r
        for r in station.references
        if route is not None
        and route.reach(r.frequency_hz).state == "reached"
        and r.mode != "nfm"
        and not _by_the_crystal(route, r.frequency_hz)
    ]
    reference = min(able, key=lambda r: r.sigma_hz / r.frequency_hz, default=None)
    plan = Plan(route, reference, seconds_s)
    # A kernel's node may belong to no USB device; then there is no bus to look at.
    is_on_usb = bus is not None and getattr(driver, "is_on_usb", lambda _: True)(rest)
    seen = bus(rest) if bus is not None and is_on_usb else None
    return FirstLight(lambda: driver.open(rest, time), time, seen, is_on_usb, plan)


def _by_the_crystal(route: "ResolvedRoute", hertz: float) -> bool:
    """True where a harmonic of the receiver's crystal may be mistaken for the station."""
    counted_hz, crystal_hz = route.counted_hz(hertz), route.receiver.crystal_hz
    away_hz = abs(counted_hz - round(counted_hz / crystal_hz) * crystal_hz) if crystal_hz else float("inf")
    return counted_hz > crystal_hz / 2 and away_hz < 4 * route.sigma_hz(hertz) + 5_000.0


def begin_check_anywhere(engine: "EngineSwitch") -> "BeginRun":
    """Run First light at the receiver: in a process of its own, or on a paired computer."""

    def begin(station: Station, address: str, route_name: str) -> "Runner":
        from pathlib import Path

        from yarddial.distance.engine_switch import PREFIX
        from yarddial.distance.far_check import MAX_STATION
        from yarddial.records.station_file import StationFile
        from yarddial.session.first_light.far_runner import FarRunner

        if not address.startswith(PREFIX):
            return begin_check(station, address, route_name)
        far, rest = engine.far(address)
        if far is None:
            raise DeviceNotFound(f"the computer of '{address}' is not known here: pair with it first")
        text = StationFile(Path("yard"), station).content.decode()
        if len(text) > MAX_STATION:
            raise DeviceNotFound("the yard is too large to be sent for a check: run 'yard-dial check' there")
        return FarRunner(far, far.check(rest, text, route_name))

    return begin


def begin_check(station: Station, address: str, route_name: str) -> "Runner":
    """First light in a process of its own."""
    from functools import partial

    from yarddial.session.first_light.runner import process_runner

    return process_runner(partial(check_results, station, address, route_name))


def begin_check_flat_out(station: Station, address: str, route_name: str) -> "Runner":
    """The same in this process without waiting; for tests and pictures."""
    from functools import partial

    from yarddial.session.first_light.runner import inline_runner

    return inline_runner(partial(check_results, station, address, route_name, flat_out=True))


def check_results(
    station: Station, address: str, route_name: str, *, flat_out: bool = False
) -> "Iterator[CheckResult]":
    """Yield the results of a run; a module-level function, so that another process can import it.

    A simulated receiver shows its losses at once when it runs flat out, so each rate is watched for a shorter time.
    """
    seconds_s = FLAT_OUT_S if flat_out else RATE_WATCHED_S
    return first_light(station, address, route_name, seconds_s, flat_out=flat_out).results()


def choice_helpers(*, inline: bool = False) -> "ChoiceHelpers":
    """Helpers that discover receivers, in a separate process, or in this one for tests and pictures."""
    from functools import partial

    from yarddial.session.helper_process import HelperInline, HelperProcess
    from yarddial.session.receiver.receiver_choice import ChoiceHelpers

    allowed = allowed_programs()
    if inline:
        return ChoiceHelpers(
            lambda: HelperInline(partial(discover_receivers, 0.0)),
            lambda device: HelperInline(partial(ask_receiver, device)),
            allowed.allow, allowed.allows,
        )  # fmt: skip
    return ChoiceHelpers(
        lambda: HelperProcess(partial(discover_receivers, CHECK_INTERVAL_S), CHECK_PATIENCE_S),
        lambda device: HelperProcess(partial(ask_receiver, device), ASKS_PATIENCE_S),
        allowed.allow, allowed.allows,
    )  # fmt: skip


def discover_receivers(every_s: float) -> "Iterator[Listing]":
    """Yield what all drivers find, repeatedly; a module-level function, so that another process can import it."""
    from yarddial.drivers.discovery import listings

    known = registry()
    return listings(known.drivers(), known.troubles, every_s)


def ask_receiver(device: str) -> "Iterator[Told]":
    """Query one receiver's driver."""
    from yarddial.drivers.discovery import told_of

    yield told_of(device, open_device)


def demo_session(*, flat_out: bool = False, folder: "Path | None" = None, seed: int = 1) -> Session:
    """The demo yard as shipped: a station file and a log, joined as a person's own, in a folder that goes with the
    program.
    """
    from yarddial.records.station_file import StationFile
    from yarddial.records.temporary import MARK, temporary_folder

    folder = folder or temporary_folder()
    (folder / MARK).touch()
    path = folder / DEMO_FILE
    if not os.path.exists(path):
        station = demo_station()
        if seed != 1:
            for part in station.parts:
                if isinstance(part, Receiver):
                    station = station.with_part(msgspec.structs.replace(part, device=f"{part.device}?seed={seed}"))
        StationFile(path, station).save(station)
    return open_session(path, flat_out=flat_out)


def own_session(path: "Path | None") -> Session:
    """Session on a station file, or on the person's own yard, which is empty at first."""
    if path is None:
        path = data_folder() / "my.yard.json"
        if not os.path.exists(path):
            return begin_session(path)
    return open_session(path)


def open_session(path: "Path", *, flat_out: bool = False) -> Session:
    """Session on a station file with its log, background saving, and edits kept after a failure.

    A demo yard has its log and its unsaved edits in its own folder; in all else it is a yard like any other.
    """
    from yarddial.records.presence import Presence
    from yarddial.records.recent import RecentFiles
    from yarddial.records.recovery import Recovery
    from yarddial.records.station_file import load_station
    from yarddial.records.whole_file import take_leftovers
    from yarddial.session.station.demo_table import DemoTable
    from yarddial.session.station.station_saver import StationSaver

    is_demo = _is_demo(path)
    left = take_leftovers(path)
    file = load_station(path)
    unsaved = (path.parent / "unsaved",) if is_demo else unsaved_folders()
    log = path.parent / "log.sqlite" if is_demo else log_path()
    recovery = Recovery(*unsaved, durable=len(unsaved) if is_demo else DURABLE_FOLDERS)
    recovery.keep_what_was_written_over(path)
    if not is_demo:
        RecentFiles(data_folder() / "recent.json").add(path)
    engine = engine_link(flat_out=flat_out)
    saver = StationSaver(file, recovery, Presence(state_folder() / "open", path), left)
    is_simulated = any(_is_simulated(part) for part in file.station.parts)
    return Session(
        file.station,
        engine,
        lambda: _log_at(log),
        BackgroundSave(saver.save, saver.check),
        recovery.find(path),
        begin_check_flat_out if flat_out else begin_check_anywhere(engine),
        Faults(fault_file),
        saver,
        choice_helpers,
        preference_keeper(),
        far_in_use=lambda: engine.far_in_use,
        table=DemoTable(lambda: _table_of(path)) if is_simulated else None,
        waiting_store=lambda: _waiting_entries(log, unsaved),
        left_off_file=_left_off_file(path),
        is_temporary=is_demo,
    )


def _is_demo(path: "Path") -> bool:
    """Return True in a folder that goes with the program; a person's own file may have the same name."""
    if path.name != DEMO_FILE:
        return False
    from yarddial.records.temporary import MARK

    return os.path.exists(path.parent / MARK)


def _log_at(path: "Path") -> Book:
    """Opened after the first paint, as all logs are."""
    from yarddial.records.logbook import Logbook

    return Logbook(path)


def _is_simulated(part: object) -> bool:
    return isinstance(part, Receiver) and part.device.startswith("simulated:")


def _left_off_file(path: "Path") -> "LeftOffFile":
    """Memory of where the person left off in a yard, by its file."""
    from yarddial.records.left_off_file import LeftOffFile
    from yarddial.records.whole_file import digest_of

    if _is_demo(path):
        return LeftOffFile(path.with_name("left-off.json"))
    mark = digest_of(os.fsencode(os.path.realpath(path)))[:16]
    return LeftOffFile(state_folder() / "left-off" / f"{mark}.json")


def _table_of(path: "Path") -> "Path":
    """File of the table with the simulated receivers of a yard."""
    if _is_demo(path):
        return path.with_name("table.json")
    folder = state_folder() / "tables"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise NotWritten(f"cannot make {folder}: {error.strerror}; check its permissions") from error
    return folder / path.name


def unsaved_folders() -> tuple["Path", ...]:
    """Folders for what cannot be saved where it belongs; the last one, if any, lasts as long as the computer runs."""
    from pathlib import Path

    folders = (data_folder() / "unsaved", state_folder() / "unsaved")
    runtime = os.environ.get("XDG_RUNTIME_DIR")
    return (*folders, Path(runtime) / "yard-dial") if runtime else folders


def waiting_entries() -> "WaitingEntries":
    """Keeper of log entries that the log cannot take."""
    return _waiting_entries(log_path(), unsaved_folders())


def _waiting_entries(log: "Path", folders: tuple["Path", ...]) -> "WaitingEntries":
    from yarddial.records.waiting_entries import WaitingEntries

    return WaitingEntries(log, folders, DURABLE_FOLDERS)


def adopt_demo(session: Session) -> "Path":
    """Keep a demo yard as the person's own: copy it into a new file, and its log's entries into the person's log.

    Raises NotWritten or LogNotWritten; the demo stays as it is then.
    """
    from pathlib import Path

    from yarddial.records.logbook import Logbook
    from yarddial.records.station_file import StationFile

    name, number = session.desk.station.name, 1
    while os.path.exists(path := _own_path(name if number == 1 else f"{name} {number}")):
        number += 1
    name = name if number == 1 else f"{name} {number}"
    station = msgspec.structs.replace(session.desk.station, name=name)
    Path(path.parent).mkdir(parents=True, exist_ok=True)
    entries = session.log.entries(limit=ALL_ENTRIES)[::-1]
    StationFile(path, station).save(station)
    try:
        book = Logbook(log_path())
        try:
            for entry in entries:
                book.add(msgspec.structs.replace(entry, id=0, station=name))
        finally:
            book.close()
    except LogNotWritten:
        # Half a yard is none: the demo still holds all of it.
        path.unlink(missing_ok=True)
        raise
    _left_off_file(path).write(msgspec.structs.replace(session.listening.left_off(), place=session.left_off.place))
    session.unkept.give_up()
    return path


def _own_path(name: str) -> "Path":
    """Path of a yard of the person by its name."""
    stem = "-".join("".join(sign if sign.isalnum() else " " for sign in name.lower()).split()) or "yard"
    return data_folder() / f"{stem}.yard.json"


def begin_session(path: "Path") -> Session:
    """Create an empty yard in a new file; an existing one is opened instead."""
    from yarddial.records.station_file import StationFile

    if not os.path.exists(path):
        if not path.name.endswith(".yard.json"):
            path = path.with_name(f"{path.name.removesuffix('.json')}.yard.json")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {path.parent}: {error.strerror}; check its permissions") from error
        name = path.name.removesuffix(".yard.json").replace("-", " ").strip().capitalize() or "My yard"
        name = name.replace("My", "My yard", 1) if name.partition(" ")[0] == "My" else name
        preferences = preference_keeper().now
        station = Station(name, region=preferences.region, country=preferences.country)
        StationFile(path, station).save(station)
    return open_session(path)


def fault_file() -> "logging.Handler":
    """Handler that writes faults with their tracebacks into rotating files in the state folder."""
    from logging import Formatter
    from logging.handlers import RotatingFileHandler

    folder = state_folder()
    folder.mkdir(parents=True, exist_ok=True)
    handler = RotatingFileHandler(folder / "faults.log", maxBytes=256_000, backupCount=3, encoding="utf-8")
    handler.setFormatter(Formatter("%(asctime)s %(name)s: %(message)s"))
    return handler


class OwnFiles:
    """Station files for the window: open, create, list recent ones."""

    def open(self, path: "Path") -> Session:
        """Session on a station file."""
        return open_session(path)

    def begin(self, path: "Path") -> Session:
        """Session on an empty yard in a new file."""
        return begin_session(path)

    def recent(self) -> tuple["Path", ...]:
        """Recently opened files."""
        from yarddial.records.recent import RecentFiles

        return RecentFiles(data_folder() / "recent.json").paths()

    def fresh(self) -> "Path":
        """Place of a new yard in the data folder, where no file is yet."""
        number = 2
        while os.path.exists(path := data_folder() / f"my-{number}.yard.json"):
            number += 1
        return path

    def demo(self) -> Session:
        """Session on the demo yard."""
        return demo_session()

    def adopt(self, session: Session) -> "Path":
        """Keep a demo yard as the person's own and return its file."""
        return adopt_demo(session)

    def pair(self, place: str, code: str, name: str) -> str:
        """Pair with a computer that serves its receivers; waits for it."""
        import asyncio
        import platform

        from yarddial.distance.address import host_and_port
        from yarddial.distance.knocking import pair_with

        host, port = host_and_port(place)
        known = asyncio.run(pair_with(host, port, code, platform.node() or "near computer", name))
        known_computers().add(known)
        return known.name

    def announced(self) -> tuple[tuple[str, str], ...]:
        """Serving computers that announce themselves in this network: name with mark, and address; takes seconds."""
        from yarddial.distance.announcement import announced_computers
        from yarddial.distance.identity import mark_of

        computers = announced_computers(ANNOUNCED_S)
        return tuple((f"{computer.name}, {mark_of(computer.mark)}", computer.place) for computer in computers)

    def computers(self) -> tuple[str, ...]:
        """Paired computers as name and address."""
        return tuple(f"{computer.name}, {computer.host}:{computer.port}" for computer in known_computers().all())

    def forget_computer(self, name: str) -> None:
        """Forget a paired computer."""
        known_computers().forget(name)


def preference_keeper() -> PreferenceKeeper:
    """Preferences of the person, read from and written to the configuration folder."""
    from yarddial.records.preference_file import PreferenceFile

    file = PreferenceFile(config_folder() / "settings.json")
    now, trouble = file.read()
    return PreferenceKeeper(now, file.save, trouble)


def config_folder() -> "Path":
    """Folder of the person's settings."""
    from pathlib import Path

    import platformdirs

    return Path(platformdirs.user_config_dir("yard-dial"))


def data_folder() -> "Path":
    """Folder of the person's own data."""
    from pathlib import Path

    import platformdirs

    return Path(platformdirs.user_data_dir("yard-dial"))


def state_folder() -> "Path":
    """Folder of data that may be lost."""
    from pathlib import Path

    import platformdirs

    return Path(platformdirs.user_state_dir("yard-dial"))


def log_path() -> "Path":
    """Path of the person's logbook."""
    return data_folder() / "log.sqlite"
