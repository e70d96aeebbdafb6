"""A station: parts, routes, known references, and the dial's position."""

from collections import Counter
from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Literal, assert_never

import msgspec

from yarddial.yard.bands import DEEMPHASIS_US, Band, Region, bands_of
from yarddial.yard.countries import Country, country_named
from yarddial.yard.errors import BadStation
from yarddial.yard.external_noise import Atmospherics, Outside, Storms
from yarddial.yard.frequency import LIMIT_HZ, format_bound
from yarddial.yard.parts import (
    Antenna,
    Converter,
    Isolator,
    Lnb,
    Part,
    Receiver,
    Socket,
    Transceiver,
    TwoPort,
    converters_of,
)
from yarddial.yard.parts.spans import span_text
from yarddial.yard.parts.transceiver import Output
from yarddial.yard.plugs import Plugged, SocketSwitching
from yarddial.yard.references import STANDARD_BANDS_HZ, kind_named
from yarddial.yard.resolved_route import ResolvedRoute


class Reference(msgspec.Struct, frozen=True, omit_defaults=True):
    """A transmitter of known frequency: `sigma_hz` is its one-sigma uncertainty *as received*."""

    name: str
    frequency_hz: float
    sigma_hz: float
    kind: str
    mode: str = "am"
    note: str = ""


def usual_references() -> tuple[Reference, ...]:
    """Standard frequencies kept worldwide: kinds and frequencies, no station names."""
    kind = kind_named("standard frequency")
    if kind is None:
        return ()
    middles = [(low + high) / 2 for low, high in STANDARD_BANDS_HZ]
    return tuple(
        Reference(f"Standard frequency {hertz / 1e6:g} MHz", hertz, kind.sigma_hz(hertz), kind.name, kind.mode)
        for hertz in middles
        if kind.low_hz <= hertz <= kind.high_hz
    )


class Tap(msgspec.Struct, frozen=True):
    """Output of a transceiver that a route uses."""

    name: str
    output: Output


class Route(msgspec.Struct, frozen=True, omit_defaults=True):
    """Names of the parts from antenna to receiver, and the receiver's port.

    An unfinished route may lack its antenna or its receiver; it then reaches nothing.
    preferred : the person's first choice wherever it reaches.
    """

    name: str
    parts: tuple[str, ...]
    port: str = ""
    taps: tuple[Tap, ...] = ()
    preferred: bool = False


class Acknowledged(msgspec.Struct, frozen=True, omit_defaults=True):
    """A finding that the person has acknowledged: its key, its words then, and a note. New words raise it again."""

    key: str
    what: str
    note: str
    date: str = ""


class KeptGains(msgspec.Struct, frozen=True, omit_defaults=True):
    """Gains found right for a band over a route by measurement, and why."""

    band: str
    route: str
    gains_db: tuple[tuple[str, float], ...]
    reason: str
    date: str = ""


