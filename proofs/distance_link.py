"""The engine at a distance over links made bad: what it uses, gaps in the sound, lateness, what a click takes.

First, that a measurement at a distance is the same to the last bit as on the spot, for the same samples.
"""

import asyncio
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

from bad_link import BadLink, LinkKind
from yarddial import wiring
from yarddial.distance import guest as guests
from yarddial.distance import sound_sender as senders
from yarddial.distance import wire
from yarddial.distance.coding import CodedSamples
from yarddial.distance.far_audio import FarAudio
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.identity import Identity, KnownComputer
from yarddial.distance.pairing_code import fingerprint_of
from yarddial.distance.server import Server
from yarddial.drivers.protocol import FoundReceiver, RequestedSettings
from yarddial.engine.commands import Hear, Measure, Show, Start, Tune
from yarddial.engine.events import Event, Measured, Sound, SpectrogramColumns, Started, Tuned
from yarddial.engine.link import EngineLink
from yarddial.engine.process import EngineProcess
from yarddial.yard.demodulation import DEMODULATIONS

FINCH = "simulated:finch?seed=3"
ASK = RequestedSettings(129.85e6, 1.024e6, "ladder", gains_db=(("gain", 25.5),))
BROADCAST = RequestedSettings(96.2e6, 1.024e6, "discone", gains_db=(("gain", 25.5),))
MILLIONS = 1_000_000


class Served:
    """A serving computer in threads of this one, and a link to it."""

    def __init__(self, kind: LinkKind, *, flat_out: bool = False) -> None:
        folder = Path(tempfile.mkdtemp())
        self.identity = Identity(folder / "id")
        opens = wiring.open_device_flat_out if flat_out else wiring.open_device
        engine = EngineProcess(opens, in_thread=not flat_out)
        offered = ((FINCH, FoundReceiver("finch", "Finch")),)
        self.recordings = folder / "rec"
        self.server = Server(self.identity, engine, lambda: offered, lambda _: (None, ""), self.recordings, "shed")
        ready = threading.Event()
        self.port = 0

        async def serve() -> None:
            door = await self.server.door.listen("127.0.0.1", 0)
            self.port = door.sockets[0].getsockname()[1]
            ready.set()
            await self.server.serve()

        threading.Thread(target=lambda: asyncio.run(serve()), daemon=True).start()
        ready.wait(10)
        self.link = BadLink(self.port, kind)
        print_of = fingerprint_of(self.identity.certificate)
        word = self.identity.pair("desk", "control")
        self.known = KnownComputer("shed", "127.0.0.1", self.link.port, print_of, word)
        self.far = FarEngine(self.known, "desk")
        (self.who,) = self.identity.paired()

    def long_recording(self) -> tuple[str, Path]:
        """One of 6 MB that lies there as if the near side had made it; and where it shall come."""
        folder = self.recordings / self.who.word_print[:16]
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "far-long.sigmf-data").write_bytes(np.random.default_rng(1).bytes(6 * MILLIONS))
        (folder / "far-long.sigmf-meta").write_text('{"global": {"core:description": "made up"}}')
        return "far-long", Path(tempfile.mkdtemp()) / "here"


def wait_for(link: EngineLink, kind: type, for_s: float, found: list[Event] | None = None) -> Event | None:
    """Poll until an event of a kind comes."""
    until_s = time.monotonic() + for_s
    while time.monotonic() < until_s:
        for event in link.poll():
            if found is not None:
                found.append(event)
            if isinstance(event, kind):
                return event
        time.sleep(0.005)
    return None


def measured(link: EngineLink) -> Event | None:
    """One measurement right after the start: the samples are the same each time."""
    link.send(Start(FINCH))
    link.send(Tune(ASK, 130e6 + 412.0, 2_000.0, job=1, id=1))
    link.send(Measure(2.0, 1_500.0, tuning=1, job=2, id=2))
    return wait_for(link, Measured, 60.0)


