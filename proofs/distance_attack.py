"""What a stranger may throw at a serving computer: wrong codes, broken and oversized frames, half-open and slow links.

100,000 broken messages are read, and frames of all kinds are thrown over TLS, while a paired guest listens: nobody is
let in, nothing fails, memory stays, and the guest hears on. Wrong codes cost no time here, so that ten thousand can be
tried; that they cost some is a test of its own.
"""

import asyncio
import contextlib
import random
import resource
import struct
import sys
import tempfile
import time
from collections import deque
from pathlib import Path

import msgspec
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "distance"))

from test_server import Shed

from tunings import SOME_TUNING
from yarddial.distance import door as serving
from yarddial.distance import wire
from yarddial.distance.coding import code_levels, code_samples
from yarddial.distance.far_check import CheckReceiver
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.identity import KnownComputer
from yarddial.distance.knocking import FarUnreachable, context, pair_with
from yarddial.drivers.protocol import RequestedSettings
from yarddial.dsp.carrier import Carrier
from yarddial.engine.commands import (
    Cancel,
    Command,
    Follow,
    Hear,
    Measure,
    RecordSamples,
    SendChannel,
    Show,
    Start,
    Sweep,
    Tune,
)
from yarddial.engine.engine import Engine
from yarddial.engine.events import (
    Event,
    Failed,
    JobFailed,
    Measured,
    Noticed,
    RecordingState,
    Started,
    Stopped,
    SweepDone,
    Tuned,
)
from yarddial.wiring import open_device_flat_out
from yarddial.yard.demodulation import DEMODULATIONS
from yarddial.yard.errors import BadSamples


def broken_messages(count: int) -> bool:
    """Read as from the near side; only BadFrame may come of it, or a message that is one."""
    chance = random.Random(1)
    tune = Tune(RequestedSettings(130e6, 1e6), 130e6, 1e3, job=1, id=1)
    whole = [
        wire.frame(message)[4:]
        for message in (
            wire.Hello(1, "x", "w"), wire.asked_of(tune, 1, 0), wire.Heard(3, 4, 1.0),
            wire.WantControl(True), wire.TellCapabilities("simulated:finch"), wire.ListRecordings(),
            wire.FetchRecording("far-1", 7), wire.RemoveRecording("far-1"),
            wire.asked_of(CheckReceiver(1, "simulated:finch", "{}", "a route"), 2, 0),
        )
    ]  # fmt: skip
    read = refused = 0
    for _ in range(count):
        body = bytearray(chance.choice(whole))
        for _ in range(chance.randrange(1, 6)):
            match chance.randrange(3):
                case 0 if body:
                    body[chance.randrange(len(body))] = chance.randrange(256)
                case 1:
                    body[chance.randrange(len(body) + 1) :] = b""
                case _:
                    at = chance.randrange(len(body) + 1)
                    body[at:at] = chance.randbytes(chance.randrange(1, 9))
        try:
            message = wire.read_near(bytes(body))
            if isinstance(message, wire.Asked):
                wire.command_of(message)
            read += 1
        except wire.BadFrame:
            refused += 1
    print(
        f"ok   {count:,} broken messages: {refused:,} refused, {read:,} still were messages, nothing else came of them"
    )
    return read + refused == count


