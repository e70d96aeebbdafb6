"""Parts in the line that move no frequency: cables, attenuators, filters, amplifiers, splitters, switches."""

from bisect import bisect_left
from itertools import pairwise
from math import log10, sqrt
from typing import Literal

import msgspec

from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.spans import outside, span_text
from yarddial.yard.parts.supply import Feed, Need
from yarddial.yard.parts.values import Origins, Value

# Kinds of parts that help against strong signals.
FilterKind = Literal["low-pass", "high-pass", "notch", "attenuator"]
TwoPortKind = Literal[
    "cable", "attenuator", "filter", "preamplifier", "splitter", "switch", "injector", "adapter", "limiter",
    "transformer", "choke", "block", "arrester", "diplexer", "relay",
]  # fmt: skip
SHAPE_WORDS: tuple[TwoPortKind, ...] = (
    "cable",
    "attenuator",
    "filter",
    "preamplifier",
    "splitter",
    "switch",
    "injector",
    "adapter",
    "limiter",
    "transformer",
    "choke",
    "block",
    "arrester",
    "diplexer",
    "relay",
)
Shape = Literal["", "low-pass", "high-pass", "band-pass", "notch"]
# A filter passes where its gain is above this.
PASSES_DB = -3.0


class TwoPort(msgspec.Struct, frozen=True, omit_defaults=True, tag="two_port"):
    """Something in the line that moves no frequency.

    gain_db : negative for a loss; of a filter, in its pass band; of a cable, unused when `loss_db_100m` is known.
    low_hz, high_hz : what passes; for a notch, what is taken out.
    loss_db_100m : (hertz, dB lost per 100 m) of a cable of `length_m`, rising.
    response_db : (hertz, gain in dB) as measured, rising: from a Touchstone file.
    what : a transformer is a balun or unun; a choke or ferrite stops what runs on the screen; a block stops direct
    current; a relay takes the receiver off while one transmits.
    isolation_db : of a splitter, switch, diplexer or relay, between its ways.
    dc_short : a direct current finds a short in it, as in filters and arresters with a stub or coil to ground.
    feed : of an injector, what it puts onto the line towards the antenna; with `feeds_down` towards the receiver, as
    one that was put in the other way round does.
    """

    name: str
    what: TwoPortKind
    gain_db: Value
    low_hz: float = 0.0
    high_hz: float = 1e12
    note: str = ""
    shape: Shape = ""
    length_m: float = 0.0
    loss_db_100m: tuple[tuple[float, float], ...] = ()
    response_db: tuple[tuple[float, float], ...] = ()
    nf_db: Value | None = None
    iip3_dbm: Value | None = None
    isolation_db: Value | None = None
    largest_dbm: Value | None = None
    passes_dc: bool = False
    need: Need | None = None
    dc_short: bool = False
    feed: Feed | None = None
    feeds_down: bool = False
    input: Socket = Socket()
    output: Socket = Socket()
    origins: Origins = {}

    def why_not(self, in_hz: float) -> str:
        """Reason why it does not pass a frequency; empty when it does."""
        if self.response_db:
            return "" if self.gain_at_db(in_hz) >= self._best_db() + PASSES_DB else self._response_words()
        if self.shape == "notch":
            return f"{self.name} takes out {span_text(self.low_hz, self.high_hz)}" if self._inside(in_hz) else ""
        return outside(self.name, in_hz, self.low_hz, self.high_hz)

    def converter_at(self, in_hz: float) -> None:
        """None: it converts nothing."""
        return

    def edges_hz(self) -> tuple[float, ...]:
        """Frequencies at which it begins or ends to pass."""
        if not self.response_db:
            return (self.low_hz, self.high_hz)
        return self._response_edges()

    def gain_at_db(self, in_hz: float) -> float:
        """Gain at a frequency, dB; a cable's loss grows with the square root of frequency between known points."""
        if self.response_db:
            return _between(self.response_db, in_hz, log10(max(in_hz, 1.0)), log10)
        if self.loss_db_100m:
            return -_between(self.loss_db_100m, in_hz, sqrt(max(in_hz, 0.0)), sqrt) * self.length_m / 100
        return self.gain_db.value

    def _inside(self, in_hz: float) -> bool:
        return self.low_hz < in_hz < self.high_hz

    def _best_db(self) -> float:
        return max(db for _, db in self.response_db)

    def _response_words(self) -> str:
        edges = self._response_edges()
        if len(edges) == 2:
            return f"{self.name} passes {span_text(*edges)}"
        return f"{self.name} weakens it by more than {-PASSES_DB:g} dB"

    def _response_edges(self) -> tuple[float, ...]:
        """Frequencies where the measured response crosses the pass level (linear in dB), and its two ends."""
        level = self._best_db() + PASSES_DB
        points = self.response_db
        edges: list[float] = []
        if points[0][1] >= level:
            edges.append(0.0)
        for (f0, g0), (f1, g1) in pairwise(points):
            if (g0 >= level) != (g1 >= level):
                share = (level - g0) / (g1 - g0)
                low, high = log10(max(f0, 1.0)), log10(max(f1, 1.0))
                edges.append(10 ** (low + share * (high - low)))
        if points[-1][1] >= level:
            edges.append(1e12)
        return tuple(edges)


def _between(points: tuple[tuple[float, float], ...], in_hz: float, at: float, scale: object) -> float:
    """Interpolate on a scaled axis; the end values hold outside, except that a cable's loss keeps growing."""
    assert callable(scale)
    where = bisect_left(points, (in_hz,))
    if where == 0:
        first = points[0]
        return first[1] * at / scale(first[0]) if scale is sqrt and first[0] > 0 else first[1]
    if where == len(points):
        last = points[-1]
        return last[1] * at / scale(last[0]) if scale is sqrt and last[0] > 0 else last[1]
    (f0, v0), (f1, v1) = points[where - 1], points[where]
    low, high = float(scale(max(f0, 1.0))), float(scale(max(f1, 1.0)))
    return v0 + (v1 - v0) * (at - low) / (high - low) if high > low else v0
