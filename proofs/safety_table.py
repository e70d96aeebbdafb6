"""Ten rules of safety, each with three yards in which it must speak and three in which it must not: 60 by hand.

The reason for each is in its row; levels are added up by hand, never taken from the program.
"""

from collections.abc import Callable

import msgspec

from yarddial.yard.parts import Antenna, Converter, Feed, Lnb, LnbBand, Need, Part, Port, Receiver, Transceiver
from yarddial.yard.parts import TwoPort as Two
from yarddial.yard.parts import Value as Val
from yarddial.yard.station import Route, Station

CM = Val(1.0)


class Row(msgspec.Struct, frozen=True):
    """A yard and what must be said of it: findings whose key begins so, with such a mark, naming a part."""

    rule: str
    must: bool
    why: str
    station: Station
    key: str
    marks: tuple[str, ...] = ("stop",)
    names: str = ""


def _rx(name: str = "Rx", bears: float | None = 10.0, bias: Feed | None = None, port: str = "a") -> Receiver:
    limit = None if bears is None else Val(bears)
    return Receiver(
        name, 1e4, 2e9, 28.8e6, Val(0.0, 1.0), 0.0, (2e6,), 2e6, 8, ports=(Port(port, largest_dbm=limit, bias=bias),)
    )


def _rig(watts: float = 100.0, down: float | None = 60.0, tap: str = "antenna") -> Transceiver:
    return Transceiver("Rig", tap, 1.8e6, 30e6, if_hz=9e6, transmit_w=watts,  # type: ignore[arg-type]
                       isolation_db=None if down is None else Val(down))  # fmt: skip


def _wire(name: str = "Wire", **more: object) -> Antenna:
    return Antenna(name, 1e5, 2e9, kind="wire", length_m=20.0, **more)  # type: ignore[arg-type]


def _pad(db: float, name: str = "Pad", bears: float | None = None) -> Two:
    return Two(name, "attenuator", Val(-db), largest_dbm=None if bears is None else Val(bears))


def _amp(need: Need | None = None, name: str = "Amp") -> Two:
    return Two(name, "preamplifier", Val(20.0), largest_dbm=Val(10.0), need=need, passes_dc=need is None)


def _yard(*ways: tuple[Part, ...], dial_hz: float = 1e7) -> Station:
    parts: dict[str, Part] = {part.name: part for way in ways for part in way}
    routes = []
    for number, way in enumerate(ways):
        end = way[-1]
        assert isinstance(end, Receiver)
        routes.append(Route(f"r{number}", tuple(part.name for part in way), end.ports[0].name))
    return Station("t", tuple(parts.values()), tuple(routes), dial_hz=dial_hz, route="r0")


def _two(what: str, name: str = "", **more: object) -> Two:
    return Two(name or what.capitalize(), what, Val(-0.5), **more)  # type: ignore[arg-type]


def rows() -> tuple[Row, ...]:
    """All of them."""
    return (*_power(), *_current(), *_people())