async def strangers(shed: Shed, codes: int, throws: int) -> bool:
    """At the door, while a guest is inside."""
    chance = random.Random(2)
    far = FarEngine(shed.known(), "desk")
    far.warm()
    while not far.is_linked:
        await asyncio.sleep(0.01)
    shed.server.door.offer_pairing("control")
    serving.WRONG_S, serving.MAX_WRONG_S, serving.CODES_A_SECOND = 0.0, 0.0, 10**6
    shed.server.door._codes_at_s = deque(maxlen=10**6)
    heard = told = 0

    async def tell() -> None:
        nonlocal told
        while True:
            shed.engine.says.append(Noticed(told))
            told += 1
            await asyncio.sleep(0.02)

    telling = asyncio.create_task(tell())
    before_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    began_s = time.monotonic()

    async def one(data: bytes, *, wait: bool) -> bytes:
        try:
            reader, writer = await asyncio.wait_for(asyncio.open_connection("127.0.0.1", shed.port, ssl=context()), 5)
        except (TimeoutError, OSError):
            return b""
        with contextlib.suppress(OSError, asyncio.TimeoutError, asyncio.IncompleteReadError):
            writer.write(data)
            await writer.drain()
            if wait:
                return await asyncio.wait_for(reader.read(65_536), 5)
        writer.transport.abort()
        return b""

    let_in = 0
    for first in range(0, codes, 10):
        hellos = [wire.frame(wire.Hello(1, "x", secret=chance.randrange(2**35))) for _ in range(min(10, codes - first))]
        for answer in await asyncio.gather(*(one(hello, wait=True) for hello in hellos)):
            let_in += b"welcome" in answer
        heard += sum(isinstance(event, Noticed) for event in far.poll())
    hello = wire.frame(wire.Hello(1, "x", "word" * 20))
    for _ in range(throws):
        match chance.randrange(4):
            case 0:
                data = chance.randbytes(chance.randrange(2_000))
            case 1:
                data = struct.pack(">I", chance.choice((2**31, 2**32 - 1, 3_000, 0)))
            case 2:
                data = hello[: chance.randrange(len(hello))]
            case _:
                mangled = bytearray(hello)
                mangled[chance.randrange(len(mangled))] ^= 1 << chance.randrange(8)
                data = bytes(mangled) * chance.randrange(1, 4)
        let_in += b"welcome" in await one(data, wait=False)
        heard += sum(isinstance(event, Noticed) for event in far.poll())
    # Half-open ones, and plain bytes without TLS, all at once.
    plain = [await asyncio.open_connection("127.0.0.1", shed.port) for _ in range(60)]
    for number, (_, writer) in enumerate(plain):
        if number % 2:
            writer.write(b"GET / HTTP/1.1\r\n\r\n")
    await asyncio.sleep(serving.DOOR_S + 1.0)
    for _, writer in plain:
        writer.transport.abort()
    telling.cancel()
    await asyncio.sleep(1.0)
    while events := far.poll():
        heard += sum(isinstance(event, Noticed) for event in events)
    grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before_kb) / 1024
    took_s = time.monotonic() - began_s
    good = let_in == 0 and shed.server.door.accepted == 1 and heard == told and far.is_linked and grown_mb < 60
    await asyncio.to_thread(far.close)
    verdict, thrown = "ok  " if good else "MISS", f"{throws:,} broken, cut and oversized frames"
    print(f"{verdict} {codes:,} wrong codes, {thrown}, 60 links without TLS in {took_s:.0f} s:", end=" ")
    print(f"{let_in} let in; the guest heard {heard} of {told}; memory grew by {grown_mb:.0f} MB")
    return good


# Values that types take and programs trip over.
VALUES = (
    float("nan"), float("inf"), -float("inf"), -1.0, 0.0, 1e300, -1e300, 1e-300, -1, 0, 1 << 40, (1 << 63) - 1, "",
    "x" * 3_000, "\x1b[2J", [], [[]] * 300, {}, None, True,
)  # fmt: skip
ASKED: tuple[Command, ...] = (
    Hear(130e6, DEMODULATIONS["am"].settings(), job=1, id=1),
    SendChannel(130e6, DEMODULATIONS["nfm"].settings(), job=1, id=2),
    Measure(1.0, 100.0, tuning=1, job=1, id=3),
    Sweep(((("gain", 20.0),), ()), 3e3, tuning=1, job=1, id=4),
    Follow(130e6, 100.0, 1.0, job=1, id=5),
    RecordSamples("/nowhere/at/all", 10e6, 8, False, {"annotations": []}, tuning=1, job=1, id=6),
    Show(1, 1e3, 200, 0.1),
)


def mutated(body: object, chance: random.Random) -> object:
    """The message with one of its values replaced."""
    if isinstance(body, dict) and body and chance.random() < 0.9:
        key = chance.choice(list(body))
        return {**body, key: mutated(body[key], chance)}
    if isinstance(body, list | tuple) and body and chance.random() < 0.7:
        at = chance.randrange(len(body))
        return [mutated(item, chance) if place == at else item for place, item in enumerate(body)]
    return chance.choice(VALUES)


