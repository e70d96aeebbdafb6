"""Forty and more rules of the bench, each with four yards: found, not found, just under its edge, just over it.

Each row gives a way to make the yard from one number, and four numbers. Edges are added up by hand in the row's words,
never taken from the program.
"""

import sys
from collections.abc import Callable
from pathlib import Path

import msgspec

sys.path.insert(0, str(Path(__file__).parent))

from safety_table import _amp, _pad, _rig, _rx, _two, _wire, _yard
from yarddial.analysis.audit.check import check_yard
from yarddial.yard.parts import (
    Antenna,
    Converter,
    DirectSampling,
    Feed,
    Lnb,
    LnbBand,
    Need,
    Receiver,
    Socket,
    Transceiver,
)
from yarddial.yard.parts import TwoPort as Two
from yarddial.yard.parts import Value as Val
from yarddial.yard.station import Route, Station


class Edge(msgspec.Struct, frozen=True):
    """A rule: the finding's key begins so, has this mark and these words. numbers : found, not found, under, over.

    `under` must not be found and `over` must: the edge lies between them.
    """

    rule: str
    why: str
    make: Callable[[float], Station]
    numbers: tuple[float, float, float, float]
    key: str
    mark: str = "stop"
    words: str = ""


ON = Feed(5.0, 200.0, on=True)


def _line(rig: Transceiver, *between: object, end: Receiver | None = None) -> Station:
    return _yard((_wire(), rig, *between, end or _rx()))  # type: ignore[arg-type]


def _sent(*before: object, watts: float) -> Station:
    """A transmitter's own line, which ends in it."""
    parts = (_wire(), *before, _rig(watts, None))
    return Station("t", parts, (Route("r0", tuple(part.name for part in parts)),), route="r0")  # type: ignore[attr-defined,arg-type]


def _fed(part: object, feed: Feed, metres: float = 0.0) -> Station:
    cable = Two("Cable", "cable", Val(-0.5), length_m=metres)
    return _yard((_wire(), part, cable, _rx(bias=feed)))  # type: ignore[arg-type]


def _lnb(polarisation: str = "vertical", current_ma: float = 100.0) -> Lnb:
    bands = (
        LnbBand("low", Val(9.75e9), 9.75e9, 10.7e9, 11.7e9),
        LnbBand("high", Val(10.6e9), 10.6e9, 11.7e9, 12.75e9, tone_khz=22.0),
    )
    return Lnb("Lnb", bands, polarisation=polarisation, current_ma=current_ma)  # type: ignore[arg-type]


def _dish(volts: float, *, polarisation: str = "vertical", metres: float = 0.0, ma: float = 100.0, hertz: float = 11e9,
          tone_khz: float = 0.0) -> Station:  # fmt: skip
    dish = Antenna("Dish", 1e9, 2e10, kind="dish", length_m=0.8)
    cable = Two("Cable", "cable", Val(-0.5), length_m=metres)
    receiver = _rx(bias=Feed(volts, 500.0, on=True, tone_khz=tone_khz))
    return _yard((dish, _lnb(polarisation, ma), cable, receiver), dial_hz=hertz)


def _two_feeds(second_v: float) -> Station:
    """One LNB, a splitter that passes current, two receivers that feed."""
    dish, lnb = Antenna("Dish", 1e9, 2e10, kind="dish", length_m=0.8), _lnb()
    fork = _two("splitter", "Fork", passes_dc=True)
    feeds = (Feed(13.0, 500.0, on=True), Feed(second_v, 500.0, on=second_v > 0))
    ways = [(dish, lnb, fork, _rx(f"Rx{n}", bias=feed)) for n, feed in enumerate(feeds)]
    return _yard(*ways, dial_hz=11e9)


def _up(lo_hz: float, low_v: float = 4.75, feed: Feed | None = None) -> Converter:
    need = Need(low_v, 5.25, 90.0, "lead", feed or Feed(5.0, 500.0, on=True))
    return Converter("Up", "sum", Val(lo_hz), lo_hz, 0, 6e7, need=need)