def _power() -> list[Row]:
    def fork(db: float | None, what: str = "switch") -> Two:
        return _two(what, "Fork", isolation_db=None if db is None else Val(db), largest_dbm=Val(60.0))

    def apart(**more: object) -> Antenna:
        return Antenna("Rod", 1e5, 2e9, kind="whip", length_m=1.0, **more)  # type: ignore[arg-type]

    own, wire = "behind its own output", _wire()
    shared, air = "on another way of a switch", "through the air"
    t = "transmit:"

    def beside(db: float | None, what: str = "switch", bears: float = 10.0) -> Station:
        return _yard((wire, fork(db, what), _rig(), _rx("One")), (wire, fork(db, what), _rx("Two", bears)))

    def across(rig_w: float = 100.0, bears: float = 10.0, *pads: Part, **more: object) -> Station:
        return _yard((wire, _rig(rig_w, 90.0), _rx("One")), (apart(**more), *pads, _rx("Two", bears)))

    return [
        Row(own, True, "50 dBm into the first of three pads, which bear one watt",
            _yard((wire, _rig(100, 0), _pad(20, "P1"), _pad(20, "P2"), _pad(20, "P3"), _rx())), t, names="P1"),
        Row(own, True, "50 - 30 = 20 dBm onto a receiver that bears 10", _yard((wire, _rig(100, 30), _rx())), t, names="Rx"),
        Row(own, True, "50 - 15 = 35 dBm into a limiter that bears 30", _yard((wire, _rig(100, 15), _two("limiter"), _rx())),
            t, names="Limiter"),
        Row(own, False, "50 - 60 = -10 dBm onto 10", _yard((wire, _rig(100, 60), _rx())), t, ("stop", "look")),
        Row(own, False, "40 - 30 = 10 into a pad that bears 40, 30 dB: -20 onto 10",
            _yard((wire, _rig(10, 30), _pad(30, bears=40), _rx())), t, ("stop", "look")),
        Row(own, False, "it cannot transmit", _yard((wire, _rig(0, 0), _rx())), t, ("stop", "look")),
        Row(shared, True, "50 - 30 = 20 dBm onto the other receiver, which bears 10", beside(30), t, names="Two"),
        Row(shared, True, "a splitter parts its outputs by 25 dB: 25 dBm", beside(25, "splitter"), t, names="Two"),
        Row(shared, True, "nobody knows how much a relay lets through", beside(None, "relay"), t, names="Two"),
        Row(shared, False, "60 dB: -10 dBm onto 10", beside(60), f"{t}Rig:Two", ("stop", "look")),
        Row(shared, False, "a diplexer of 70 dB", beside(70, "diplexer"), f"{t}Rig:Two", ("stop", "look")),
        Row(shared, False, "it bears 30 dBm: 50 - 45 = 5", beside(45, bears=30), f"{t}Rig:Two", ("stop", "look")),
        Row(air, True, "3 m away: near field, 10 dB at least, 40 dBm", across(apart_m=3.0), t, names="Two"),
        Row(air, True, "measured 30 dB: 20 dBm", across(apart_m=30.0, coupling_db=Val(30.0)), t, names="Two"),
        Row(air, True, "nobody knows how far: a look", across(), t, ("look", "stop"), "Two"),
        # Free space at 1.8 MHz over 3 km: 47.1 dB, less 2.2 twice; 20 - 42.7 = -22.7 dBm.
        Row(air, False, "0.1 W, 3 km away", across(0.1, apart_m=3000.0), f"{t}Rig:Rod", ("stop", "look")),
        Row(air, False, "measured 60 dB: -10 dBm", across(apart_m=3.0, coupling_db=Val(60.0)), f"{t}Rig:Rod", ("stop", "look")),
        Row(air, False, "a limiter that bears 30 lets 10 through to 30: 50 - 35 = 15",
            across(100, 30, _two("limiter"), coupling_db=Val(35.0)), f"{t}Rig:Rod", ("stop", "look")),
    ]  # fmt: skip