class Station(msgspec.Struct, frozen=True, omit_defaults=True):
    """The whole set-up, as kept in a station file.

    surroundings : town or country, whose noise the antennas bring: a name of `yard.external_noise`.
    atmospherics : which far thunderstorms count.
    kept_gains : the gains found right, one for each band and route.
    region : of the radio regulations. country : name in `countries`, empty where nobody said. own_bands : what the
    person listens to besides.
    switching : who switches the sockets that routes share, where stated. plugged : what those were last confirmed to be
    joined to; see `shared_sockets`.
    """

    name: str
    parts: tuple[Part, ...] = ()
    routes: tuple[Route, ...] = ()
    references: tuple[Reference, ...] = ()
    dial_hz: float = 10e6
    mode: str = "am"
    route: str = ""
    held: bool = False
    acknowledged: tuple[Acknowledged, ...] = ()
    surroundings: Literal["city", "residential", "rural", "quiet"] = "rural"
    atmospherics: Atmospherics = "now"
    kept_gains: tuple[KeptGains, ...] = ()
    region: Region = 1
    country: str = ""
    own_bands: tuple[Band, ...] = ()
    switching: tuple[SocketSwitching, ...] = ()
    plugged: tuple[Plugged, ...] = ()

    def in_country(self, country: Country) -> "Station":
        """Return a copy in a country and its region."""
        return msgspec.structs.replace(self, country=country.name, region=country.region)

    def in_region(self, region: Region) -> "Station":
        """Return a copy in a region; a country of another region is forgotten."""
        country = country_named(self.country)
        name = country.name if country is not None and country.region == region else ""
        return msgspec.structs.replace(self, region=region, country=name)

    @property
    def mains_hz(self) -> float:
        """Mains frequency at the station, hertz; 0 where the country is not known or uses both."""
        country = country_named(self.country) if self.country else None
        return country.mains_hz if country is not None else 0.0

    @property
    def deemphasis_us(self) -> float:
        """De-emphasis of FM broadcasting, microseconds: of the country, else of the region."""
        country = country_named(self.country) if self.country else None
        return country.deemphasis_us if country is not None else DEEMPHASIS_US[self.region]

    def outside(self, now: datetime) -> Outside:
        """Noise environment at a local time."""
        return Outside(self.surroundings, Storms.of(self.atmospherics, now))

    @property
    def bands(self) -> tuple[Band, ...]:
        """Bands of its region and the person's own, rising; an own band replaces one of the same name."""
        own = {band.name for band in self.own_bands}
        others = (band for band in bands_of(self.region) if band.name not in own)
        return tuple(sorted((*others, *self.own_bands), key=lambda band: (band.low_hz, band.high_hz)))

    def with_own_bands(self, bands: Sequence[Band]) -> "Station":
        """Return a copy with the person's bands added, replacing own ones of the same name."""
        names = {band.name for band in bands}
        shipped = (own for own in self.own_bands if own.name not in names)
        return msgspec.structs.replace(self, own_bands=(*shipped, *bands))

    def part(self, name: str) -> Part:
        """Find a part by its name; raises BadStation without one."""
        for part in self.parts:
            if part.name == name:
                return part
        raise BadStation(f"the yard has no part called '{name}': add it, or take it out of the routes")

    def with_part(self, part: Part) -> "Station":
        """Return the station with the part of that name replaced."""
        self.part(part.name)
        return msgspec.structs.replace(self, parts=tuple(part if p.name == part.name else p for p in self.parts))

    def route_named(self, name: str = "") -> Route:
        """Find a route by its name, the active one by default; raises BadStation without one."""
        wanted = name or self.route
        for route in self.routes:
            if route.name == wanted:
                return route
        raise BadStation(f"the yard has no route called '{wanted}': choose one of {_names(self.routes)}")

    def resolve(self, route_name: str = "") -> ResolvedRoute:
        """Resolve a route (the active one by default) into its parts."""
        return self._laid_out(self.route_named(route_name), {part.name: part for part in self.parts})

    def active_route(self) -> ResolvedRoute:
        """The active route, resolved; in a yard without routes one that reaches nothing."""
        if not self.routes:
            return ResolvedRoute.unfinished("", self.dial_hz, "the yard has no route yet")
        return self.resolve()

    def resolved_routes(self) -> tuple[ResolvedRoute, ...]:
        """Resolve all routes, unfinished ones too."""
        by_name = {part.name: part for part in self.parts}
        return tuple(self._laid_out(route, by_name) for route in self.routes)

    def unused(self) -> tuple[Part, ...]:
        """Parts that no route uses."""
        used = {name for route in self.routes for name in route.parts}
        return tuple(part for part in self.parts if part.name not in used)

    def _laid_out(self, route: Route, by_name: dict[str, Part]) -> ResolvedRoute:
        taps = {tap.name: tap.output for tap in route.taps}
        parts: list[Part] = []
        for name in route.parts:
            part = by_name.get(name) or self.part(name)
            if isinstance(part, Transceiver) and taps.get(name, part.tap) != part.tap:
                part = msgspec.structs.replace(part, tap=taps[name])
            parts.append(part)
        missing = missing_of(route, parts)
        if missing:
            return ResolvedRoute.unfinished(route.name, self.dial_hz, missing)
        return ResolvedRoute.of(route.name, parts, self.dial_hz, route.port)


