"""Yards at random, valid but wild, and an independent judge of what their routes reach."""

from math import log
from random import Random

import msgspec

from yarddial.yard.parts import (
    Antenna,
    Converter,
    DirectSampling,
    Feed,
    GainStage,
    Lnb,
    LnbBand,
    Need,
    Origin,
    Part,
    Port,
    Receiver,
    Socket,
    Transceiver,
    TwoPort,
    Value,
)
from yarddial.yard.station import Acknowledged, Reference, Route, Station, Tap, checked

_LETTERS = "abcdefghijklmnop ÄøλЖ—"


def random_yard(seed: int, routes: int | None = None) -> Station:
    """A valid station; the same for the same seed. `routes` fixes how many, else 1 to 6."""
    chance = Random(seed)
    parts: list[Part] = []
    antennas = [_antenna(chance, f"Antenna {i}") for i in range(chance.randint(1, 4))]
    receivers = [_receiver(chance, f"Receiver {i}") for i in range(chance.randint(1, 3))]
    parts += [*antennas, *receivers]
    laid: list[Route] = []
    for i in range(routes or chance.randint(1, 6)):
        inner = [_inner(chance, f"{_word(chance)} {i}.{j}") for j in range(chance.choice((0, 0, 1, 1, 2, 3)))]
        parts += inner
        receiver = chance.choice(receivers)
        taps = tuple(
            Tap(part.name, chance.choice(("if", "antenna")))
            for part in inner
            if isinstance(part, Transceiver) and chance.random() < 0.5
        )
        names = (chance.choice(antennas).name, *(part.name for part in inner), receiver.name)
        port = chance.choice(receiver.ports).name
        laid.append(Route(f"Route {i} {_word(chance)}", names, port, taps, chance.random() < 0.2))
    dial_hz = round(_log(chance, 1e4, 2e10), 3)
    return checked(
        Station(
            name=_word(chance),
            parts=tuple(parts),
            routes=tuple(laid),
            references=(Reference("Northmark Time", 10e6, 0.3, "standard frequency"),) * chance.randint(0, 1),
            dial_hz=dial_hz,
            mode=chance.choice(("am", "ssb", "cw")),
            route=chance.choice(laid).name,
            acknowledged=(Acknowledged("care:heat", _word(chance), _word(chance)),) * chance.randint(0, 1),
        )
    )


