"""A whole session whose receiver stands on another computer: trued as on the spot, heard, and told when it breaks."""

import asyncio
import contextlib
import threading
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from queue import SimpleQueue

import msgspec
import pytest

from job_yard import Book
from slow_yards import wide_station
from yarddial import wiring
from yarddial.distance.engine_switch import EngineSwitch
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.fetching import Fetching
from yarddial.distance.identity import Identity, KnownComputer
from yarddial.distance.pairing_code import fingerprint_of
from yarddial.distance.server import Server
from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.engine.link import EngineInline
from yarddial.session.calibration.live_methods import SCAN_S
from yarddial.session.session import Session
from yarddial.yard.parts import Receiver

ADDRESS = "simulated:finch"


@contextlib.contextmanager
def served(folder: Path) -> Iterator[FarEngine]:
    """A serving computer in a thread, whose receiver gives two blocks each time that is looked at; a link to it."""
    identity = Identity(folder / "id")
    engine = EngineInline(wiring.open_device_flat_out, 2)
    offered = ((ADDRESS, FoundReceiver("finch", "Finch")),)
    check = partial(wiring.served_check, flat_out=True)
    server = Server(identity, engine, lambda: offered, lambda _: (None, ""), folder / "rec", "shed", check)
    begun: SimpleQueue[tuple[int, Callable[[], object]]] = SimpleQueue()

    async def serve() -> None:
        door = await server.door.listen("127.0.0.1", 0)
        loop, serving = asyncio.get_running_loop(), asyncio.current_task()
        assert serving is not None
        begun.put((door.sockets[0].getsockname()[1], partial(loop.call_soon_threadsafe, serving.cancel)))
        with contextlib.suppress(asyncio.CancelledError):
            await server.serve()

    thread = threading.Thread(target=lambda: asyncio.run(serve()))
    thread.start()
    port, end = begun.get(timeout=10)
    word = identity.pair("desk", "control")
    try:
        yield FarEngine(KnownComputer("shed", "127.0.0.1", port, fingerprint_of(identity.certificate), word), "desk")
    finally:
        # A receiver that runs flat out for nobody takes half of what the tests after it have.
        end()
        thread.join(20)
        engine.close()


def poll(session: Session, so: object, for_s: float = 60.0) -> None:
    until_s = time.monotonic() + for_s
    while not so():  # type: ignore[operator]
        assert time.monotonic() < until_s, session.live_receiver.trouble
        session.poll()
        time.sleep(0.005)


@pytest.fixture
def far(tmp_path: Path) -> Iterator[FarEngine]:
    """A link to the shed."""
    with served(tmp_path) as link:
        yield link


@pytest.fixture
def session(far: FarEngine) -> Iterator[Session]:
    """The demo yard, whose Finch stands in the shed."""
    station = wide_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    station = station.with_part(msgspec.structs.replace(finch, device=f"far:shed/{ADDRESS}"))
    here = EngineInline(wiring.open_device_flat_out)
    switch = EngineSwitch(here, lambda name: far if name == "shed" else None)
    begin = wiring.begin_check_anywhere(switch)
    made = Session(station, switch, Book, begin_check=begin, far_in_use=lambda: switch.far_in_use)
    yield made
    made.close()


def grew(fetching: Fetching, had: int) -> bool:
    return fetching.have_bytes > had


def made_anew(far: FarEngine, links: int) -> bool:
    return far.is_linked and far.links > links


def test_a_far_receiver_is_measured_heard_and_comes_back_after_a_break(far: FarEngine, session: Session) -> None:
    session.calibration.chosen_s = 2.0
    session.calibration.measure()
    poll(session, lambda: len(session.calibration.observations) == 1)
    state = session.calibration.state()
    off_hz = true_dial_error_hz(quillet_world(), session.desk.route, session.desk.station.dial_hz)
    assert abs(off_hz - state.error_hz) <= 3 * state.sigma_hz
    session.listening.open()
    poll(session, lambda: session.listening.level_dbfs is not None)
    poll(session, lambda: bool(session.live_receiver.picture.recent()[0].size))
    # The link is pulled: it is made anew, nothing has stopped, and it is said.
    far.cut()
    poll(session, lambda: not far.is_linked or "the link to shed" in session.live_receiver.remark)
    poll(session, lambda: far.is_linked and "was away" in session.live_receiver.remark)
    assert session.live_receiver.running
    session.listening.close()
    session.calibration.measure()
    poll(session, lambda: len(session.calibration.observations) == 2)