def _current() -> list[Row]:
    on, off = Feed(5.0, 200.0, on=True), Feed(5.0, 200.0, on=False)
    need = Need(4.5, 5.5, 60.0, "line")
    wire = _wire()
    split = _two("splitter", "Split", passes_dc=True)
    blocked = _two("splitter", "Split", passes_dc=False)
    cable, block = _two("cable", passes_dc=True), _two("block", "Block")
    harm, feeds, fits, tone, into = "feed:", "supply:", "supply:", "supply:", "into a short"
    branch, none, volts, band = (
        "into another receiver",
        "nothing feeds it",
        "volts and current",
        "LNB's tone and voltage",
    )

    def fed(rx: Receiver, *inner: Part, antenna: Antenna = wire) -> Station:
        return _yard((antenna, *inner, rx))

    def lnb(dial_hz: float, tone_khz: float, volts_v: float, side: str = "vertical") -> Station:
        bands = (
            LnbBand("low", Val(9.75e9), 9.75e9, 10.7e9, 11.7e9),
            LnbBand("high", Val(10.6e9), 10.6e9, 11.7e9, 12.75e9, 22.0),
        )
        head = Lnb("Head", bands, polarisation=side, current_ma=100.0)  # type: ignore[arg-type]
        feeder = _two("injector", "Feeder", feed=Feed(volts_v, 300.0, True, tone_khz))
        return _yard((Antenna("Dish", 1e10, 1.3e10, kind="dish", length_m=0.8), head, feeder, _rx()), dial_hz=dial_hz)

    return [
        Row(branch, True, "a splitter hands the volts down to the second receiver",
            _yard((wire, _amp(need), split, _rx("One", bias=on)), (wire, _amp(need), split, _rx("Two"))), harm, names="Two"),
        Row(branch, True, "and through a cable behind it",
            _yard((wire, split, _rx("One", bias=on)), (wire, split, cable, _rx("Two"))), harm, names="Two"),
        Row(branch, True, "an injector put in the other way round feeds its own receiver",
            fed(_rx(), _amp(need), _two("injector", "Injector", feed=on, feeds_down=True)), harm, names="Rx"),
        Row(branch, False, "the splitter passes no current",
            _yard((wire, blocked, _rx("One", bias=on)), (wire, blocked, _rx("Two"))), harm),
        Row(branch, False, "the feed is off",
            _yard((wire, _amp(need), split, _rx("One", bias=off)), (wire, _amp(need), split, _rx("Two"))), harm),
        Row(branch, False, "a switch gives it to nobody else", _yard(
            (wire, _two("switch", "Sw", passes_dc=True), _rx("One", bias=on)),
            (wire, _two("switch", "Sw", passes_dc=True), _rx("Two"))), harm),
        Row(into, True, "a loop is a short", fed(_rx(bias=on), antenna=_wire(dc_short=True)), harm, names="Wire"),
        Row(into, True, "a transformer's winding", fed(_rx(bias=on), _two("transformer")), harm, names="Transformer"),
        Row(into, True, "an arrester with a stub, behind a cable", fed(_rx(bias=on), _two("arrester", dc_short=True), cable),
            harm, names="Arrester"),
        Row(into, False, "a gas arrester is none", fed(_rx(bias=on), _amp(need), _two("arrester", passes_dc=True)), harm),
        Row(into, False, "a block keeps it from the loop", fed(_rx(bias=on), block, antenna=_wire(dc_short=True)), harm),
        Row(into, False, "the amplifier ends it before the loop", fed(_rx(bias=on), _amp(need), antenna=_wire(dc_short=True)),
            harm),
        Row(none, True, "no feed on the line", fed(_rx(), _amp(need)), feeds, names="Amp"),
        Row(none, True, "a block between", fed(_rx(bias=on), _amp(need), block), feeds, names="Block"),
        Row(none, True, "the injector is the other way round",
            fed(_rx(), _amp(need), _two("injector", "Injector", feed=on, feeds_down=True)), feeds, names="other way round"),
        Row(none, False, "fed by the receiver", fed(_rx(bias=on), _amp(need), cable), feeds),
        Row(none, False, "fed over the other line of a splitter", _yard(
            (wire, _amp(need), split, _rx("One")), (wire, _amp(need), split, _rx("Two", bias=on))), feeds),
        Row(none, False, "an injector the right way round",
            fed(_rx(), _amp(need), cable, _two("injector", "Injector", feed=on)), feeds),
        Row(volts, True, "12 V into 5", fed(_rx(bias=Feed(12.0, 200.0, True)), _amp(need)), fits, names="12 V"),
        Row(volts, True, "60 mA wanted, 40 there", fed(_rx(bias=Feed(5.0, 40.0, True)), _amp(need)), fits, names="40 mA"),
        Row(volts, True, "two of 60 mA on 100 mA", fed(_rx(bias=Feed(5.0, 100.0, True)),
            Two("A1", "preamplifier", Val(10), need=need, passes_dc=True), Two("A2", "preamplifier", Val(10), need=need, passes_dc=True)),
            "feed:", names="120 mA"),
        Row(volts, False, "5 V, 200 mA for 60", fed(_rx(bias=on), _amp(need)), fits),
        Row(volts, False, "two of 60 mA on 200 mA", fed(_rx(bias=on),
            Two("A1", "preamplifier", Val(10), need=need, passes_dc=True), Two("A2", "preamplifier", Val(10), need=need, passes_dc=True)),
            "feed:"),
        Row(volts, False, "a lead with 5 V for a converter", fed(_rx(), Converter("Up", "sum", Val(1.2e8), 1.2e8, 0, 6e7,
            largest_dbm=Val(10.0), need=Need(4.75, 5.25, 90.0, "lead", Feed(5.0, 500.0, True)))), fits),
        Row(band, True, "12 GHz without its tone", lnb(12e9, 0.0, 13.0), tone, names="22 kHz"),
        Row(band, True, "11 GHz with a tone", lnb(11e9, 22.0, 13.0), tone, names="22 kHz"),
        Row(band, True, "18 V wanted for horizontal, 13 there", lnb(11e9, 0.0, 13.0, "horizontal"), tone, names="13 V"),
        Row(band, False, "11 GHz without", lnb(11e9, 0.0, 13.0), tone),
        Row(band, False, "12 GHz with", lnb(12e9, 22.0, 13.0), tone),
        Row(band, False, "horizontal with 18 V", lnb(11e9, 0.0, 18.0, "horizontal"), tone),
    ]  # fmt: skip


