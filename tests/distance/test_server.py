"""The door and the guests: nobody unknown is told anything, roles hold, a link that broke loses and doubles nothing."""

import asyncio
import contextlib
import random
import ssl
import struct
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from pathlib import Path

import numpy as np
import pytest

from tunings import SOME_TUNING
from yarddial.distance import door as serving
from yarddial.distance import far_engine as near
from yarddial.distance import server as looking_after
from yarddial.distance import wire
from yarddial.distance.coding import CodedLevels, CodedSamples, code_levels
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.guest import OWN_MASK, Guest, in_numbers_of
from yarddial.distance.identity import Identity, KnownComputer, PairedComputer
from yarddial.distance.knocking import FarRefused, FarUnreachable, context, knock, pair_with
from yarddial.distance.pairing_code import PairingCode, fingerprint_of, read_code
from yarddial.distance.server import Server
from yarddial.distance.wire import Far
from yarddial.drivers.protocol import FoundReceiver, RequestedSettings
from yarddial.engine.commands import Cancel, Command, Measure, Quit, RecordSamples, Start, Stop, Tune
from yarddial.engine.events import Event, JobFailed, NotMeasured, Stopped, Tuned
from yarddial.engine.tuning import Safeguards
from yarddial.session.finding import Act
from yarddial.session.receiver.far_findings import far_findings

ADDRESS = "simulated:finch"
ASK = RequestedSettings(130e6, 1.024e6, "ladder", bias=True)


class NotedEngine:
    """Notes what it is asked; says what a test has it say."""

    def __init__(self) -> None:
        self.asked: list[Command] = []
        self.says: list[Event] = []

    def send(self, command: Command) -> None:
        self.asked.append(command)

    def poll(self) -> list[Event]:
        said, self.says = self.says, []
        return said

    def warm(self) -> None:
        pass

    def close(self) -> None:
        self.asked.append(Quit())


class Shed:
    """A serving computer on a free port."""

    def __init__(self, folder: Path) -> None:
        self.engine = NotedEngine()
        self.identity = Identity(folder / "id")
        offered = ((ADDRESS, FoundReceiver("finch", "Finch")),)
        self.server = Server(
            self.identity, self.engine, lambda: offered, lambda _: (None, "no"), folder / "rec", "shed"
        )
        self.port = 0

    @property
    def links(self) -> list[asyncio.BaseTransport]:
        """Those that stand now, as the serving side has them."""
        return [guest.transport for guest in self.server.guests.values() if guest.transport is not None]

    @contextlib.asynccontextmanager
    async def open(self) -> AsyncIterator["Shed"]:
        door = await self.server.door.listen("127.0.0.1", 0)
        self.port = door.sockets[0].getsockname()[1]
        task = asyncio.create_task(self.server.serve())
        try:
            yield self
        finally:
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task
            door.close()

    def known(self, name: str = "desk", role: str = "control") -> KnownComputer:
        word = self.identity.pair(name, role)  # type: ignore[arg-type]
        return KnownComputer("shed", "127.0.0.1", self.port, fingerprint_of(self.identity.certificate), word)


def at(shed: Shed, act: Callable[[Shed], Awaitable[None]]) -> None:
    """Do it while the shed serves."""

    async def run() -> None:
        async with shed.open():
            await act(shed)

    asyncio.run(run())


@pytest.fixture
def shed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Shed:
    # Wrong words cost less time here.
    monkeypatch.setattr(serving, "WRONG_S", 0.001)
    monkeypatch.setattr(serving, "MAX_WRONG_S", 0.01)
    return Shed(tmp_path)


async def until(so: Callable[[], bool], for_s: float = 10.0) -> None:
    until_s = time.monotonic() + for_s
    while not so():
        assert time.monotonic() < until_s, "it never came"
        await asyncio.sleep(0.01)


