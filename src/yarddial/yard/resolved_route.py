"""A route resolved into its parts, the frequency at each, and its reach."""

from collections.abc import Sequence
from math import sqrt
from typing import Literal

import msgspec

from yarddial.yard.antenna_gain import highest_hz
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_bound
from yarddial.yard.frequency_conversion import SamplingClock, Stage, dial_for_shown, path_sense, shown_for_dial
from yarddial.yard.parts import Antenna, Converter, Inner, Part, Receiver, Transceiver, Value
from yarddial.yard.parts.spans import span_text

ReachState = Literal["reached", "weak", "hole", "out"]


class Reach(msgspec.Struct, frozen=True):
    """Result of a route for one frequency: reached, weak outside the antenna's range, in a hole, or out of range.

    reason : why it is not simply reached; empty when it is. by : name of the part that refuses.
    """

    state: ReachState
    inverted: bool = False
    reason: str = ""
    by: str = ""

    @property
    def is_reached(self) -> bool:
        """Return True when signals may be heard there, even if weakly."""
        return self.state in ("reached", "weak")


class RoutePoint(msgspec.Struct, frozen=True):
    """A part of a route, its active oscillator, and the frequency after it."""

    part: Part
    converter: Converter | None
    out_hz: float


class ResolvedRoute(msgspec.Struct, frozen=True):
    """A route with its parts, resolved for one dial frequency: LNB band and transceiver follow the dial.

    missing : what an unfinished route lacks, as a sentence; such a line reaches nothing.
    rig_centre_hz : what its transceiver brings to the middle of its IF, as it says itself; None where nobody asks it:
        then it is taken to be tuned to the dial.
    """

    name: str
    antenna: Antenna
    inner: tuple[Inner, ...]
    receiver: Receiver
    dial_hz: float
    port: str = ""
    missing: str = ""
    rig_centre_hz: float | None = None

    @classmethod
    def of(cls, name: str, parts: Sequence[Part], dial_hz: float, port: str = "") -> "ResolvedRoute":
        """Resolve parts into a route; raises BadStation when they do not form one."""
        if len(parts) < 2 or not isinstance(parts[0], Antenna) or not isinstance(parts[-1], Receiver):
            raise BadStation(f"route '{name}' must begin with an antenna and end with a receiver")
        inner: list[Inner] = []
        for part in parts[1:-1]:
            if isinstance(part, Antenna | Receiver):
                raise BadStation(f"route '{name}' may hold no antenna or receiver in its middle: {part.name}")
            inner.append(part)
        return cls(name, parts[0], tuple(inner), parts[-1], dial_hz, port)

    @classmethod
    def unfinished(cls, name: str, dial_hz: float, missing: str) -> "ResolvedRoute":
        """A route that reaches nothing, with what it lacks."""
        return cls(name, _NO_ANTENNA, (), _NO_RECEIVER, dial_hz, "", missing)

    def at(self, dial_hz: float) -> "ResolvedRoute":
        """The same route at another dial frequency."""
        return msgspec.structs.replace(self, dial_hz=dial_hz)

    @property
    def parts(self) -> tuple[Part, ...]:
        """All parts of the route, antenna first."""
        return (self.antenna, *self.inner, self.receiver)

    def points(self) -> tuple[RoutePoint, ...]:
        """Each part with its oscillator at this frequency, and the frequency after it as entered."""
        here_hz = self.dial_hz
        route_points = [RoutePoint(self.antenna, None, here_hz)]
        for part in self.inner:
            converter = part.converter_at(self._centre_hz(part, here_hz))
            if converter is not None:
                here_hz = Stage(converter.kind, converter.entered_lo_hz).convert(here_hz)
            route_points.append(RoutePoint(part, converter, here_hz))
        return (*route_points, RoutePoint(self.receiver, None, here_hz))

    @property
    def converters(self) -> tuple[Converter, ...]:
        """Active converters at this frequency, antenna first."""
        return tuple(route_point.converter for route_point in self.points() if route_point.converter is not None)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Conversions of the converters, with errors as far as known."""
        return tuple(converter.stage() for converter in self.converters)

    @property
    def clock(self) -> SamplingClock:
        """The receiver's crystal: its error as far as known, and the correction entered."""
        return SamplingClock(self.receiver.crystal_ppm.value, self.receiver.entered_ppm)

    def _centre_hz(self, part: Inner, here_hz: float) -> float:
        """Frequency at the middle of a transceiver's IF; for other parts, the frequency given."""
        return self.rig_centre_hz if isinstance(part, Transceiver) and self.rig_centre_hz is not None else here_hz

    def display_hz(self, dial_hz: float) -> float:
        """Display of the transceiver on the route for a dial frequency, including the converters before it."""
        return shown_for_dial(dial_hz, self._stages_before_rig(dial_hz))

    def dial_of_display(self, display_hz: float) -> float:
        """Dial frequency that belongs to a display of the transceiver."""
        return dial_for_shown(display_hz, self._stages_before_rig(self.dial_hz))

    def _stages_before_rig(self, dial_hz: float) -> tuple[Stage, ...]:
        rig = self.transceiver
        before = self.inner[: self.inner.index(rig)] if rig is not None else ()
        converters = (part.converter_at(dial_hz) for part in before)
        return tuple(
            Stage(converter.kind, converter.entered_lo_hz) for converter in converters if converter is not None
        )

    @property
    def transceiver(self) -> Transceiver | None:
        """The transceiver on the route, if there is one."""
        return next((part for part in self.inner if isinstance(part, Transceiver)), None)

    def fold(self, port_hz: float) -> Stage | None:
        """Folding by direct sampling beyond the first zone, as a stage; None in the first zone.

        Even zones show f - kC, odd ones kC - f. C is the clock as the program believes it, so scaled by the correction
        entered.
        """
        receiver = self.receiver
        if receiver.direct is None or not receiver.samples_directly(self.port):
            return None
        zone = receiver.direct.zone(port_hz)
        if zone == 0:
            return None
        clock_hz = receiver.direct.clock_hz * (1 + receiver.entered_ppm * 1e-6)
        return Stage("high" if zone % 2 else "low", (zone + 1) // 2 * clock_hz, 0.0, "sampling")

    def counted_stages(self, dial_hz: float) -> tuple[Stage, ...]:
        """Conversions between dial and receiver, including the folding of direct sampling."""
        stages = self.at(dial_hz).stages
        fold = self.fold(shown_for_dial(dial_hz, stages))
        return stages if fold is None else (*stages, fold)

    def counted_hz(self, dial_hz: float) -> float:
        """Frequency at which the receiver counts a dial frequency, before the program's correction."""
        return shown_for_dial(dial_hz, self.counted_stages(dial_hz)) / (1 + self.receiver.entered_ppm * 1e-6)

    def dial_of(self, counted_hz: float, dial_hz: float) -> float:
        """Dial frequency of a receiver frequency, for a dial nearby."""
        sense = path_sense(self.counted_stages(dial_hz))
        away_hz = (counted_hz - self.counted_hz(dial_hz)) * (1 + self.receiver.entered_ppm * 1e-6)
        return dial_hz + sense * away_hz

    def parked_hz(self, tuner_hz: float, park_hz: float) -> float:
        """Centre for a tuner frequency: below the signal, off the spike; above it at the lower end of the range.

        A receiver that is tuned by hand keeps its centre.
        """
        if self.receiver.fixed_centre_hz and not self.receiver.samples_directly(self.port):
            return self.receiver.fixed_centre_hz
        below_hz = tuner_hz - park_hz
        outside = below_hz < 0 or (not self.receiver.samples_directly(self.port) and self.receiver.why_not(below_hz))
        return tuner_hz + park_hz if outside else below_hz

    def reach(self, dial_hz: float) -> Reach:
        """Determine the reach at a dial frequency."""
        if self.missing:
            return Reach("out", False, self.missing)
        antenna = self.antenna
        if dial_hz > highest_hz(antenna):
            serves = f"{antenna.name} serves {span_text(antenna.low_hz, antenna.high_hz)}"
            return Reach("out", False, serves, antenna.name)
        here_hz, sense = dial_hz, 1
        for part in self.inner:
            reason = part.why_not(here_hz)
            if reason:
                return Reach("out", False, reason, part.name)
            converter = part.converter_at(self._centre_hz(part, here_hz))
            if converter is not None:
                stage = Stage(converter.kind, converter.entered_lo_hz)
                here_hz, sense = stage.convert(here_hz), sense * stage.sense
        reason = self.receiver.why_not(here_hz, self.port)
        if reason:
            state: ReachState = "hole" if self.receiver.hole_at(here_hz) == reason else "out"
            return Reach(state, False, reason, self.receiver.name)
        direct = self.receiver.direct
        if direct is not None and self.receiver.samples_directly(self.port) and direct.at_border(here_hz):
            border = f"{format_bound(here_hz)} is where two sampling zones of {self.receiver.name} meet and overlap"
            return Reach("hole", False, border, self.receiver.name)
        fold = self.fold(here_hz)
        inverted = sense * (fold.sense if fold is not None else 1) < 0
        if dial_hz < antenna.low_hz:
            return Reach("weak", inverted, f"under {antenna.name}'s range, from {format_bound(antenna.low_hz)}: weak")
        if dial_hz > antenna.high_hz:
            return Reach("weak", inverted, f"above {antenna.name}'s range, to {format_bound(antenna.high_hz)}: weak")
        return Reach("reached", inverted)

    def why_not(self, dial_hz: float) -> str:
        """Reason why this route cannot serve a dial frequency; empty when it can."""
        reach = self.reach(dial_hz)
        return "" if reach.is_reached else reach.reason

    def sigma_hz(self, dial_hz: float) -> float:
        """One-sigma uncertainty of the dial from the parts' own values, taken as independent."""
        line = self.at(dial_hz)
        route_points = line.points()
        variance = (line.receiver.crystal_ppm.sigma * 1e-6 * route_points[-1].out_hz) ** 2
        variance += sum(
            route_point.converter.lo_hz.sigma**2 for route_point in route_points if route_point.converter is not None
        )
        return sqrt(variance)


_NO_ANTENNA = Antenna("no antenna", 0.0, 1e12)
_NO_RECEIVER = Receiver("no receiver", 0.0, 1e12, 1e6, Value(0.0, 1e3, "assumed"), 0.0, (1e6,), 1e6, 8)