def values_from_near(count: int) -> bool:
    """Commands with hostile values, as a listener or a controller sends them, to a real engine that plays on."""
    chance, events = random.Random(5), list[Event]()
    engine = Engine(open_device_flat_out, events.append)
    engine.handle(Tune(RequestedSettings(129.7e6, 1.024e6, "ladder"), 130e6, 1e4, job=9, id=1))
    engine.handle(Start("simulated:finch"))
    # What each kind of work loads when it is first used is no growth, nor is the picture's memory of 45 s.
    for command in ASKED:
        engine.handle(command)
        for _ in range(100):
            engine.step()
        engine.handle(Cancel(1))
    before_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    refused = taken = failed = 0
    for number in range(count):
        asked = wire.asked_of(chance.choice(ASKED), number + 1, 0)
        body = mutated(asked.body, chance)
        try:
            frame = wire.frame(msgspec.structs.replace(asked, body=body))
            command = wire.command_of(wire.read_near(frame[4:]))  # type: ignore[arg-type]
        except wire.BadFrame:
            refused += 1
            continue
        taken += 1
        if taken % 20 == 0:
            # A hundred thousand steps would take hours; each kind of value is among a few thousand.
            engine.handle(msgspec.structs.replace(command, id=command.id or 1))  # type: ignore[arg-type, union-attr]
            engine.step()
            engine.handle(Cancel(1))
        failed += sum(isinstance(event, JobFailed) for event in events)
        stopped = [event for event in events if isinstance(event, Stopped | Failed)]
        if stopped or not engine.running:
            print(f"MISS {command} stopped the receiver: {stopped}")
            return False
        events.clear()
    grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before_kb) / 1024
    mark = "ok  " if grown_mb < 50 else "MISS"
    print(
        f"{mark} {count:,} commands with hostile values: {refused:,} refused, {taken:,} taken, {taken // 20:,} of them",
        end=" ",
    )
    print(f"went to an engine: 0 stopped the receiver, {failed} jobs failed alone; memory grew by {grown_mb:.0f} MB")
    return grown_mb < 50


def values_from_far(count: int) -> bool:
    """Events with hostile values, as a far computer sends them, to the near side's own reader."""
    chance = random.Random(6)
    levels = code_levels(np.zeros((2, 8), np.float32))
    samples = code_samples(np.zeros(40, np.complex64), 8)
    told = [
        Measured(Carrier(1.0, 0.1, 40.0, 1.0, 0.0, 0.1), 1.0, SOME_TUNING, job=1, id=1), Noticed(3, "x"),
        SweepDone("x", job=1),
        RecordingState("p", 1.0, tuning=SOME_TUNING, job=1), Stopped("x"), Started("n", True),
        Tuned(SOME_TUNING, job=1),
    ]  # fmt: skip
    plain: list[wire.FromFar] = [
        *(wire.told_of(event, 0, 0) for event in told),
        wire.ColumnsMessage(0, 0, 1e3, 0.1, levels, 0), wire.SpanMessage(1e6, 1e6, -90.0, levels, levels, 0),
        wire.ChannelMessage(1, 1, 12e3, 0.0, 4, 0, samples, 0),
        wire.SoundMessage(1, 1, 12e3, 48e3, False, -50.0, True, None, 0, samples, 0), wire.Far(0.1, 40.0, 9.0, 0),
        wire.Here((("a", "control", True),), 0), wire.Heard(0, 0, 1.0), wire.PieceMessage("a", 0, 0, 10, "d", b"x"),
    ]  # fmt: skip
    far = FarEngine(KnownComputer("shed", "127.0.0.1", 1, "ab", "w"), "desk")
    far._audio.asked(Hear(130e6, DEMODULATIONS["am"].settings(), job=1, id=1))
    before_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    refused = taken = other = 0
    for _ in range(count):
        body = mutated(msgspec.msgpack.decode(msgspec.msgpack.encode(chance.choice(plain))), chance)
        try:
            far._take(wire.read_far(msgspec.msgpack.encode(body)))
            taken += 1
        except (wire.BadFrame, BadSamples):
            refused += 1
        except Exception as fault:
            # The link ends by it and comes back; the thread goes on.
            other += 1
            if other <= 3:
                print(f"     {type(fault).__name__} {fault}")
        far.poll()
    grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before_kb) / 1024
    mark = "ok  " if grown_mb < 50 else "MISS"
    print(
        f"{mark} {count:,} messages of a far computer with hostile values: {refused:,} refused, {taken:,} taken,",
        end=" ",
    )
    print(f"{other} ended their link by another error; memory grew by {grown_mb:.0f} MB")
    return grown_mb < 50


