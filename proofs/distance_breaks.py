"""Links that break and programs that vanish: every command done once and in order, every answer heard once, jobs ended.

1,000 breaks by either end at random moments while commands and answers flow; then 100 near programs that vanish in the
middle of their work, each followed by the same computer anew: what they left is ended once, and control comes back.
"""

import asyncio
import random
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "distance"))

from test_server import ADDRESS, ASK, Shed

from yarddial.distance.far_engine import FarEngine
from yarddial.engine.commands import Cancel, Measure, Start, Tune
from yarddial.engine.events import Progress


async def breaks(count: int) -> bool:
    """Over one link made anew so often."""
    chance = random.Random(3)
    shed = Shed(Path(tempfile.mkdtemp()))
    async with shed.open():
        far = FarEngine(shed.known(), "desk")
        far.send(Start(ADDRESS))
        heard: list[int] = []
        sent = told = done = 0
        while done < count:
            for _ in range(chance.randrange(4)):
                sent += 1
                far.send(Tune(ASK, 130e6 + sent, 1e3, job=5, id=sent))
            job = next((one.job for one in shed.engine.asked if isinstance(one, Tune)), 0)
            for _ in range(chance.randrange(4) if job else 0):
                told += 1
                shed.engine.says.append(Progress(0.5, float(told), job=job, id=1))
            await asyncio.sleep(chance.choice((0.0, 0.005, 0.02, 0.06)))
            if far.is_linked and chance.random() < 0.6:
                done += 1
                if chance.random() < 0.5:
                    far.cut()
                else:
                    for transport in list(shed.links):
                        transport.abort()
                await asyncio.sleep(chance.choice((0.0, 0.01)))
            heard += [int(event.sigma_hz) for event in far.poll() if isinstance(event, Progress)]
        until_s = time.monotonic() + 20
        while time.monotonic() < until_s and (len(heard) < told or len(shed.engine.asked) <= sent):
            heard += [int(event.sigma_hz) for event in far.poll() if isinstance(event, Progress)]
            await asyncio.sleep(0.02)
        ids = [one.id for one in shed.engine.asked if isinstance(one, Tune)]
        asked_once, heard_once = ids == list(range(1, sent + 1)), heard == list(range(1, told + 1))
        good = asked_once and heard_once
        verdict = "ok  " if good else "MISS"
        print(f"{verdict} {count:,} breaks: {sent:,} commands done once and in order: {asked_once};", end=" ")
        print(f"{told:,} answers heard once and in order: {heard_once}", flush=True)
        await asyncio.to_thread(far.close)
    return good


async def vanished(count: int) -> bool:
    """The near program is gone from one moment to the next; the same computer comes anew."""
    chance = random.Random(4)
    shed = Shed(Path(tempfile.mkdtemp()))
    wrong = 0
    async with shed.open():
        known = shed.known()
        for _ in range(count):
            far = FarEngine(known, "desk")
            far.send(Start(ADDRESS))
            jobs = chance.randrange(1, 5)
            for number in range(jobs):
                far.send(Measure(5.0, 100.0, job=number + 1, id=number + 1))
            asked = len(shed.engine.asked)
            until_s = time.monotonic() + 5
            while time.monotonic() < until_s and not any(isinstance(one, Measure) for one in shed.engine.asked[asked:]):
                await asyncio.sleep(0.005)
            await asyncio.sleep(chance.choice((0.0, 0.02, 0.1)))
            far._closing = True
            far.cut()
            while far.is_linked:
                await asyncio.sleep(0.005)
            again = FarEngine(known, "desk")
            again.warm()
            until_s = time.monotonic() + 5
            while time.monotonic() < until_s and not (
                again.here is not None and ("desk", "control", True) in again.here.people
            ):
                await asyncio.sleep(0.01)
            await asyncio.sleep(0.05)
            # Of what was on its way when it vanished, some still came.
            begun = {one.job for one in shed.engine.asked if isinstance(one, Measure)}
            ended = [one.job for one in shed.engine.asked if isinstance(one, Cancel)]
            wrong += sorted(ended) != sorted(begun) or len(shed.server.guests) != 1
            shed.engine.asked.clear()
            await asyncio.to_thread(again.close)
            await asyncio.sleep(0.02)
            shed.engine.asked.clear()
        verdict = "ok  " if not wrong else "MISS"
        print(f"{verdict} {count} near programs vanished: {wrong} times something was left, or ended twice")
    return not wrong


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 1_000))
    return asyncio.run(breaks(count)) and asyncio.run(vanished(max(count // 10, 5)))


if __name__ == "__main__":
    raise SystemExit(not prove())