def _joint(left: Socket, right: Socket) -> Station:
    cable = Two("Cable", "cable", Val(-0.5), output=left)
    after = Two("Filter", "filter", Val(-0.5), input=right)
    return _yard((_wire(), cable, after, _rx()))


def _amp_need(feed_v: float = 5.0, ma: float = 60.0) -> Two:
    return _amp(Need(4.5, 5.5, ma, "line"))


def _saturated(iip3_dbm: float) -> Station:
    amp = Two("Amp", "preamplifier", Val(20.0), largest_dbm=Val(60.0), iip3_dbm=Val(iip3_dbm))
    return _line(_rig(100, 10), amp)


def _air(watts: float = 100.0, **more: object) -> Station:
    hears = Antenna("Rod", 1e5, 2e9, kind="whip", length_m=1.0, **more)  # type: ignore[arg-type]
    return _yard((_wire(), _rig(watts, 90.0), _rx("One", 60.0)), (hears, _rx("Two")))


def _forked(what: str, db: float) -> Station:
    fork = _two(what, "Fork", isolation_db=Val(db), largest_dbm=Val(60.0))
    return _yard((_wire(), fork, _rig(), _rx("One")), (_wire(), fork, _rx("Two")))


def _direct(edge_hz: float) -> Station:
    low_pass = Two("Low-pass", "filter", Val(-0.5), shape="low-pass", high_hz=edge_hz)
    receiver = msgspec.structs.replace(_rx(port="direct"), direct=DirectSampling("direct", 28.8e6))
    return _yard((_wire(), low_pass, receiver))


def _whip(hertz: float) -> Station:
    return _yard((Antenna("Rod", 1e5, 2e9, kind="whip", length_m=1.0), _rx()), dial_hz=hertz)


def _choice(*yards: Station) -> Callable[[float], Station]:
    """A rule without a number: four yards, of which the third and the fourth differ in one thing."""
    return lambda number: yards[int(number)]


FOUR = (0.0, 1.0, 2.0, 3.0)
T = "transmit:Rig:"
SMA, N50, N75 = Socket("SMA", "jack"), Socket("N", "jack", 50.0), Socket("N", "plug", 75.0)


def edges() -> tuple[Edge, ...]:
    """All of them."""
    return (*_power(), *_ratings(), *_current(), *_others())


def _power() -> list[Edge]:
    return [
        Edge("own output", "50 dBm less the isolation against 10", lambda db: _line(_rig(100, db)), (20, 80, 40.1, 39.9), T),
        Edge("own output, little margin", "10 dB of margin at 50 dB", lambda db: _line(_rig(100, db)),
             (45, 80, 50.1, 49.9), T, "look"),
        Edge("IF output", "the same by the IF", lambda db: _line(_rig(100, db, "if")), (20, 80, 40.1, 39.9), T),
        Edge("power of the transmitter", "40 dB of isolation: 100 W are 10 dBm", lambda w: _line(_rig(w, 40)),
             (1500, 1, 99, 101), T),
        Edge("limit of the socket", "50 - 40 = 10 dBm", lambda dbm: _line(_rig(100, 40), end=_rx(bears=dbm)),
             (-10, 30, 10.1, 9.9), T),
        Edge("isolation or limit not stated", "either unknown is never safe", _choice(
            _line(_rig(100, None)), _line(_rig(100, 90)), _line(_rig(0, None)), _line(_rig(100, 90), end=_rx(bears=None))),
            FOUR, T),
        Edge("switch shared", "50 less its isolation against 10", lambda db: _forked("switch", db), (20, 80, 40.1, 39.9),
             f"{T}Two"),
        Edge("splitter shared", "the same", lambda db: _forked("splitter", db), (20, 80, 40.1, 39.9), f"{T}Two"),
        Edge("diplexer shared", "the same", lambda db: _forked("diplexer", db), (20, 80, 40.1, 39.9), f"{T}Two"),
        Edge("relay that sticks", "whatever its isolation", _choice(
            _forked("relay", 30), _forked("switch", 90), _forked("diplexer", 90), _forked("relay", 90)), FOUR, f"{T}Two"),
        Edge("air, measured", "50 less the measured loss against 10", lambda db: _air(coupling_db=Val(db)),
             (20, 80, 40.1, 39.9), f"{T}Rod"),
        Edge("air, near", "10 dB at least in the near field: 0.1 W are 10 dBm there", lambda w: _air(w, apart_m=3.0),
             (100, 0.001, 0.099, 0.101), f"{T}Rod"),
        Edge("limiter before the socket", "a limiter bears 30 dBm, as is usual: 50 - 20",
             lambda db: _line(_rig(100, db), _two("limiter"), end=_rx(bears=30.0)), (5, 80, 20.1, 19.9), T),
        Edge("pad before the socket", "a pad bears 30 dBm, as is usual",
             lambda db: _line(_rig(100, db), _pad(60.0)), (5, 80, 20.1, 19.9), T),
        Edge("amplifier saturates onto the socket", "IIP3 + 20 - 6.6 dB against 10: an IIP3 of -3.4 dBm",
             _saturated, (20, -40, -3.5, -3.3), T),
        Edge("converter hands on 7 dBm", "7 dBm onto what the socket takes",
             lambda dbm: _line(_rig(100, 10), Converter("Up", "sum", Val(1.2e8), 1.2e8, 0, 6e7, largest_dbm=Val(60.0)),
                               end=_rx(bears=dbm)), (-10, 30, 7.1, 6.9), T),
    ]  # fmt: skip


