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
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "distance"))

from test_server import Shed

from yarddial.distance import door as serving
from yarddial.distance import wire
from yarddial.distance.far_check import CheckReceiver
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.knocking import context
from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.commands import Tune
from yarddial.engine.events import Noticed


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
    serving.WRONG_S, serving.MAX_WRONG_S, serving.CODE_TRIES = 0.0, 0.0, 10**9
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


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 100_000))

    async def run() -> bool:
        shed = Shed(Path(tempfile.mkdtemp()))
        async with shed.open():
            return await strangers(shed, count // 10, count // 50)

    return broken_messages(count) and asyncio.run(run())


if __name__ == "__main__":
    raise SystemExit(not prove())
