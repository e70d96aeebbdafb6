"""200 random transceivers followed over their IF and over their antenna output: the dial in each mode, and the picture.

The transceiver and its output are truth/if_rig.py, written apart from the program: a carrier at a known place is made
as samples where that says that it comes out. The program gets only the display, the mode and its own yard; whether the
carrier lies on its line is read from the picture that it draws.
"""

import itertools
import random
import sys
from pathlib import Path

import msgspec
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

from if_rig import IfRig, random_rig
from job_yard import Book, KillableEngine
from rig_yard import ScriptedRig
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, GainCapability, RequestedSettings
from yarddial.drivers.rig.protocol import RigOrder, RigState, SetRigFrequency, SetRigMode
from yarddial.session.rig.rig_modes import demodulation_of
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Antenna, Receiver, Transceiver, Value
from yarddial.yard.station import Route, Station, Tap

RATE_HZ, BLOCK, HALF_HZ = 250e3, 8_192, 5_000.0


class TrueRig(ScriptedRig):
    """Does what the transceiver of the truth does."""

    def __init__(self, rig: IfRig) -> None:
        super().__init__(RigState(rig.display_hz, rig.mode, None, False))
        self.rig = rig

    def order(self, order: RigOrder) -> None:
        """To its own step."""
        super().order(order)
        if isinstance(order, SetRigFrequency):
            self.rig.tune(order.hertz)
        if isinstance(order, SetRigMode):
            self.rig.mode = order.mode
        self.show()

    def show(self) -> None:
        """Its display."""
        self.change(frequency_hz=self.rig.display_hz, mode=self.rig.mode)