def test_a_computer_that_is_not_known_is_said(tmp_path: Path) -> None:
    station = wide_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    station = station.with_part(msgspec.structs.replace(finch, device="far:attic/simulated:finch"))
    session = Session(station, EngineSwitch(EngineInline(wiring.open_device_flat_out), lambda _: None), Book)
    session.toggle_receiver()
    session.poll()
    assert "attic is not known" in session.live_receiver.trouble
    session.close()


def test_a_recording_made_there_is_brought_over_whole_though_the_link_breaks(
    tmp_path: Path, far: FarEngine, session: Session
) -> None:
    session.toggle_receiver()
    poll(session, lambda: session.live_receiver.running and session.listening.centre_hz() is not None)
    recorder = session.listening.recorder
    here = tmp_path / "here"
    here.mkdir()
    recorder.record_samples(here / "one", session.listening.settings)
    poll(session, lambda: recorder.recording is not None and recorder.recording.seconds_s >= 2.0)
    recorder.stop_recording_samples()
    poll(session, lambda: session.far_recordings.fetching is not None)
    # Cut as soon as some of it has come, twice, and it is gone on with.
    for _ in range(2):
        fetching, links = far.fetching, far.links
        assert fetching is not None
        had = fetching.have_bytes
        poll(session, partial(grew, fetching, had))
        assert not fetching.is_done
        far.cut()
        poll(session, partial(made_anew, far, links))
    poll(session, lambda: recorder.last_recording == str(here / "one.sigmf-meta"))
    assert not recorder.trouble
    for ending in (".sigmf-data", ".sigmf-meta"):
        (made,) = (tmp_path / "rec").rglob(f"*{ending}")
        assert made.read_bytes() == (here / f"one{ending}").read_bytes()
    assert sorted(path.name for path in here.iterdir()) == ["one.sigmf-data", "one.sigmf-meta"]
    # Another is stopped on its way, which is said, and gone on with under another name.
    session.far_recordings.refresh()
    poll(session, lambda: len(session.far_recordings.there) == 1)
    name = session.far_recordings.there[0].name
    ends: list[str] = []
    session.far_recordings.bring(name, here / "two", lambda fetching: ends.append(fetching.trouble))
    session.far_recordings.leave(name)
    assert "stopped" in ends[-1]
    assert session.far_recordings.fetching is None
    session.far_recordings.bring(name, here / "two", lambda fetching: ends.append("" if fetching.is_done else "more"))
    poll(session, lambda: ends[-1] == "")
    assert (here / "two.sigmf-data").read_bytes() == (here / "one.sigmf-data").read_bytes()
    # Removed there by a person's wish.
    poll(session, lambda: len(session.far_recordings.there) == 1)
    (there,) = session.far_recordings.there
    session.far_recordings.remove(there.name)
    poll(session, lambda: not session.far_recordings.there)
    # Its description goes first, so that half of it is never offered; the samples follow.
    poll(session, lambda: not list((tmp_path / "rec").rglob("*.sigmf-*")))


def test_a_pilot_is_gathered_there_and_judged_here(
    tmp_path: Path, session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    # How well it is known from four seconds is tested elsewhere.
    monkeypatch.setitem(SCAN_S, "pilot", 1.5)
    session.desk.choose_route(
        next(line.name for line in session.desk.station.resolved_routes() if line.antenna.name == "Discone")
    )
    session.desk.dial(96.2e6)
    methods = session.live_methods
    methods.hear_pilot()
    assert methods.running == "pilot"
    poll(session, lambda: not methods.running)
    assert methods.work is not None, methods.trouble
    assert methods.gathered == "pilot"
    methods.work()
    # What was only gathered for that does not stay there.
    poll(session, lambda: not list((tmp_path / "rec").rglob("*.sigmf-*")))


def test_first_light_runs_where_the_receiver_stands(far: FarEngine, session: Session) -> None:
    session.device_check.start()
    poll(session, lambda: len(session.device_check.results) >= 2)
    far.cut()
    poll(session, lambda: not session.device_check.running)
    # The same as on the spot, each once, and what is to be done is done there.
    here = list(wiring.check_results(wide_station(), ADDRESS, session.desk.route.name, flat_out=True))
    there = session.device_check.results
    assert [(one.name, one.verdict) for one in there] == [(one.name, one.verdict) for one in here]
    assert all(one.fix.startswith("on shed: ") for one in there if one.fix)
    # One that is left ends there too: the receiver can be used at once.
    session.device_check.start()
    session.device_check.cancel()
    session.toggle_receiver()
    poll(session, lambda: session.live_receiver.running)
    # And one whose far computer is not known any more is said and over.
    station = session.desk.station
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    session.desk.edit("gone", station.with_part(msgspec.structs.replace(finch, device="far:attic/x")))
    session.device_check.start()
    poll(session, lambda: not session.device_check.running)
    assert "attic" in session.device_check.results[-1].detail