def bit_for_bit() -> bool:
    """On the spot and at 64 kbit/s."""
    here = EngineProcess(wiring.open_device_flat_out, in_thread=False)
    there = Served(LinkKind(64e3, 0.05), flat_out=True)
    one, other = measured(here), measured(there.far)
    here.close()
    there.far.close()
    good = isinstance(one, Measured) and isinstance(other, Measured) and one.carrier == other.carrier
    told = f"{one.carrier.frequency_hz!r} Hz" if isinstance(one, Measured) else "nothing"
    print(f"{'ok  ' if good else 'MISS'} measured on the spot and over 64 kbit/s: {told}, equal in every bit: {good}")
    return good


def over(
    name: str, kind: LinkKind, way: str, seconds_s: float, limits: dict[str, float], *, with_file: bool = False
) -> bool:
    """One link, with sound and picture, a click every three seconds; with_file: a recording comes over meanwhile."""
    ask, hear_hz = (BROADCAST, 96.2e6) if way == "wfm" else (ASK, 130e6)
    served = Served(kind)
    far = served.far
    sent: dict[tuple[float, int], float] = {}
    late_s: list[float] = []
    gaps = 0
    plain_code = guests.code_samples
    plain_hear, plain_sound = FarAudio.heard_channel, FarAudio.heard_sound

    def code(samples: "np.ndarray", bits: int) -> CodedSamples:
        made = plain_code(samples, bits)
        sent[(made.scale, made.count)] = time.monotonic()
        return made

    def note(message: wire.ChannelMessage | wire.SoundMessage) -> None:
        nonlocal gaps
        key = (message.samples.scale, message.samples.count)
        if key in sent:
            late_s.append(time.monotonic() - sent[key])
        gaps += message.lost > 0

    def hear(self: FarAudio, message: wire.ChannelMessage) -> Sound | None:
        note(message)
        return plain_hear(self, message)

    def hear_sound(self: FarAudio, message: wire.SoundMessage) -> Sound | None:
        note(message)
        return plain_sound(self, message)

    guests.code_samples = senders.code_samples = code  # type: ignore[assignment]
    FarAudio.heard_channel, FarAudio.heard_sound = hear, hear_sound  # type: ignore[method-assign]
    try:
        far.send(Start(FINCH))
        far.send(Show(7, 5_000.0, 300, 0.1 if kind.bits_a_second > 100e3 else 0.4))
        far.send(Tune(ask, hear_hz, 5_000.0, job=1, id=1))
        settings = DEMODULATIONS[way].settings()  # type: ignore[index]
        far.send(Hear(hear_hz, settings, job=1, id=2))
        wait_for(far, Started, 20.0)
        wait_for(far, Sound, 20.0)
        time.sleep(3.0)
        far.poll()
        fetching = far.fetch(*served.long_recording()) if with_file else None
        began_s, before, gaps = time.monotonic(), dict(served.link.passed), 0
        late_s.clear()
        clicks: list[float] = []
        columns = sounds = most_waiting = number = 0
        clicked_s = began_s
        while time.monotonic() < began_s + seconds_s:
            if time.monotonic() > clicked_s + 3.0:
                clicked_s, number = time.monotonic(), number + 1
                asked = Tune(ask, hear_hz + 10.0 * number, 5_000.0, job=1, id=100 + number)
                far.send(asked)
                while (event := wait_for(far, Tuned, 15.0)) is not None and event.id != asked.id:  # type: ignore[attr-defined]
                    pass
                clicks.append(time.monotonic() - clicked_s)
            for event in far.poll():
                columns += event.level_db.shape[0] if isinstance(event, SpectrogramColumns) else 0
                sounds += isinstance(event, Sound)
            most_waiting = max([most_waiting, *(one.thin.waits for one in served.server.guests.values())])
            time.sleep(0.02)
        lasted_s = time.monotonic() - began_s
    finally:
        guests.code_samples = senders.code_samples = plain_code
        FarAudio.heard_channel, FarAudio.heard_sound = plain_hear, plain_sound  # type: ignore[method-assign]
        far.close()
    used = 8e-3 * (served.link.passed["down"] - before["down"]) / lasted_s
    up = 8e-3 * (served.link.passed["up"] - before["up"]) / lasted_s
    late = np.percentile(late_s, [50, 95]) if late_s else np.array([np.inf, np.inf])
    click = float(np.percentile(clicks, 95)) if clicks else float("inf")
    figures = {"used_kbit": used, "gaps_a_minute": 60 * gaps / lasted_s, "late95_s": float(late[1]), "click95_s": click}
    good = all(figures[key] <= limit for key, limit in limits.items()) and most_waiting < 100 and sounds > 0
    sound = f"sound late by {1e3 * late[0]:.0f} ms (p95 {1e3 * late[1]:.0f}), {60 * gaps / lasted_s:.1f} gaps a minute"
    print(f"{'ok  ' if good else 'MISS'} {name}: {used:.0f} kbit/s down, {up:.0f} up; {sound};", end=" ")
    if fetching is not None:
        print(f"of a recording {8e-3 * fetching.have_bytes / lasted_s:.0f} kbit/s came beside;", end=" ")
    print(f"a click takes {1e3 * click:.0f} ms (p95); {columns / lasted_s:.1f} columns a second;", end=" ")
    print(f"at most {most_waiting} things waited; {served.link.resets} resets", flush=True)
    return good