def _ratings() -> list[Edge]:
    def usual(what: str) -> Callable[[float], Station]:
        return lambda watts: _sent(_two(what, "It"), watts=watts)

    def stated(dbm: float) -> Station:
        return _sent(_two("cable", "It", largest_dbm=Val(dbm)), watts=100.0)

    key = "rating:Rig:"
    return [
        Edge("cable, usual 100 W", "a usual rating is a stop from 3 dB over it: 200 W", usual("cable"),
             (1500, 5, 199, 201), key),
        Edge("transformer, usual 100 W", "the same", usual("transformer"), (1500, 5, 199, 201), key),
        Edge("choke, usual 100 W", "the same", usual("choke"), (1500, 5, 199, 201), key),
        Edge("arrester, usual 100 W", "the same", usual("arrester"), (1500, 5, 199, 201), key),
        Edge("relay, usual 100 W", "the same", usual("relay"), (1500, 5, 199, 201), key),
        Edge("filter, usual 1 W", "30 dBm and 3 dB: 2 W", usual("filter"), (100, 0.5, 1.99, 2.01), key),
        Edge("diplexer, usual 50 W", "47 dBm and 3 dB: 100 W", usual("diplexer"), (1500, 5, 99, 101), key),
        Edge("stated rating", "a stated one is a stop at once: 50 dBm", stated, (40, 60, 50.0, 49.9), key),
        Edge("usual rating, a look", "over 50 dBm and under 53", usual("cable"), (150, 5, 100, 102), key, "look"),
        Edge("preamplifier in the transmitting line", "any power is too much",
             lambda watts: _sent(_amp(), watts=watts), (100, 0, 0, 0.001), key),
        Edge("active antenna transmits", "any power is too much", lambda watts: Station(
            "t", (msgspec.structs.replace(_wire(), need=Need(11, 13, 50.0, "line")), _rig(watts, None)),
            (Route("r0", ("Wire", "Rig")),), route="r0"), (100, 0, 0, 0.001), key),
        Edge("field beside an antenna", "any power has a distance", lambda watts: _sent(watts=watts), (100, 0, 0, 0.001),
             "care:exposure", "look"),
    ]  # fmt: skip


