"""Electrical behaviour of every kind of part: direct current and power ratings. A new kind must answer each
function.
"""

from typing import Literal, assert_never

from yarddial.yard.parts import Part
from yarddial.yard.parts.antenna import Antenna
from yarddial.yard.parts.converter import Converter, Lnb
from yarddial.yard.parts.isolator import Isolator
from yarddial.yard.parts.receiver import Receiver
from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.transceiver import Transceiver
from yarddial.yard.parts.two_port import TwoPort
from yarddial.yard.parts.values import Value

# Kinds of harm by a direct voltage: it reaches a transmitter, a short, resistors, or a limiter's diodes.
DcHazard = Literal["", "transmitter", "short", "resistors", "diodes"]
# Usual ratings of passive parts, dBm, at the lower end of data sheets: small pads, splitters, limiters 1 W; small
# relays and PIN switches 10 W; cables, transformers, chokes, adapters 100 W.
USUAL_RATINGS_DBM: dict[str, float] = {
    "attenuator": 30.0, "splitter": 30.0, "limiter": 30.0, "filter": 30.0, "injector": 30.0, "switch": 40.0,
    "cable": 50.0, "adapter": 50.0, "transformer": 50.0, "choke": 50.0, "arrester": 50.0, "relay": 50.0,
    "diplexer": 47.0, "block": 40.0,
}  # fmt: skip
# Maximum output of a limiter, dBm.
LIMITED_DBM = 10.0


def dc_hazard(part: Part) -> DcHazard:
    """Kind of harm that a direct voltage does at a part; empty for none."""
    match part:
        case Transceiver():
            return "transmitter"
        case Antenna():
            return "short" if part.dc_short else "resistors" if part.kind == "dummy load" else ""
        case TwoPort():
            # A transformer's winding is a short across the line, unless it is built to pass current.
            if part.dc_short or (part.what == "transformer" and not part.passes_dc):
                return "short"
            return "resistors" if part.what == "attenuator" else "diodes" if part.what == "limiter" else ""
        case Isolator():
            # The third port ends in a resistor, and the ferrite's strip is often grounded.
            return "short"
        case Converter() | Lnb() | Receiver():
            return ""
        case _:
            assert_never(part)


def passes_dc(part: Part) -> bool:
    """Return True where direct current passes to the next part."""
    match part:
        case TwoPort():
            # A conductor passes current unless stated otherwise; so do the series coils of an LC low-pass.
            is_wire = part.what in ("cable", "adapter", "choke") or (part.what == "filter" and part.shape == "low-pass")
            is_assumed = is_wire and not part.dc_short and "passes_dc" not in part.origins
            return part.what != "block" and (part.passes_dc or is_assumed)
        case Antenna() | Converter() | Isolator() | Lnb() | Transceiver() | Receiver():
            return False
        case _:
            assert_never(part)


def can_burn(part: Part) -> bool:
    """Return True for a part that too much power destroys."""
    match part:
        case Receiver() | Converter() | Lnb() | Transceiver():
            return True
        case TwoPort():
            return part.what == "preamplifier"
        case Isolator():
            # Reverse power ends in its load resistor, which takes about a watt.
            return True
        case Antenna():
            return False
        case _:
            assert_never(part)


def largest_input_dbm(part: Part, port: str) -> Value | None:
    """Stated maximum input level of a part; of a receiver, at a port."""
    match part:
        case Receiver():
            return part.port(port).largest_dbm
        case Converter() | Isolator() | Lnb() | Transceiver() | TwoPort() | Antenna():
            largest = getattr(part, "largest_dbm", None)
            return largest if isinstance(largest, Value) else None
        case _:
            assert_never(part)


def rating_dbm(part: Part, port: str) -> tuple[Value | None, bool]:
    """Rating of a part, and whether it is only the usual one for its kind; None where unknown."""
    stated = largest_input_dbm(part, port)
    if stated is not None or not isinstance(part, TwoPort) or part.what not in USUAL_RATINGS_DBM:
        return stated, False
    return Value(USUAL_RATINGS_DBM[part.what], 3.0, "stated"), True


def worst_db(isolation: Value) -> float:
    """Isolation or coupling loss to rely on: stated ones are worst cases, measured ones lack two sigma of it."""
    return isolation.value - (2 * isolation.sigma if isolation.provenance == "measured" else 0.0)


def weakened_dbm(part: Part, level_dbm: float) -> float:
    """Level after a part, counting only frequency-independent loss, so never a filter."""
    match part:
        case TwoPort() if part.what in ("attenuator", "splitter"):
            return level_dbm + part.gain_db.value
        case TwoPort() if part.what == "limiter":
            return min(level_dbm, LIMITED_DBM)
        case TwoPort() | Antenna() | Converter() | Isolator() | Lnb() | Transceiver() | Receiver():
            return level_dbm
        case _:
            assert_never(part)


def input_socket(part: Part, port: str) -> Socket:
    """Socket towards the antenna; for a receiver, of that port."""
    match part:
        case Receiver():
            return part.port(port).socket
        case Converter() | TwoPort() | Isolator() | Lnb() | Transceiver():
            return part.input
        case Antenna():
            return Socket()
        case _:
            assert_never(part)


def output_socket(part: Part) -> Socket:
    """Socket towards the receiver."""
    match part:
        case Antenna() | Converter() | TwoPort() | Isolator() | Lnb() | Transceiver():
            return part.output
        case Receiver():
            return Socket()
        case _:
            assert_never(part)