def missing_of(route: Route, parts: Sequence[Part]) -> str:
    """What a route still lacks, as a sentence; empty when it is complete."""
    begins = bool(parts) and isinstance(parts[0], Antenna)
    ends = bool(parts) and isinstance(parts[-1], Receiver)
    if begins and ends:
        return ""
    if begins and len(parts) > 1 and isinstance(parts[-1], Transceiver):
        return f"route '{route.name}' ends in {parts[-1].name}: a transmitter's own line, which reaches no receiver"
    lacks = " and ".join(("an antenna",) * (not begins) + ("a receiver",) * (not ends))
    return f"route '{route.name}' still needs {lacks}"


def checked(station: Station) -> Station:
    """Return the station if it is consistent, else raise BadStation with the first fault."""
    _no_doubles("parts", [part.name for part in station.parts])
    _no_doubles("routes", [route.name for route in station.routes])
    if not 0 <= station.dial_hz <= LIMIT_HZ:
        raise BadStation(f"the dial stands at {station.dial_hz:.3g} Hz: it goes from 0 to {format_bound(LIMIT_HZ)}")
    for reference in station.references:
        if not (0 < reference.frequency_hz <= LIMIT_HZ and 0 <= reference.sigma_hz <= LIMIT_HZ):
            raise BadStation(f"reference '{reference.name}' lies at no frequency that a dial has: correct it")
    for part in station.parts:
        _check_part(part)
    for route in station.routes:
        _check_route(station, route)
    if station.routes:
        station.resolve()
    return station


def _no_doubles(what: str, names: list[str]) -> None:
    if any(not name.strip() for name in names):
        raise BadStation(f"one of the {what} has no name: give it one")
    doubled = sorted(name for name, count in Counter(names).items() if count > 1)
    if doubled:
        raise BadStation(f"two {what} are called '{doubled[0]}': give each its own name")


def _check_route(station: Station, route: Route) -> None:
    if len(set(route.parts)) < len(route.parts):
        raise BadStation(f"route '{route.name}' runs over a part twice: put in a copy of it")
    parts = [station.part(name) for name in route.parts]
    for i, part in enumerate(parts):
        if (isinstance(part, Antenna) and i > 0) or (isinstance(part, Receiver) and i < len(parts) - 1):
            raise BadStation(
                f"route '{route.name}' may hold no antenna or receiver in its middle ({part.name}): it begins with the "
                "one and ends with the other"
            )


def _check_part(part: Part) -> None:
    sockets = [getattr(part, name, None) for name in ("input", "output", "if_output", "antenna_output")]
    sockets += [port.socket for port in part.ports] if isinstance(part, Receiver) else []
    if not all(1 <= socket.ohms <= 10_000 for socket in sockets if isinstance(socket, Socket)):
        raise BadStation(f"{part.name}: a connector has between 1 and 10 000 Ω, as a rule 50 or 75")
    match part:
        case Receiver():
            pairs = [(part.tuner_low_hz, part.tuner_high_hz), *part.holes_hz]
            _check_receiver(part)
        case Antenna():
            pairs = [(part.low_hz, part.high_hz)]
        case Isolator():
            pairs = [(part.low_hz, part.high_hz)]
            if not (part.gain_db.value <= 0 <= part.isolation_db.value):
                raise BadStation(f"{part.name}: an isolator's gain is a loss, and its isolation is not below 0 dB")
        case TwoPort():
            pairs = [(part.low_hz, part.high_hz)]
            _check_tables(part)
        case Transceiver():
            pairs = [(part.low_hz, part.high_hz)]
            _check_transceiver(part)
        case Lnb() | Converter():
            if isinstance(part, Lnb) and not part.bands:
                raise BadStation(f"{part.name}: an LNB has at least one band")
            pairs = _checked_converters(part)
        case _:
            assert_never(part)
    for low_hz, high_hz in pairs:
        if not 0 <= low_hz < high_hz <= 1e13:
            raise BadStation(f"{part.name}: a range must rise, but {span_text(low_hz, high_hz)} does not")