def judged(station: Station, route: Route, dial_hz: float) -> tuple[str, bool, float]:
    """What a route makes of a frequency, straight from the parts' fields: state, inverted, frequency at the socket.

    Written apart from the program's own walk along a route: no stage, no reach, no part's own judgement.
    """
    parts = {part.name: part for part in station.parts}
    taps = {tap.name: tap.output for tap in route.taps}
    antenna, receiver = parts[route.parts[0]], parts[route.parts[-1]]
    assert isinstance(antenna, Antenna)
    assert isinstance(receiver, Receiver)
    here_hz, inverted = dial_hz, False
    # A bare conductor receives up to fifteen times its range, one with an amplifier only within it.
    is_bare = antenna.need is None and antenna.kind not in ("dummy load", "dish")
    out = dial_hz > antenna.high_hz * (15 if is_bare else 1)
    for name in route.parts[1:-1]:
        part = parts[name]
        if isinstance(part, TwoPort):
            inside = part.low_hz < here_hz < part.high_hz
            out = out or (inside if part.shape == "notch" else not part.low_hz <= here_hz <= part.high_hz)
        elif isinstance(part, Transceiver):
            out = out or not part.low_hz <= here_hz <= part.high_hz
            if taps.get(name, part.tap) == "if":
                here_hz, inverted = part.if_hz, inverted != (part.sense < 0)
        else:
            assert isinstance(part, Converter | Lnb)
            bands = part.bands if isinstance(part, Lnb) else (part,)
            taking = [band for band in bands if band.input_low_hz <= here_hz <= band.input_high_hz]
            out = out or not taking
            band = taking[0] if taking else bands[0]
            lo_hz = band.entered_lo_hz
            here_hz = {"sum": here_hz + lo_hz, "low": here_hz - lo_hz, "high": lo_hz - here_hz}[band.kind]
            inverted = inverted != (band.kind == "high")
            if isinstance(part, Converter):
                out = out or not part.output_low_hz <= here_hz <= part.output_high_hz
    hole = False
    if receiver.direct is not None and route.port == receiver.direct.port:
        half = receiver.direct.clock_hz / 2
        out = out or not 0 <= here_hz <= half * (receiver.direct.top_zone + 1)
        inverted = inverted != (int(here_hz // half) % 2 == 1)
    elif not receiver.tuner_low_hz <= here_hz <= receiver.tuner_high_hz:
        out = True
    else:
        hole = any(low < here_hz < high for low, high in receiver.holes_hz)
    is_usual = antenna.low_hz <= dial_hz <= antenna.high_hz
    state = "out" if out else "hole" if hole else "reached" if is_usual else "weak"
    return state, inverted, here_hz


def _log(chance: Random, low: float, high: float) -> float:
    return float(f"{10 ** chance.uniform(log(low, 10), log(high, 10)):.9g}")


def _span(chance: Random, low: float, high: float, least: float = 3.0) -> tuple[float, float]:
    start = _log(chance, low, high / least)
    return start, min(start * chance.uniform(least, 1000.0), high)


def _word(chance: Random) -> str:
    return "".join(chance.choice(_LETTERS) for _ in range(chance.randint(3, 9))).strip() or "x"


def _value(chance: Random, low: float, high: float) -> Value:
    value = Value(round(chance.uniform(low, high), 6), round(chance.uniform(0, 3), 6), "stated", note=_word(chance))
    return value.measured(value.value + 0.25, 0.1, "2026-11-25", "") if chance.random() < 0.3 else value


def _socket(chance: Random) -> Socket:
    connector = chance.choice(("", "SMA", "MCX", "BNC", "F", "N", "UHF", "phono"))
    return Socket(connector, chance.choice(("jack", "plug")), chance.choice((50.0, 75.0)))  # type: ignore[arg-type]


def _need(chance: Random) -> Need | None:
    if chance.random() < 0.6:
        return None
    low = chance.choice((4.75, 11.0, 12.0))
    lead = Feed(chance.choice((5.0, 12.0)), 200.0, on=chance.random() < 0.8) if chance.random() < 0.5 else None
    return Need(low, low * 1.2, round(chance.uniform(10, 300), 1), chance.choice(("line", "lead")), lead)


def _antenna(chance: Random, name: str) -> Antenna:
    low, high = _span(chance, 1e4, 2e10)
    kind = chance.choice(("wire", "whip", "dish", ""))
    return Antenna(name, low, high, _word(chance), kind, chance.choice((0.0, 0.5, 20.0)),  # type: ignore[arg-type]
                   outdoors=chance.random() < 0.5, dc_short=chance.random() < 0.3, output=_socket(chance),
                   origins={"low_hz": Origin("measured", "2026-11-25", _word(chance))})  # fmt: skip


def _receiver(chance: Random, name: str) -> Receiver:
    low, high = _span(chance, 1e4, 3e9, 20.0)
    middle = (low * high) ** 0.5
    holes = ((middle, middle * 1.1),) if chance.random() < 0.5 and middle * 1.1 < high else ()
    clock_hz = chance.choice((26e6, 28.8e6, 64e6))
    direct = DirectSampling("direct", clock_hz, chance.randint(0, 3)) if chance.random() < 0.5 else None
    ports = [Port("A", _socket(chance), _value(chance, -5, 15), Feed(4.7, 150.0, on=chance.random() < 0.3))]
    ports += [Port("direct", _socket(chance))] if direct is not None else [Port("B")]
    crystal = Value(round(chance.uniform(-60, 60), 4), round(chance.uniform(0.1, 30), 4))
    stage = GainStage("gain", (0.0, 6.0, 13.5), 6.0, chance.choice(("gain", "attenuation")))
    return Receiver(name, low, high, 26e6, crystal, round(chance.uniform(-60, 60), 3), (1e6, 2e6), 2e6, 8,
                    holes_hz=holes, direct=direct, ports=tuple(ports), gain_stages=(stage,))  # fmt: skip


def _inner(chance: Random, name: str) -> Part:
    what = chance.choice(("two_port", "two_port", "converter", "converter", "lnb", "transceiver"))
    if what == "two_port":
        low, high = _span(chance, 1e3, 5e10, 100.0)
        kind = chance.choice(("cable", "attenuator", "filter", "preamplifier", "splitter", "switch", "injector"))
        shape = chance.choice(("notch", "band-pass")) if kind == "filter" else ""
        return TwoPort(name, kind, _value(chance, -20, 20), low, high, shape=shape,  # type: ignore[arg-type]
                       passes_dc=chance.random() < 0.5, need=_need(chance), input=_socket(chance),
                       output=_socket(chance), isolation_db=_value(chance, 20, 70),
                       feed=Feed(12.0, 100.0, on=True) if kind == "injector" else None)  # fmt: skip
    if what == "converter":
        lo = _log(chance, 1e6, 2e9)
        low, high = _span(chance, 1e4, 5e9)
        true = Value(lo, lo * 1e-5)
        if chance.random() < 0.4:
            true = true.measured(lo * (1 + chance.uniform(-2e-5, 2e-5)), 3.0, "2026-11-25", "fit")
        return Converter(name, chance.choice(("sum", "low", "high")), true, lo, low, high, need=_need(chance),
                         input=_socket(chance), output=_socket(chance))  # fmt: skip
    if what == "lnb":
        edge = chance.uniform(11e9, 11.5e9)
        bands = (
            LnbBand("low", Value(9.75e9, 3e5), 9.75e9, 10e9, edge),
            # A gap between the bands, so that no frequency belongs to both.
            LnbBand("high", Value(10.6e9, 3e5), 10.6e9, edge + 1e6, 12.75e9, 22.0),
        )
        return Lnb(name, bands[: chance.randint(1, 2)], current_ma=chance.choice((0.0, 120.0)))
    low, high = _span(chance, 1e5, 1e8, 10.0)
    return Transceiver(name, chance.choice(("if", "antenna")), low, high, chance.choice((8.83e6, 45e6)),
                       chance.choice((1, -1)), transmit_w=chance.choice((0.0, 100.0)),
                       isolation_db=chance.choice((None, Value(55.0))), input=_socket(chance))  # fmt: skip


def sixty_parts() -> Station:
    """A large yard of some sixty parts, over as few routes as the dice allow, for the bench."""
    able = (random_yard(seed, routes) for routes in range(24, 60) for seed in range(7, 27))
    station = next((one for one in able if 58 <= len(one.parts) <= 62), None)
    assert station is not None, "the dice throw no yard of this size any more: widen the search"
    return msgspec.structs.replace(station, dial_hz=10e6)
