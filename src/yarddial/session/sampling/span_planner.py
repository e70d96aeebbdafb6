"""Span planning: rate and centre for the band around the dial, on the active route."""

import msgspec

from yarddial.analysis.span.cover import Channel, Cover, CoverRequest, best_covers, step_plan, unwanted_at
from yarddial.analysis.span.rates import RateFigures, rate_figures, recommended
from yarddial.session.activity import Declaration
from yarddial.session.station.desk import Desk
from yarddial.yard.bands import Band
from yarddial.yard.errors import BadPath
from yarddial.yard.frequency_conversion import path_sense, shown_for_dial
from yarddial.yard.modes import mode_named
from yarddial.yard.parts.usual import effective_bits_of
from yarddial.yard.resolved_route import ResolvedRoute

# Half width to cover when no band contains the dial.
AROUND_HZ = 250e3
# Length of the transform behind a picture.
FFT_POINTS = 4096


class Mapped(msgspec.Struct, frozen=True):
    """A cover in dial frequencies: dial = sense * (counted (1 + entered) - offset).

    entered_ppm : correction by which a program scales the receiver's count.
    """

    sense: int
    offset_hz: float
    entered_ppm: float = 0.0

    def dial_hz(self, counted_hz: float) -> float:
        """Dial frequency for a receiver frequency."""
        return self.sense * (counted_hz * (1 + self.entered_ppm * 1e-6) - self.offset_hz)

    def counted_hz(self, dial_hz: float) -> float:
        """Receiver frequency of a dial frequency."""
        return (self.sense * dial_hz + self.offset_hz) / (1 + self.entered_ppm * 1e-6)


class SpanAnswer(msgspec.Struct, frozen=True):
    """Best ways to cover a band, or steps when none covers it at once, and the figures of every rate."""

    band: Band
    request: CoverRequest
    covers: tuple[Cover, ...]
    steps: tuple[float, ...]
    step_rate_hz: float
    rates: tuple[RateFigures, ...]
    mapped: Mapped
    trouble: str = ""

    def unwanted(self) -> list[tuple[float, str]]:
        """Everything unwanted around the best way, at the receiver's frequencies."""
        if not self.covers:
            return []
        return unwanted_at(self.request, self.covers[0].rate_hz, self.covers[0].centre_hz)


class SpanPlanner:
    """Computes the answer on request and caches it."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._known: tuple[object, object] = (None, None)
        self._answer: SpanAnswer | None = None

    def bands(self) -> tuple[Band, ...]:
        """Bands around the dial, the narrowest first, and the dial's neighbourhood."""
        dial_hz = self._desk.station.dial_hz
        around = Band("around the dial", max(dial_hz - AROUND_HZ, 1.0), dial_hz + AROUND_HZ, "")
        inside = [band for band in self._desk.station.bands if band.low_hz <= dial_hz <= band.high_hz]
        inside.sort(key=lambda band: band.high_hz - band.low_hz)
        return (*inside, around)

    def answer(self, band: Band) -> SpanAnswer | None:
        """Answer for a band; None while the active route does not reach the dial."""
        station, route = self._desk.station, self._desk.route
        if route.why_not(station.dial_hz):
            return None
        if self._answer is None or self._known[0] is not station or self._known[1] is not band:
            self._known, self._answer = (station, band), self._work_out(route.at(station.dial_hz), band)
        return self._answer

    def use_rate(self, rate_hz: float) -> None:
        """Set the receiver's rate."""
        station = self._desk.station
        receiver = msgspec.structs.replace(self._desk.route.receiver, rate_hz=rate_hz)
        self._desk.edit("sample rate", station.with_part(receiver))

    def _work_out(self, route: ResolvedRoute, band: Band) -> SpanAnswer:
        station, receiver = self._desk.station, route.receiver
        # Use the folding at the dial for its whole neighbourhood.
        stages = route.counted_stages(station.dial_hz)
        mapped = Mapped(path_sense(stages), shown_for_dial(0.0, stages), receiver.entered_ppm)
        ends = sorted(mapped.counted_hz(hertz) for hertz in (band.low_hz, band.high_hz))
        half_hz = mode_named(station.mode).half_channel_hz
        channels = [Channel("the dial", mapped.counted_hz(station.dial_hz), half_hz)]
        strong: list[tuple[float, str]] = []
        for known in station.references:
            counted_hz = mapped.counted_hz(known.frequency_hz)
            if band.low_hz <= known.frequency_hz <= band.high_hz and known.frequency_hz != station.dial_hz:
                channels.append(Channel(known.name, counted_hz, mode_named(known.mode).half_channel_hz))
            strong.append((counted_hz, known.name))
        figures = rate_figures(
            receiver.rates_hz,
            receiver.bits,
            mode_named(station.mode).bandwidth_hz,
            FFT_POINTS,
            dict(receiver.lost_shares),
            effective_bits=effective_bits_of(receiver).value,
            stream_bits=receiver.stream_bits,
        )
        clean = tuple(figure.rate_hz for figure in figures if figure.is_clean)
        request = CoverRequest(
            ends[0], ends[1], tuple(channels), clean, _ranges(route), tuple(strong), receiver.crystal_hz,
            max(receiver.tuner_step_hz, 1_000.0), receiver.samples_directly(route.port),
        )  # fmt: skip
        try:
            return SpanAnswer(band, request, best_covers(request), (), 0.0, figures, mapped)
        except BadPath as error:
            highest = recommended(figures)[0]
            rate_hz = highest.rate_hz if highest is not None else max(receiver.rates_hz)
            steps = step_plan(ends[0], ends[1], rate_hz)
            return SpanAnswer(band, request, (), steps, rate_hz, figures, mapped, str(error))


def _ranges(route: ResolvedRoute) -> tuple[tuple[float, float], ...]:
    """Tuning ranges of a route's receiver, without its holes, or the first zone."""
    receiver = route.receiver
    if receiver.direct is not None and receiver.samples_directly(route.port):
        return ((0.0, receiver.direct.clock_hz / 2),)
    holes = [edge for hole in sorted(receiver.holes_hz) for edge in hole]
    ends = [receiver.tuner_low_hz, *holes, receiver.tuner_high_hz]
    return tuple((low, high) for low, high in zip(ends[::2], ends[1::2], strict=True) if low < high)


DECLARATION = Declaration(make=lambda of: SpanPlanner(of.desk))