def _check_transceiver(part: Transceiver) -> None:
    if not 0 <= part.transmit_w <= 1e6:
        raise BadStation(f"{part.name}: a transmitter has between 0 and a million watts")
    if not 0 < part.duty_share <= 1:
        raise BadStation(f"{part.name}: it transmits between 0 and 100 % of the time; 100 % where nobody counted")
    if part.tap == "if" and not part.if_hz > 0:
        raise BadStation(f"{part.name}: an IF output needs its intermediate frequency, above 0 Hz")


def _checked_converters(part: Lnb | Converter) -> list[tuple[float, float]]:
    """Check the ranges of all its converters, and that their oscillators are plausible."""
    oscillators = [f for c in converters_of(part) for f in (c.lo_hz.value, c.nominal_lo_hz, c.entered_lo_hz)]
    if not all(0 < hertz <= LIMIT_HZ for hertz in oscillators):
        raise BadStation(f"{part.name}: the oscillator must lie above 0 Hz and within {format_bound(LIMIT_HZ)}")
    if not all(0 <= c.lo_hz.sigma <= LIMIT_HZ for c in converters_of(part)):
        raise BadStation(f"{part.name}: the oscillator's uncertainty must not be negative")
    ranges = [(c.input_low_hz, c.input_high_hz) for c in converters_of(part)]
    return ranges + [(c.output_low_hz, c.output_high_hz) for c in converters_of(part)]


def _check_receiver(part: Receiver) -> None:
    if not abs(part.park_share) < 0.5:
        raise BadStation(f"{part.name}: the dial lies in the span only with the centre less than half the rate away")
    if not (part.rate_hz > 0 and part.crystal_hz > 0 and all(rate > 0 for rate in part.rates_hz)):
        raise BadStation(f"{part.name}: sample rate and crystal must lie above 0")
    if not (abs(part.entered_ppm) < 1e4 and abs(part.crystal_ppm.value) < 1e4 and 0 <= part.crystal_ppm.sigma < 1e5):
        raise BadStation(f"{part.name}: a crystal is never off by 10 000 ppm; check the sign and the unit")
    if part.direct is not None and not (part.direct.clock_hz > 0 and 0 <= part.direct.top_zone < 100):
        raise BadStation(f"{part.name}: the direct input needs a clock above 0 Hz and a zone from 0 up")
    if any(not stage.steps_db or list(stage.steps_db) != sorted(stage.steps_db) for stage in part.gain_stages):
        raise BadStation(f"{part.name}: the steps of a gain stage must be given, rising")
    for calibration in part.calibrations:
        numbers = [
            calibration.offset_db.value,
            calibration.offset_db.sigma,
            *(gain_db for _, gain_db in calibration.gains_db),
        ]
        if not all(abs(number) <= 500 for number in numbers) or calibration.offset_db.sigma < 0:
            raise BadStation(f"{part.name}: the level calibration of port {calibration.port or '1'} lies beyond 500 dB")
    _no_doubles(f"ports of {part.name}", [port.name for port in part.ports])


def _check_tables(part: TwoPort) -> None:
    for table in (part.loss_db_100m, part.response_db):
        places = [hertz for hertz, _ in table]
        if places != sorted(set(places)) or any(not 0 <= hertz <= 1e13 for hertz in places):
            raise BadStation(f"{part.name}: the points of its table must rise in frequency")


def _names(routes: Iterable[Route]) -> str:
    return ", ".join(f"'{route.name}'" for route in routes) or "none"