def _current() -> list[Edge]:
    def lead(volts: float, ma: float = 500.0) -> Station:
        return _yard((_wire(), _up(1.2e8, feed=Feed(volts, ma, on=True)), _rx()))

    def two_amps(ma: float) -> Station:
        both = [msgspec.structs.replace(_amp_need(), name=name, passes_dc=True) for name in ("A", "B")]
        return _yard((_wire(), *both, _rx(bias=Feed(5.0, ma, on=True))))

    def shorted(part: object, *, on: bool = True) -> Station:
        return _fed(part, Feed(5.0, 200.0, on=on))

    loop = Antenna("Loop", 1e5, 3e7, kind="loop", dc_short=True)

    def into(*between: object) -> Station:
        return _yard((loop, *between, _rx(bias=ON)))  # type: ignore[arg-type]

    low = Two("Low", "filter", Val(-0.5), shape="low-pass", high_hz=3e7)
    high = Two("High", "filter", Val(-0.5), shape="high-pass", low_hz=1e6)
    mixer = Converter("Mixer", "sum", Val(1.1e8), 1.1e8, 0, 6e7)
    return [
        Edge("lead, too little", "4.75 V at least", lead, (3.3, 5, 4.76, 4.74), "supply:Up:volts"),
        Edge("lead, too much", "5.25 V at most", lead, (12, 5, 5.24, 5.26), "supply:Up:volts"),
        Edge("lead, too weak", "90 mA", lambda ma: lead(5.0, ma), (20, 500, 90.1, 89.9), "supply:Up:current"),
        Edge("line, too little", "4.5 V", lambda v: _fed(_amp_need(), Feed(v, 200.0, on=True)), (3, 5, 4.51, 4.49),
             "supply:Amp"),
        Edge("line, too much", "5.5 V", lambda v: _fed(_amp_need(), Feed(v, 200.0, on=True)), (12, 5, 5.49, 5.51),
             "supply:Amp"),
        Edge("line, too weak", "60 mA", lambda ma: _fed(_amp_need(), Feed(5.0, ma, on=True)), (10, 200, 60.1, 59.9),
             "supply:Amp"),
        Edge("two parts on one feed", "60 mA and 60 mA", two_amps, (50, 300, 120.1, 119.9), "feed:Rx:a:sum"),
        Edge("drop in the cable", "60 mA x 0.1 ohm/m: 5 - 4.5 V are 83 m", lambda m: _fed(_amp_need(), ON, m),
             (300, 5, 83, 84), "supply:Amp", words="reach it"),
        Edge("LNB, drop in the cable", "13 - 11.5 V at 300 mA and 0.1 ohm/m: 50 m",
             lambda m: _dish(13.0, metres=m, ma=300.0), (200, 5, 49, 51), "supply:Lnb"),
        Edge("LNB, too little", "13 V less 1.5", _dish, (5, 13, 11.6, 11.4), "supply:Lnb"),
        Edge("LNB, neither voltage", "over 14 V and under 16", _dish, (15, 13, 13.9, 14.1), "supply:Lnb"),
        Edge("LNB, the other polarisation", "16 V select horizontal", _dish, (18, 13, 15.9, 16.1),
             "supply:Lnb", words="receives horizontal"),
        Edge("LNB, circular", "16 V select left-hand", lambda v: _dish(v, polarisation="right-hand"),
             (18, 13, 15.9, 16.1), "supply:Lnb", words="receives left-hand"),
        Edge("LNB, tone missing", "11.7 GHz and up need it", lambda hertz: _dish(13.0, hertz=hertz),
             (12.5e9, 11e9, 11.69e9, 11.71e9), "supply:Lnb", words="tone"),
        Edge("LNB, tone too many", "below 11.7 GHz it is wrong", lambda hertz: _dish(13.0, hertz=hertz, tone_khz=22.0),
             (11e9, 12.5e9, 11.71e9, 11.69e9), "supply:Lnb", words="tone"),
        Edge("two feeds on one LNB", "13 V and another", _two_feeds, (18, 13, 0, 14), "lnb:Lnb"),
        Edge("into a short", "a loop's short at the end", _choice(
            into(), shorted(_amp_need()), _yard((_wire(), _rx(bias=Feed(5.0, 200.0)))), into(_two("adapter"))), FOUR, "feed:Rx:a:Loop"),
        Edge("through a low-pass into a short", "its coils lie along the line", _choice(
            into(low), into(high), into(_two("block")), into(low, _two("cable"))), FOUR, "feed:Rx:a:Loop"),
        Edge("into a mixer's output", "it is fed otherwise", _choice(
            _yard((_wire(), mixer, _rx(bias=ON))), _yard((_wire(), mixer, _rx())),
            _yard((_wire(), mixer, _two("block"), _rx(bias=ON))), _yard((_wire(), mixer, _two("cable"), _rx(bias=ON)))),
            FOUR, "feed:Rx:a:Mixer"),
        Edge("into a transmitter", "the rig's socket", _choice(
            _line(_rig(), end=_rx(bias=ON)), _line(_rig()), _line(_rig(), _two("block"), end=_rx(bias=ON)),
            _line(_rig(), _two("cable"), end=_rx(bias=ON))), FOUR, "feed:Rx:a:Rig"),
        Edge("on for nobody", "nothing on the line needs it", _choice(
            _yard((_wire(), _rx(bias=ON))), _yard((_wire(), _rx())), _fed(_amp_need(), ON),
            _yard((_wire(), _two("cable"), _rx(bias=ON)))), FOUR, "feed:Rx:a:idle", "look"),
    ]  # fmt: skip