def test_a_code_pairs_once_and_a_wrong_one_never(shed: Shed) -> None:
    async def act(shed: Shed) -> None:
        code = shed.server.door.offer_pairing("listen")
        right = read_code(code)
        wrong = PairingCode(right.print_bits, right.secret ^ 1)
        with pytest.raises(FarRefused):
            await pair_with("127.0.0.1", shed.port, wrong.text, "desk", "")
        known = await pair_with("127.0.0.1", shed.port, code, "desk", "")
        with pytest.raises(FarRefused):
            await pair_with("127.0.0.1", shed.port, code, "other", "")
        welcome, _, writer = await knock(known, wire.Hello(wire.WIRE_VERSION, "desk", known.word))
        assert (welcome.name, welcome.role) == ("shed", "listen")
        writer.transport.abort()

    at(shed, act)


class StoppedClock:
    """Stands still until it is moved."""

    def __init__(self) -> None:
        self.now_s = 1_000.0

    def monotonic(self) -> float:
        return self.now_s


def test_wrong_codes_slow_their_address_down_and_never_void_the_owners_code(
    shed: Shed, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = StoppedClock()
    monkeypatch.setattr(serving, "time", clock)

    async def act(shed: Shed) -> None:
        code = read_code(shed.server.door.offer_pairing("control"))
        for number in range(40):
            wrong = PairingCode(code.print_bits, (code.secret + 1 + number) % 2**35)
            with pytest.raises(FarRefused):
                await pair_with("127.0.0.1", shed.port, wrong.text, "desk", "")
        # At this moment no further code from here is looked at, not even the right one.
        with pytest.raises(FarRefused, match="wait"):
            await pair_with("127.0.0.1", shed.port, code.text, "desk", "")
        clock.now_s += 60.0
        known = await pair_with("127.0.0.1", shed.port, code.text, "desk", "")
        assert shed.identity.who_comes_with(known.word) is not None

    at(shed, act)


def test_a_fault_there_is_told_to_its_guest_without_the_paths_of_that_computer() -> None:
    guest = Guest(PairedComputer("desk", "control", "ab"), 1)
    failed = JobFailed("the program failed in this work", 'File "/home/owner/secret.py"', job=3, id=4)
    told = in_numbers_of(guest, failed)
    assert isinstance(told, JobFailed)
    assert (told.why, told.details, told.job) == (failed.why, "", 3)


def test_silent_connections_lock_nobody_out(shed: Shed) -> None:
    """Three hundred say nothing, thirty of them behind their handshake; the guest hears on, a new one is paired."""

    async def act(shed: Shed) -> None:
        known = shed.known("couch")
        _, reader, inside = await knock(known, wire.Hello(wire.WIRE_VERSION, "couch", known.word))
        silent = [await asyncio.open_connection("127.0.0.1", shed.port) for _ in range(300)]
        silent += [await asyncio.open_connection("127.0.0.1", shed.port, ssl=context()) for _ in range(30)]
        code = shed.server.door.offer_pairing("listen")
        began_s = time.monotonic()
        await pair_with("127.0.0.1", shed.port, code, "desk", "")
        assert time.monotonic() - began_s < 5.0
        shed.engine.says.append(Stopped("still here"))
        for _ in range(50):
            length = wire.length_of(await asyncio.wait_for(reader.readexactly(4), 5.0), wire.MAX_TOLD)
            if isinstance(told := wire.read_far(await reader.readexactly(length)), wire.ToldMessage):
                break
        assert wire.event_of(told) == Stopped("still here")  # type: ignore[arg-type]
        for _, writer in (*silent, (reader, inside)):
            writer.transport.abort()

    at(shed, act)


def test_two_computers_of_one_name_keep_their_own_rights_until_one_is_revoked(
    shed: Shed, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(looking_after, "REVOKED_S", 0.1)

    async def act(shed: Shed) -> None:
        first, second = shed.known("fedora", "control"), shed.known("fedora", "listen")
        assert [one.name for one in shed.identity.paired()] == ["fedora", "fedora (2)"]
        far, other = FarEngine(first, "fedora"), FarEngine(second, "fedora")
        far.send(Start(ADDRESS))
        await until(lambda: far.is_linked and bool(shed.engine.asked))
        other.send(Start("simulated:heron"))
        await until(lambda: len(shed.server.guests) == 2)
        assert {guest.who.name: guest.controls for guest in shed.server.guests.values()} == {
            "fedora": True, "fedora (2)": False,
        }  # fmt: skip
        shed.identity.revoke("fedora")
        began_s = time.monotonic()
        await until(lambda: [guest.who.name for guest in shed.server.guests.values()] == ["fedora (2)"])
        assert time.monotonic() - began_s < 1.0
        assert not shed.links or len(shed.links) == 1
        for engine in (far, other):
            await asyncio.to_thread(engine.close)

    at(shed, act)


@pytest.mark.parametrize(
    ("kind", "body"),
    [
        ("Hear", {"hear_hz": 1e6, "settings": {"way": "am", "low_hz": float("nan"), "high_hz": 3e3}}),
        ("Hear", {"hear_hz": float("inf"), "settings": {"way": "am", "low_hz": -3e3, "high_hz": 3e3}}),
        ("Show", {"id": 1, "half_span_hz": 1e3, "rows": 1 << 40, "column_s": 0.1}),
        ("Show", {"id": 1, "half_span_hz": 1e3, "rows": 400, "column_s": 0.0}),
        ("Measure", {"seconds_s": -1.0, "within_hz": 100.0}),
        ("Sweep", {"settings": [[]] * 6_000, "width_hz": 3e3}),
        ("Tune", {"requested": {"centre_hz": 1e6, "rate_hz": 1e15}, "middle_hz": 1e6, "half_width_hz": 1e3}),
    ],
)
def test_a_value_out_of_bounds_ends_its_own_link_alone(shed: Shed, kind: str, body: dict[str, object]) -> None:
    async def act(shed: Shed) -> None:
        known, bystander = shed.known("desk"), shed.known("couch", "listen")
        _, _, other = await knock(bystander, wire.Hello(wire.WIRE_VERSION, "couch", bystander.word))
        _, _, writer = await knock(known, wire.Hello(wire.WIRE_VERSION, "desk", known.word))
        writer.write(wire.frame(wire.Asked(1, 0, kind, body)))
        await until(lambda: len(shed.links) == 1)
        assert not shed.engine.asked
        other.write(wire.frame(wire.Heard(0, 0, 0.0)))
        await other.drain()
        assert len(shed.links) == 1
        for link in (writer, other):
            link.transport.abort()

    at(shed, act)


def test_whatever_a_far_computer_says_its_link_comes_back_by_itself(
    shed: Shed, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Values that a decoder takes and a program trips over, of each kind of message."""
    monkeypatch.setattr(near, "AGAIN_S", 0.01)
    flat = CodedLevels((4,), code_levels(np.zeros((2, 2), np.float32)).data)
    samples = CodedSamples(1.0, 8, 2, b"1234")
    bad: list[wire.FromFar] = [
        wire.ColumnsMessage(0, 0, 1e3, 0.1, flat, 0),
        wire.ColumnsMessage(0, 0, 1e3, 0.1, CodedLevels((2, 2), b"no zlib"), 0),
        wire.ToldMessage(0, 0, "Measured", {"": "Measured", "carrier": 7}),
        wire.ToldMessage(0, 0, "Tuned", {"": "Tuned", "tuning": "none"}),
        wire.ToldMessage(0, 0, "Noticed", {"": "Noticed", "lost": float("nan")}),
        wire.ToldMessage(0, 0, "SweepDone", {"": "SweepDone", "reason": ["list"]}),
        wire.ToldMessage(0, 0, "Nothing", {}),
        wire.SoundMessage(0, 0, 1e12, 1e12, False, 0.0, True, None, 1 << 52, samples, 0),
        wire.ChannelMessage(0, 0, 1e12, 0.0, 1, 1 << 52, samples, 0),
    ]

    async def act(shed: Shed) -> None:
        far = FarEngine(shed.known(), "desk")
        far.warm()
        for message in bad:
            links = far.links
            await until(lambda: far.is_linked and bool(shed.links))
            (guest,) = shed.server.guests.values()
            guest.say(message)
            await until(lambda links=links: far.links > links)  # type: ignore[misc]
        assert far._thread is not None
        assert far._thread.is_alive()
        await asyncio.to_thread(far.close)

    at(shed, act)


def test_another_computer_at_its_address_is_told_nothing(shed: Shed, tmp_path: Path) -> None:
    other = Shed(tmp_path / "other")

    async def act(shed: Shed) -> None:
        async with other.open():
            known = KnownComputer("shed", "127.0.0.1", other.port, fingerprint_of(shed.identity.certificate), "secret")
            with pytest.raises(FarUnreachable, match="nothing was told"):
                await knock(known, wire.Hello(wire.WIRE_VERSION, "desk", known.word))
            assert other.server.door.refused == other.server.door.accepted == 0
            with pytest.raises(FarUnreachable, match="another computer"):
                await pair_with("127.0.0.1", other.port, shed.server.door.offer_pairing("control"), "desk", "")

    at(shed, act)


def test_only_tls_1_3_is_spoken(shed: Shed) -> None:
    async def act(shed: Shed) -> None:
        old = context()
        old.minimum_version, old.maximum_version = ssl.TLSVersion.TLSv1_2, ssl.TLSVersion.TLSv1_2
        with pytest.raises((ssl.SSLError, OSError)):
            await asyncio.open_connection("127.0.0.1", shed.port, ssl=old)
        _, writer = await asyncio.open_connection("127.0.0.1", shed.port, ssl=context())
        assert writer.get_extra_info("ssl_object").version() == "TLSv1.3"
        writer.transport.abort()

    at(shed, act)


def test_what_is_thrown_at_the_door_lets_nobody_in_and_the_guest_inside_hears_on(shed: Shed) -> None:
    chance = random.Random(4)
    hello = wire.frame(wire.Hello(wire.WIRE_VERSION, "x", "word"))

    def thrown() -> bytes:
        match chance.randrange(6):
            case 0:
                return chance.randbytes(chance.randrange(200))
            case 1:
                return struct.pack(">I", chance.choice((0, 2**31, 2**32 - 1, 5_000)))
            case 2:
                broken = bytearray(hello)
                for _ in range(3):
                    broken[chance.randrange(len(broken))] = chance.randrange(256)
                return bytes(broken)
            case 3:
                return wire.frame(wire.Asked(1, 0, "Start", {"address": ADDRESS})) + hello
            case 4:
                return hello[: chance.randrange(len(hello))]
            case _:
                return hello * 3

    async def act(shed: Shed) -> None:
        known = shed.known()
        _, reader, writer = await knock(known, wire.Hello(wire.WIRE_VERSION, "desk", known.word))
        for _ in range(60):
            try:
                _, other = await asyncio.wait_for(asyncio.open_connection("127.0.0.1", shed.port, ssl=context()), 5.0)
            except (TimeoutError, OSError):
                continue
            other.write(thrown())
            with contextlib.suppress(OSError):
                await other.drain()
            other.transport.abort()
        assert not shed.engine.asked
        assert shed.server.door.accepted == 1
        shed.engine.says.append(Stopped("still here"))
        writer.write(wire.frame(wire.Heard(0, 0, 0.0)))
        for _ in range(50):
            length = wire.length_of(await asyncio.wait_for(reader.readexactly(4), 5.0), wire.MAX_TOLD)
            if isinstance(told := wire.read_far(await reader.readexactly(length)), wire.ToldMessage):
                break
        assert wire.event_of(told) == Stopped("still here")  # type: ignore[arg-type]

    at(shed, act)


def test_a_listener_sets_nothing_and_is_told_who_controls(shed: Shed) -> None:
    async def act(shed: Shed) -> None:
        first, second = FarEngine(shed.known(), "desk"), FarEngine(shed.known("couch", "listen"), "couch")
        first.warm()
        await until(lambda: first.is_linked)
        second.send(Tune(ASK, 130e6, 1e3, job=7, id=8))
        second.send(Measure(1.0, 100.0, job=9, id=10))
        told: list[Event] = []
        await until(lambda: bool(told.extend(second.poll()) or len(told) >= 2))
        assert not shed.engine.asked
        refused = [event for event in told if isinstance(event, NotMeasured)]
        assert refused[0].sentence.startswith("desk controls")
        assert (refused[0].job, refused[0].id) == (9, 10)
        await until(lambda: first.here is not None and len(first.here.people) == 2)
        for one in (first, second):
            await asyncio.to_thread(one.close)

    at(shed, act)


@pytest.mark.parametrize(
    ("sent", "kept", "told"),
    [
        ((Start(ADDRESS), Tune(ASK, 130e6, 1e3)), (), "let go of its work"),
        ((Start(ADDRESS), Stop()), (), ""),
        ((Start(ADDRESS), Stop(), Start(ADDRESS), Tune(ASK, 130e6, 1e3)), (Start, Tune), None),
        ((Start(ADDRESS), Stop(), Stopped()), (), None),
        ((Start(ADDRESS), Stop(), Start(ADDRESS), Stopped()), (), "let go of its work"),
        ((Start(ADDRESS), Stopped("it was unplugged")), (), None),
    ],
)
def test_what_was_under_way_on_a_computer_that_began_anew_ends_once_and_what_was_begun_since_is_kept(
    sent: tuple[Command | Stopped, ...], kept: tuple[type, ...], told: str | None
) -> None:
    """All but what is kept was heard over there, and its answers came, before that program ended."""
    far = FarEngine(KnownComputer("shed", "127.0.0.1", 1, "", ""), "desk")
    far.warm = lambda: None  # type: ignore[method-assign]
    far._session = "the one that is gone"
    for place, one in enumerate(sent):
        if isinstance(one, Stopped):
            far._take(wire.told_of(one, place + 1, 0))
        else:
            far.send(one)
        if len(sent) - place > len(kept):
            far._asked.clear()
    far.poll()
    far._linked(wire.Welcome(wire.WIRE_VERSION, "shed", "control", "another", False, 0), time.monotonic() - 3.0)
    assert tuple(wire.COMMANDS[asked.kind] for asked in far._asked) == kept
    assert [asked.number for asked in far._asked] == list(range(1, len(kept) + 1))
    ends = [event.reason for event in far.poll() if isinstance(event, Stopped)]
    assert len(ends) == (told is not None)
    assert all(told in end and bool(told) == bool(end) for end in ends)  # type: ignore[operator]


def test_control_that_was_asked_for_goes_to_who_asked_and_both_are_told(shed: Shed) -> None:
    async def act(shed: Shed) -> None:
        first, second = FarEngine(shed.known(), "desk"), FarEngine(shed.known("couch"), "couch")
        first.warm()
        await until(lambda: first.here is not None)
        second.warm()
        await until(lambda: second.here is not None and len(second.here.people) == 2)
        second.want_control(wanted=True)
        await until(lambda: first.here is not None and first.here.asks == "couch")
        asked = far_findings(first)[0]
        assert "couch asks for control" in asked.what
        assert asked.fix == Act("hand control over")
        assert far_findings(second)[0].fix is None, "asked already"
        first.want_control(wanted=False)
        await until(lambda: second.here is not None and second.here.people[second.here.you][2])
        await until(lambda: first.here is not None and not first.here.people[first.here.you][2])
        assert far_findings(first)[0].fix == Act("ask for control")
        assert not first.here.asks  # type: ignore[union-attr]
        second.send(Measure(1.0, 100.0, job=1, id=1))
        await until(lambda: any(isinstance(one, Measure) for one in shed.engine.asked))
        for one in (first, second):
            await asyncio.to_thread(one.close)

    at(shed, act)


def test_how_the_far_computer_is_becomes_a_finding_only_where_it_matters(shed: Shed) -> None:
    far = FarEngine(shed.known(), "desk")
    far.is_linked = True
    for state, told in (
        (Far(0.3, 45.0, 20.0, 0), ""), (Far(-1.0, -1.0, -1.0, 0), ""), (Far(0.97, 45.0, 20.0, 0), "busy"),
        (Far(0.3, 85.0, 20.0, 0), "85 °C"), (Far(0.3, 45.0, 0.4, 0), "0.4 GB"),
    ):  # fmt: skip
        far.far = state
        assert [told in one.what for one in far_findings(far)] == ([True] if told else [])
    far.is_linked = False
    assert any("not reached" in one.what for one in far_findings(far))


def test_names_paths_and_feeds_of_the_near_side_are_not_used(shed: Shed, tmp_path: Path) -> None:
    async def act(shed: Shed) -> None:
        far = FarEngine(shed.known(), "desk")
        far.send(Start("process:/bin/sh -c 'touch /tmp/x'", Safeguards(feeds=frozenset(("ladder",)))))
        told: list[Event] = []
        await until(lambda: bool(told.extend(far.poll()) or told))
        assert isinstance(told[0], Stopped)
        far.send(Start(ADDRESS, Safeguards(feeds=frozenset(("ladder",)))))
        far.send(RecordSamples("../../etc/passwd", 1e6, 8, False, {}, job=1, id=1))
        await until(lambda: len(shed.engine.asked) == 2)
        start, record = shed.engine.asked
        assert start == Start(ADDRESS)
        assert isinstance(record, RecordSamples)
        assert Path(record.path).parent.parent == tmp_path / "rec"
        await asyncio.to_thread(far.close)

    at(shed, act)


def test_over_links_that_break_every_command_is_done_once_and_every_answer_comes_once(shed: Shed) -> None:
    async def act(shed: Shed) -> None:
        far = FarEngine(shed.known(), "desk")
        far.send(Start(ADDRESS))
        await until(lambda: far.is_linked)
        heard: list[Event] = []
        for number in range(40):
            far.send(Tune(ASK, 130e6 + number, 1e3, job=5, id=number + 1))
            if number % 4 == 1:
                for guest in list(shed.server.guests.values()):
                    writers = [task for task in asyncio.all_tasks() if "_entertain" in repr(task.get_coro())]
                    del writers, guest
                await asyncio.to_thread(far.cut)
            await asyncio.sleep(0.01)
            job = next((one.job for one in shed.engine.asked if isinstance(one, Tune)), 0)
            if job:
                # Of the tuning that was just asked for, in the numbers that the engine was given.
                first = next(one.id for one in shed.engine.asked if isinstance(one, Tune))
                shed.engine.says.append(Tuned(SOME_TUNING, job=job, id=first - (first & OWN_MASK) + number + 1))
            heard += far.poll()
        await until(lambda: len([one for one in shed.engine.asked if isinstance(one, Tune)]) >= 40, 30.0)
        ids = [one.id & OWN_MASK for one in shed.engine.asked if isinstance(one, Tune)]
        assert ids == list(range(1, 41)), "each once, in order"
        said = [event for event in heard if isinstance(event, Tuned)]
        until_s = time.monotonic() + 10
        while time.monotonic() < until_s and len(said) < 39:
            await asyncio.sleep(0.05)
            said += [event for event in far.poll() if isinstance(event, Tuned)]
        assert len({event.id for event in said}) == len(said) >= 39
        assert all(event.job == 5 for event in said)
        assert not any(isinstance(one, Stop | Cancel) for one in shed.engine.asked)
        await asyncio.to_thread(far.close)

    at(shed, act)


def test_one_that_is_revoked_is_put_out(shed: Shed, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(looking_after, "REVOKED_S", 0.1)

    async def act(shed: Shed) -> None:
        far = FarEngine(shed.known(), "desk")
        far.send(Start(ADDRESS))
        await until(lambda: far.is_linked and bool(shed.engine.asked))
        shed.identity.revoke("desk")
        await until(lambda: Stop() in shed.engine.asked)
        told: list[Event] = []
        await until(lambda: bool(told.extend(far.poll()) or any(isinstance(one, Stopped) for one in told)), 30.0)
        await asyncio.to_thread(far.close)

    at(shed, act)