FLOOD = """
import socket, sys
place, count = ("127.0.0.1", int(sys.argv[1])), int(sys.argv[2])
held = []
for number in range(count):
    try:
        link = socket.create_connection(place, 5.0)
    except OSError:
        continue
    if number % 2:
        link.send(b"\\x16\\x03\\x01\\x02\\x00\\x01")
    held.append(link)
    if len(held) > 400:
        held.pop(0).close()
"""


async def flooded(shed: Shed, count: int) -> bool:
    """Raw and half-open connections without end, while a guest hears and another computer is paired."""
    far = FarEngine(shed.known("couch"), "couch")
    far.warm()
    while not far.is_linked:
        await asyncio.sleep(0.01)
    before_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    flood = await asyncio.create_subprocess_exec(sys.executable, "-c", FLOOD, str(shed.port), str(count))
    told = heard = 0
    gap_s, last_s, paired_s = 0.0, time.monotonic(), -1.0
    ended = asyncio.create_task(flood.wait())
    asked_s = time.monotonic() + 1.0
    pairing: asyncio.Task[object] | None = None
    began_s = time.monotonic()
    while not ended.done() or (pairing is not None and not pairing.done()):
        shed.engine.says.append(Noticed(told))
        told += 1
        await asyncio.sleep(0.02)
        came = sum(isinstance(event, Noticed) for event in far.poll())
        heard += came
        now_s = time.monotonic()
        if came:
            gap_s, last_s = max(gap_s, now_s - last_s), now_s
        if pairing is None and now_s > asked_s:
            code = shed.server.door.offer_pairing("listen")
            asked_s = now_s
            pairing = asyncio.create_task(paired_in_the_end("127.0.0.1", shed.port, code))
        if pairing is not None and pairing.done() and paired_s < 0:
            paired_s = time.monotonic() - asked_s
    took_s = time.monotonic() - began_s
    grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before_kb) / 1024
    good = far.links == 1 and gap_s < 1.0 and 0 <= paired_s < 5.0 and grown_mb < 50
    await asyncio.to_thread(far.close)
    print(
        f"{'ok  ' if good else 'MISS'} {count:,} raw and half-open connections in {took_s:.0f} s: the guest heard "
        f"{heard} of {told}, the longest silence {gap_s:.2f} s; a new computer was paired within {paired_s:.1f} s; "
        f"memory grew by {grown_mb:.0f} MB"
    )
    return good


async def paired_in_the_end(host: str, port: int, code: str) -> None:
    """Pair as a person would: try again when the connection breaks."""
    for _ in range(20):
        with contextlib.suppress(FarUnreachable):
            await pair_with(host, port, code, "desk", "")
            return
        await asyncio.sleep(0.1)


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 100_000))

    async def run() -> bool:
        shed = Shed(Path(tempfile.mkdtemp()))
        async with shed.open():
            return await strangers(shed, count // 10, count // 50)

    async def flood() -> bool:
        shed = Shed(Path(tempfile.mkdtemp()))
        async with shed.open():
            return await flooded(shed, count // 5)

    results = [broken_messages(count), values_from_near(count), values_from_far(count)]
    return all([*results, asyncio.run(run()), asyncio.run(flood())])


if __name__ == "__main__":
    raise SystemExit(not prove())