def adapting() -> bool:
    """From one moment to the next the link carries a sixth: when are fewer bits sent, and when is the sound in time?"""
    served = Served(LinkKind(1_200e3, 0.03))
    far = served.far
    coded: list[tuple[float, int]] = []
    sent: dict[tuple[float, int], float] = {}
    came: list[tuple[float, float, int]] = []
    plain_code, plain_hear = guests.code_samples, FarAudio.heard_channel

    def code(samples: "np.ndarray", bits: int) -> CodedSamples:
        made = plain_code(samples, bits)
        sent[(made.scale, made.count)] = now_s = time.monotonic()
        coded.append((now_s, bits))
        return made

    def hear(self: FarAudio, message: wire.ChannelMessage) -> Sound | None:
        now_s = time.monotonic()
        late_s = now_s - sent.get((message.samples.scale, message.samples.count), now_s)
        came.append((now_s, late_s, message.lost))
        return plain_hear(self, message)

    guests.code_samples, FarAudio.heard_channel = code, hear  # type: ignore[assignment,method-assign]
    try:
        far.send(Start(FINCH))
        far.send(Show(7, 5_000.0, 300, 0.1))
        far.send(Tune(ASK, 130e6, 5_000.0, job=1, id=1))
        far.send(Hear(130e6, DEMODULATIONS["am"].settings(), job=1, id=2))
        wait_for(far, Sound, 20.0)
        began_s = time.monotonic()
        while time.monotonic() < began_s + 20.0:
            if time.monotonic() > began_s + 10.0:
                served.link.kind.bits_a_second = 200e3
            far.poll()
            time.sleep(0.02)
    finally:
        guests.code_samples, FarAudio.heard_channel = plain_code, plain_hear  # type: ignore[method-assign]
        far.close()
    changed_s = began_s + 10.0
    before = max(bits for at_s, bits in coded if changed_s - 3.0 < at_s < changed_s)
    fewer_s = min((at_s - changed_s for at_s, bits in coded if at_s > changed_s and bits < before), default=np.inf)
    late = [(at_s - changed_s, late_s) for at_s, late_s, _ in came if at_s > changed_s]
    again_s = max((at_s for at_s, late_s in late if late_s > 0.4), default=0.0)
    gaps = sum(lost > 0 for at_s, _, lost in came if at_s > changed_s)
    good = again_s <= 1.0
    print(
        f"{'ok  ' if good else 'MISS'} from 1,200 to 200 kbit/s in a moment: {before} bits become fewer after", end=" "
    )
    print(f"{fewer_s:.2f} s, sound is in time again after {again_s:.2f} s, {gaps} gaps", flush=True)
    return good