class Tone:
    """A receiver behind either output: a carrier of the air, where it truly comes out."""

    def __init__(self, rig: IfRig, carrier_hz: float, by_if: bool) -> None:
        self.capabilities = Capabilities(
            "tone", ((0.0, 3e9),), (RATE_HZ,), (), 14, gains=(GainCapability("gain", (0.0, 20.0)),)
        )
        self._rig, self._carrier_hz, self._by_if = rig, carrier_hz, by_if
        self._centre_hz, self._phase, self._index = 0.0, 0.0, 0

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Whatever is asked."""
        self._centre_hz, self._index = ask.centre_hz, 0
        return ActualSettings(ask.centre_hz, ask.rate_hz, ask.port, gains_db=ask.gains_db)

    def read(self) -> Block:
        """The next block; the transceiver may have been turned since the last one."""
        out_hz = self._rig.out_hz(self._carrier_hz) if self._by_if else self._carrier_hz
        turns = self._phase + (out_hz - self._centre_hz) / RATE_HZ * np.arange(BLOCK + 1)
        self._phase = float(turns[-1]) % 1.0
        self._index += BLOCK
        return Block((0.1 * np.exp(2j * np.pi * turns[:-1])).astype(np.complex64), self._index - BLOCK)

    def close(self) -> None:
        """Nothing."""


def yard_of(rig: IfRig, ssb_hz: float, cw_hz: float) -> Station:
    """As its owner would put it down."""
    finch = demo_station().part("Finch")
    assert isinstance(finch, Receiver)
    stage = msgspec.structs.replace(finch.gain_stages[0], name="gain", steps_db=(0.0, 20.0), set_db=20.0)
    box = msgspec.structs.replace(
        finch, name="Box", device="tone:box", direct=None, tuner_low_hz=1e5, tuner_high_hz=3e9, holes_hz=(),
        rates_hz=(RATE_HZ,), rate_hz=RATE_HZ, ports=(msgspec.structs.replace(finch.ports[1], name=""),),
        crystal_ppm=Value(0.0, 0.01), gain_stages=(stage,),
    )  # fmt: skip
    offsets = {"ssb": ssb_hz, "cw": cw_hz, "am": 0.0}
    part = Transceiver(
        "Rig",
        "if",
        1e5,
        3e7,
        if_hz=rig.if_hz,
        sense=-1 if rig.turned else 1,
        offsets_hz=offsets,
        rig_ppm=Value(0.0, 0.01),
    )
    wire = Antenna("Wire", 1e5, 3e7)
    routes = (
        Route("if", ("Wire", "Rig", "Box")),
        Route("antenna", ("Wire", "Rig", "Box"), taps=(Tap("Rig", "antenna"),)),
    )
    return Station("y", (wire, part, box), routes, dial_hz=7e6, route="if")


def looked_at(session: Session) -> tuple[float, float]:
    """Where the strongest line of the picture lies on the dial, to a part of a row, and how wide a row is."""
    level_db, half_hz = session.live_receiver.picture.recent()
    row_hz = 2 * half_hz / level_db.size
    at = int(np.argmax(level_db))
    part = 0.0
    if 0 < at < level_db.size - 1:
        left, top, right = level_db[at - 1 : at + 2].tolist()
        part = 0.5 * (left - right) / (left - 2 * top + right)
    return session.listening.chart_hz + (at + part - level_db.size / 2) * row_hz, row_hz


def one(seed: int) -> tuple[int, int, int, float]:
    """Places looked at, wrong on the dial, wrong in the picture, and the worst distance in rows."""
    chance = random.Random(seed)
    rig, ssb_hz, cw_hz = random_rig(chance)
    looks = wrong_dial = wrong_picture = 0
    worst = 0.0
    for route in ("if", "antenna"):
        carrier_hz = round(chance.uniform(2e6, 29e6), 1)
        engine = KillableEngine(lambda _: Tone(rig, carrier_hz, route == "if"), lambda _: None)  # noqa: B023
        session = Session(yard_of(rig, ssb_hz, cw_hz), engine, Book)
        session.desk.choose_route(route)
        session.desk.hold(True)
        session.poll()
        hand = TrueRig(rig)
        hand.join(session, "Rig")
        session.rig.follow()
        session.listening.open()
        session.toggle_receiver()
        for mode in rig.shifts_hz:
            place_hz = carrier_hz + chance.uniform(-2e3, 2e3)
            rig.mode = mode
            if chance.random() < 0.5:
                rig.tune(place_hz)
            hand.show()
            for _ in range(3):
                session.poll()
            if abs(session.desk.station.dial_hz - place_hz) >= rig.step_hz:
                session.desk.dial(place_hz)
            session.listening.half_span_hz = HALF_HZ
            for _ in range(45):
                session.poll()
            looks += 1
            dial_hz = session.desk.station.dial_hz
            told = (session.desk.station.mode, session.listening.settings.demodulation)
            heard = (
                "ssb" if mode in ("USB", "LSB") else "cw" if mode in ("CW", "CWR") else "am",
                demodulation_of(mode),
            )
            wrong_dial += abs(dial_hz - rig.display_hz) >= rig.step_hz or told != heard
            seen_hz, row_hz = looked_at(session)
            worst = max(worst, abs(seen_hz - carrier_hz) / row_hz)
            wrong_picture += abs(seen_hz - carrier_hz) > row_hz
        session.close()
    return looks, wrong_dial, wrong_picture, worst


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 200))
    # A poll takes a twentieth of a second: hands that turned as fast as this runs would pass for a display that jumps.
    polls = itertools.count()
    clock.monotonic_s = lambda: 0.05 * next(polls)  # type: ignore[assignment]
    found = [one(seed) for seed in range(count)]
    looks, dial, picture = (sum(row[i] for row in found) for i in range(3))
    worst = max(row[3] for row in found)
    good = not dial and not picture
    print(
        f"{'ok  ' if good else 'MISS'} {count} transceivers, IF 4 to 75 MHz, both senses, 5 modes, both outputs:",
        end=" ",
    )
    print(f"{looks:,} places, {dial} wrong on the dial, {picture} wrong in the picture (worst {worst:.2f} rows)")
    return good


if __name__ == "__main__":
    raise SystemExit(not prove())