def _people() -> list[Row]:
    outside, inside = _wire(outdoors=True), _wire()
    lead = Converter(
        "Up", "sum", Val(1.2e8), 1.2e8, 0, 6e7, need=Need(4.75, 5.25, 90.0, "lead", Feed(5.0, 500.0, True))
    )
    weather, mains = ("lightning", "care:lightning"), ("two-wire supplies", "care:two-wire")
    look = ("look",)
    field = ("field of a transmitter", "care:exposure")
    load = Antenna("Load", 0.0, 1e9, kind="dummy load")
    # Six metres of glass-fibre mast or an indoor whip: outdoors decides.
    return [
        Row(weather[0], True, "a wire outdoors", _yard((outside, _rx())), weather[1], look, "Wire"),
        Row(weather[0], True, "one of two", _yard((inside, _rx("One")), (_wire("Mast", outdoors=True), _rx("Two"))), weather[1],
            look, "Mast"),
        Row(weather[0], True, "with a rig", _yard((outside, _rig(), _rx())), weather[1], look),
        Row(weather[0], False, "indoors", _yard((inside, _rx())), weather[1], look),
        Row(weather[0], False, "a dummy load", _yard((load, _rig(), _rx())), weather[1], look),
        Row(weather[0], False, "two indoors", _yard((inside, _rx("One")), (_wire("Rod"), _rx("Two"))), weather[1], look),
        Row(field[0], True, "100 W on a wire: 20 log", _yard((inside, _rig(), _rx())), field[1], look, "Wire"),
        Row(field[0], True, "5 W", _yard((inside, _rig(5.0), _rx())), field[1], look),
        Row(field[0], True, "by the IF output too", _yard((inside, _rig(100.0, 60.0, "if"), _rx())), field[1], look),
        Row(field[0], False, "into a dummy load", _yard((load, _rig(), _rx())), field[1], look),
        Row(field[0], False, "it cannot transmit", _yard((inside, _rig(0.0), _rx())), field[1], look),
        Row(field[0], False, "no transmitter", _yard((outside, _rx())), field[1], look),
        # One block for each of mains: only where a supply meets an antenna outdoors.
        Row(mains[0], True, "a converter on its lead", _yard((outside, lead, _rx())), mains[1], look, "Up"),
        Row(mains[0], True, "an amplifier on a lead", _yard((outside, _amp(Need(11, 13, 50.0, "lead", Feed(12.0, 500.0, True))),
            _rx())), mains[1], look, "Amp"),
        Row(mains[0], True, "two of them", _yard((outside, lead, _rx("One")), (_wire("Rod"), _rx("Two"))), mains[1], look),
        Row(mains[0], False, "nothing on a lead", _yard((outside, _rx())), mains[1], look),
        Row(mains[0], False, "fed through the line", _yard((outside, _amp(Need(4.5, 5.5, 60.0, "line")), _rx())), mains[1], look),
        Row(mains[0], False, "all indoors", _yard((inside, lead, _rx())), mains[1], look),
    ]  # fmt: skip


# What was found wrong by a reviewer: rows above, by their reason.
REVIEWED = (
    "50 dBm into the first of three pads, which bear one watt",
    "50 - 15 = 35 dBm into a limiter that bears 30",
    "3 m away: near field, 10 dB at least, 40 dBm",
    "measured 30 dB: 20 dBm",
    "a splitter hands the volts down to the second receiver",
    "fed over the other line of a splitter",
    "an injector put in the other way round feeds its own receiver",
    "a transformer's winding",
    "12 GHz without its tone",
)


def wrong_rows(check: Callable[[Station], tuple[object, ...]]) -> list[str]:
    """Rows that the check tells otherwise, in words."""
    wrong = []
    for row in rows():
        told = [f for f in check(row.station) if f.key.startswith(row.key) and f.mark in row.marks]  # type: ignore[attr-defined]
        named = [f for f in told if row.names in f.what]  # type: ignore[attr-defined]
        if row.must != bool(named if row.must else told):
            wrong.append(f"{row.rule}: {row.why}: told {[f.what for f in told]}")  # type: ignore[attr-defined]
    return wrong