def recordings(seconds_s: float) -> bool:
    """Whole over a link that is reset again and again, and equal in every byte."""
    served = Served(LinkKind(2e6, 0.02, reset_every_s=3.0))
    name, target = served.long_recording()
    fetching = served.far.fetch(name, target)
    began_s = time.monotonic()
    while not fetching.is_done and time.monotonic() < began_s + 6 * seconds_s:
        time.sleep(0.05)
    took_s = time.monotonic() - began_s
    served.far.close()
    there = served.recordings / served.who.word_print[:16] / name
    same = not fetching.trouble and all(
        there.with_name(f"{name}{end}").read_bytes() == target.with_name(f"{target.name}{end}").read_bytes()
        for end in (".sigmf-data", ".sigmf-meta")
    )
    rate = 8e-3 * fetching.have_bytes / took_s
    print(
        f"{'ok  ' if same else 'MISS'} a recording of {fetching.have_bytes / 1e6:.1f} MB over 2,000 kbit/s with",
        end=" ",
    )
    print(f"{served.link.resets} resets: {rate:.0f} kbit/s, equal in every byte: {same}", flush=True)
    return same


def prove() -> bool:
    """Print the figures; True where all is well."""
    seconds_s = float(next((word for word in sys.argv[2:] if word.isdigit()), 40))
    rare = {"gaps_a_minute": 0.1}
    good = bit_for_bit()
    good &= over("AM, 2,000 kbit/s, 10 ms", LinkKind(2e6, 0.01), "am", seconds_s, rare | {"late95_s": 0.3})
    good &= over("AM, 250 kbit/s, 30 ms", LinkKind(250e3, 0.03), "am", seconds_s, rare | {"used_kbit": 250.0})
    jittery = LinkKind(250e3, 0.1, 0.05)
    good &= over("AM, 250 kbit/s, 100 ms, 50 of jitter", jittery, "am", seconds_s, rare | {"used_kbit": 250.0})
    good &= over("SSB, 64 kbit/s, 50 ms", LinkKind(64e3, 0.05), "usb", seconds_s, rare | {"used_kbit": 64.5})
    good &= over("SSB, 100 kbit/s, 400 ms", LinkKind(100e3, 0.4), "usb", seconds_s, rare)
    good &= over("CW, 30 kbit/s, 100 ms", LinkKind(30e3, 0.1), "cw", seconds_s, rare)
    good &= over("Wide FM, 2,000 kbit/s", LinkKind(2e6, 0.03), "wfm", seconds_s, rare | {"late95_s": 0.3})
    good &= over("Wide FM, 250 kbit/s", LinkKind(250e3, 0.03), "wfm", seconds_s, rare | {"used_kbit": 252.0})
    filled = LinkKind(600e3, 0.03)
    good &= over("AM and a recording, 600 kbit/s", filled, "am", seconds_s, rare | {"late95_s": 0.5}, with_file=True)
    good &= recordings(seconds_s)
    good &= adapting()
    good &= over("AM, 100 kbit/s: too little for it", LinkKind(100e3, 0.05), "am", seconds_s, {"click95_s": 5.0})
    stalls, resets = LinkKind(500e3, 0.03, 0.0, 20.0), LinkKind(500e3, 0.03, reset_every_s=10.0)
    good &= over("AM, 500 kbit/s, stalls of 5 s", stalls, "am", seconds_s, {"click95_s": 8.0})
    good &= over("AM, 500 kbit/s, a reset every 10 s", resets, "am", seconds_s, {"click95_s": 5.0})
    return good


if __name__ == "__main__":
    raise SystemExit(not prove())
