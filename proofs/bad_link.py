"""A link made bad on purpose: so many bits a second, a delay that varies, stalls, resets. For the proofs."""

import asyncio
import contextlib
import random
import threading
import time
from dataclasses import dataclass

# What a router on the way holds; more makes it stop taking.
HELD_BYTES = 32_768


@dataclass
class LinkKind:
    """What is done to it. stall_every_s, reset_every_s : 0 for never."""

    bits_a_second: float
    delay_s: float = 0.0
    jitter_s: float = 0.0
    stall_every_s: float = 0.0
    stall_s: float = 5.0
    reset_every_s: float = 0.0


class BadLink:
    """Listens on a port of its own and passes on to another."""

    def __init__(self, port: int, kind: LinkKind, seed: int = 1) -> None:
        self._far_port, self.kind, self._chance = port, kind, random.Random(seed)
        self.port = 0
        self.passed = {"up": 0, "down": 0}
        self.resets = 0
        self._writers: list[asyncio.StreamWriter] = []
        self._began_s = time.monotonic()
        ready = threading.Event()
        self._loop = asyncio.new_event_loop()
        threading.Thread(target=self._run, args=(ready,), daemon=True).start()
        ready.wait(5)

    def _run(self, ready: threading.Event) -> None:
        asyncio.set_event_loop(self._loop)
        server = self._loop.run_until_complete(asyncio.start_server(self._come, "127.0.0.1", 0))
        self.port = server.sockets[0].getsockname()[1]
        ready.set()
        if self.kind.reset_every_s:
            self._loop.create_task(self._reset_on())
        self._loop.run_forever()

    def reset(self) -> None:
        """Cut all that stand, now."""
        self._loop.call_soon_threadsafe(self._cut)

    def _cut(self) -> None:
        self.resets += 1
        for writer in self._writers:
            writer.transport.abort()
        self._writers.clear()

    async def _reset_on(self) -> None:
        while True:
            await asyncio.sleep(self.kind.reset_every_s * self._chance.uniform(0.5, 1.5))
            self._cut()

    async def _come(self, near_in: asyncio.StreamReader, near_out: asyncio.StreamWriter) -> None:
        try:
            far_in, far_out = await asyncio.open_connection("127.0.0.1", self._far_port)
        except OSError:
            near_out.transport.abort()
            return
        self._writers += [near_out, far_out]
        await asyncio.gather(self._pass(near_in, far_out, "up"), self._pass(far_in, near_out, "down"))

    async def _pass(self, source: asyncio.StreamReader, sink: asyncio.StreamWriter, way: str) -> None:
        late: asyncio.Queue[tuple[float, bytes]] = asyncio.Queue()
        held = 0
        free_s = last_s = time.monotonic()
        room = asyncio.Event()
        room.set()

        async def deliver() -> None:
            nonlocal held
            with contextlib.suppress(OSError):
                while True:
                    due_s, piece = await late.get()
                    await asyncio.sleep(max(due_s - time.monotonic(), 0.0))
                    held -= len(piece)
                    room.set()
                    if not piece:
                        sink.transport.abort()
                        return
                    sink.write(piece)
                    self.passed[way] += len(piece)
                    await sink.drain()

        task = asyncio.create_task(deliver())
        with contextlib.suppress(OSError):
            while piece := await source.read(1_400):
                now_s = time.monotonic()
                free_s = max(free_s, self._after_stall(now_s)) + 8 * len(piece) / self.kind.bits_a_second
                wanders_s = self.kind.delay_s + self._chance.uniform(0, self.kind.jitter_s)
                last_s = max(free_s + wanders_s, last_s)
                held += len(piece)
                late.put_nowait((last_s, piece))
                if held > HELD_BYTES:
                    room.clear()
                    await room.wait()
        late.put_nowait((max(last_s, time.monotonic()), b""))
        await task

    def _after_stall(self, now_s: float) -> float:
        """Now, or when the stall that it falls into is over."""
        if not self.kind.stall_every_s:
            return now_s
        into_s = (now_s - self._began_s) % self.kind.stall_every_s
        begins_s = self.kind.stall_every_s - self.kind.stall_s
        return now_s if into_s < begins_s else now_s + self.kind.stall_every_s - into_s