def _others() -> list[Edge]:
    def outdoors(is_out: bool, *more: object) -> Station:
        return _yard((_wire(outdoors=is_out), *more, _rx()))  # type: ignore[arg-type]

    return [
        Edge("N of 50 and 75 ohms", "they screw and do not fit", _choice(
            _joint(N75, N50), _joint(SMA, Socket("SMA", "plug")), _joint(Socket("N", "plug", 75.0), Socket("N", "jack", 75.0)),
            _joint(Socket("N", "plug", 50.0), Socket("N", "jack", 75.0))), FOUR, "impedance:"),
        Edge("connectors that do not mate", "an adapter is wanted", _choice(
            _joint(SMA, Socket("N", "plug", 50.0)), _joint(SMA, Socket("SMA", "plug")), _joint(SMA, Socket()),
            _joint(SMA, Socket("RP-SMA", "plug"))), FOUR, "connector:", "look"),
        Edge("short whip", "1/20 of a wavelength: 1 m at 14.99 MHz", _whip, (3.5e6, 50e6, 15.1e6, 14.9e6), "antenna:Rod",
             "look"),
        Edge("oscillator beside a broadcast band", "2 MHz above 108 MHz", lambda hertz: _yard((_wire(), _up(hertz), _rx())),
             (100e6, 125e6, 110.1e6, 109.9e6), "oscillator:Up:FM", "look"),
        Edge("direct sampling without a filter", "half of 28.8 MHz", _direct, (60e6, 10e6, 14.3e6, 14.5e6), "sampling:",
             "look"),
        Edge("lightning", "an antenna outdoors", _choice(
            outdoors(True), outdoors(False), outdoors(False, _up(1.25e8)), outdoors(True, _up(1.25e8))), FOUR,
            "care:lightning", "look"),
        Edge("two-wire supplies", "a lead and an antenna outdoors", _choice(
            outdoors(True, _up(1.25e8)), outdoors(False), outdoors(True), outdoors(True, _amp_need(), _up(1.25e8))), FOUR,
            "care:two-wire", "look"),
    ]  # fmt: skip


def wrong_edges() -> list[str]:
    """Rows that the check tells otherwise, in words."""
    wrong = []
    for edge in edges():
        for number, must, name in zip(
            edge.numbers, (True, False, False, True), ("found", "not", "under", "over"), strict=True
        ):
            findings = check_yard(edge.make(number))
            told = [f for f in findings if f.key.startswith(edge.key) and f.mark == edge.mark and edge.words in f.what]
            if must != bool(told):
                about = [(f.mark, f.what) for f in findings if f.key.startswith(edge.key)]
                wrong.append(f"{edge.rule}, {name} ({number:g}): {edge.why}: {about}")
    return wrong


if __name__ == "__main__":
    rows = wrong_edges()
    print(f"{len(edges())} rules, {4 * len(edges())} yards, {len(rows)} wrong")
    print("\n".join(rows))
    sys.exit(bool(rows))
