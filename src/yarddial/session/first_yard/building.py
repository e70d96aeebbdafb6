"""The yard that answers describe: parts, one route for each antenna, known stations, and the dial."""

import re

import msgspec

from yarddial.session.first_yard.answers import BoxAnswers
from yarddial.session.first_yard.questions import WISHES, from_shelf
from yarddial.yard import editing
from yarddial.yard.countries import country_named
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_frequency, parse_frequency
from yarddial.yard.parts import Antenna, Converter, Feed, Lnb, Need, Part, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.parts.supply import USB_MA, USB_V, WALL_MA
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station, usual_references

# An unmeasured plain crystal keeps within 50 ppm, taken as two sigma.
PLAIN_CRYSTAL = Value(0.0, 25.0, "assumed", note="plain crystal, within 50 ppm")
# The transceiver of a shack ends its own reception near here; antennas above it do not run through its tap.
HF_HZ = 54e6
# A converter's two leaflet values agree within this share of its oscillator: labels are rounded.
AGREE_SHARE = 1e-4


def plain_receiver(name: str) -> Receiver:
    """Receiver of which only the name is known; its driver or the person describes it."""
    return Receiver(name, 0.0, 6e9, 28.8e6, PLAIN_CRYSTAL, 0.0, (2.048e6,), 2.048e6, 8)


def built(station: Station, answers: BoxAnswers) -> Station:
    """Add what the answers describe to a station, which is empty for a yard of its own.

    Raises
    ------
    BadFrequency
        A frequency of the leaflet is unreadable.
    BadStation
        The leaflet's values cannot be.
    """
    if answers.region is not None:
        station = station.in_region(answers.region)
    if country := country_named(answers.country):
        station = station.in_country(country)
    station = _with_line(station, answers)
    if answers.transmitting == "beside":
        station = _with_own_antenna(station, answers)
    if answers.with_usual:
        known = {(reference.name, reference.frequency_hz) for reference in station.references}
        more = tuple(r for r in usual_references() if (r.name, r.frequency_hz) not in known)
        station = msgspec.structs.replace(station, references=(*station.references, *more))
    return _with_wish(station, answers)


def transmit_w(answers: BoxAnswers) -> float:
    """Power of the transceiver, watts; raises BadStation for a text that is no power."""
    written = re.fullmatch(r"\s*(\d{1,7}(?:[.,]\d+)?)\s*(k?W)?\s*", answers.transmit_power, re.IGNORECASE)
    if written is None:
        raise BadStation(f"'{answers.transmit_power}' is no power: write the most that it sends, such as 100 W")
    kilo = (written[2] or "").lower() == "kw"
    return float(written[1].replace(",", ".")) * (1000.0 if kilo else 1.0)


def leaflet_los_hz(answers: BoxAnswers) -> tuple[float, ...]:
    """Oscillators that the leaflet gives, the stated ones first; more than one where it contradicts itself.

    Raises BadFrequency, or BadStation for a pair that is half given and for an oscillator that cannot be.
    """
    converter, leaflet = from_shelf(answers.converter), answers.leaflet
    if not isinstance(converter, Converter):
        return ()
    stated = [parse_frequency(text) for text in re.split(r"\bor\b|/|;", leaflet.lo) if text.strip()]
    if bool(leaflet.heard.strip()) != bool(leaflet.comes_out.strip()):
        raise BadStation("the leaflet's pair is half given: write both what is heard and where it comes out")
    if leaflet.heard.strip():
        heard_hz, out_hz = parse_frequency(leaflet.heard), parse_frequency(leaflet.comes_out)
        # Oscillator of an up-converter f + L, a down-converter f - L, an inverting one L - f.
        stated.append({"sum": out_hz - heard_hz, "low": heard_hz - out_hz, "high": heard_hz + out_hz}[converter.kind])
    los_hz: list[float] = []
    for hertz in stated:
        if not hertz > 0:
            raise BadStation(f"an oscillator at {format_frequency(hertz)} cannot be: check the leaflet's values")
        if all(abs(hertz - other_hz) > AGREE_SHARE * other_hz for other_hz in los_hz):
            los_hz.append(hertz)
    return tuple(los_hz)


def _with_line(station: Station, answers: BoxAnswers) -> Station:
    """All receiving routes: they share every part but the antennas, because the person has each once."""
    receiver = answers.receiver
    shared: dict[str, str] = {}
    has_parts = bool(answers.antennas or answers.converter or answers.between or receiver)
    for number, antenna in enumerate([_antenna(name) for name in answers.antennas] or ([None] if has_parts else [])):
        # The first route of a yard may be there already, empty.
        is_free = bool(station.routes) and not station.route_named(station.route).parts
        if not is_free:
            station = editing.new_route(station)
        for part in _chain(antenna, receiver, answers):
            if part.name in shared:
                station = editing.place(station, shared[part.name], station.route)
            else:
                station = editing.put_in(station, part, station.route)
                shared[part.name] = station.parts[-1].name
        if receiver is not None:
            station = _with_port(station, antenna, receiver, answers, number)
    return station


def _chain(antenna: Antenna | None, receiver: Receiver | None, answers: BoxAnswers) -> tuple[Part, ...]:
    """Parts of one antenna's route in order; parts that only block its whole range are left out."""
    chain: list[Part] = [] if antenna is None else [_fed(antenna, answers)]
    if antenna is not None:
        chain += _injector(antenna, answers)
    if answers.transmitting in ("if", "antenna") and (antenna is None or antenna.low_hz < HF_HZ):
        chain.append(_transceiver(answers))
    for name in answers.between:
        part = from_shelf(name)
        if isinstance(part, TwoPort) and _passes(part, antenna):
            chain += [_fed(part, answers), *_injector(part, answers)]
    converter = from_shelf(answers.converter)
    if isinstance(converter, Converter | Lnb) and _is_converted(converter, antenna):
        chain += [_fed(_as_on_leaflet(converter, answers), answers), *_injector(converter, answers)]
    if len(answers.antennas) > 1 and answers.joining == "switch":
        chain.append(_from_shelf("Antenna switch"))
    return (*chain, receiver) if receiver is not None else tuple(chain)


def _passes(part: TwoPort, antenna: Antenna | None) -> bool:
    if antenna is None:
        return True
    if part.what == "transformer":
        # A 9:1 transformer belongs to a wire, a balun to a dipole.
        return antenna.kind == ("wire" if part.name.startswith("Unun") else "dipole")
    if part.what == "filter" and part.shape == "notch":
        return True
    return part.low_hz < antenna.high_hz and antenna.low_hz < part.high_hz


def _is_converted(converter: Converter | Lnb, antenna: Antenna | None) -> bool:
    """True where most of what the antenna hears goes into the converter."""
    if antenna is None:
        return True
    if isinstance(converter, Lnb):
        return any(b.input_low_hz < antenna.high_hz and antenna.low_hz < b.input_high_hz for b in converter.bands)
    common_hz = min(converter.input_high_hz, antenna.high_hz) - max(converter.input_low_hz, antenna.low_hz)
    return common_hz > 0.5 * min(antenna.high_hz - antenna.low_hz, converter.input_high_hz - converter.input_low_hz)


def _as_on_leaflet(part: Converter | Lnb, answers: BoxAnswers) -> Converter | Lnb:
    """The converter with the leaflet's first oscillator; a second one is noted, for a measurement to decide."""
    los_hz = leaflet_los_hz(answers)
    if not isinstance(part, Converter) or not los_hz or los_hz == (part.nominal_lo_hz,):
        return part
    note = " or ".join(format_frequency(hertz) for hertz in los_hz)
    value = Value(los_hz[0], part.lo_hz.sigma * los_hz[0] / part.nominal_lo_hz, "stated", note=f"its leaflet: {note}")
    return msgspec.structs.replace(part, lo_hz=value, entered_lo_hz=los_hz[0])


def _fed(part: Antenna | TwoPort | Converter | Lnb, answers: BoxAnswers) -> Part:
    """The part with its supply lead on what the person named; parts fed through the line stay as they are."""
    need = getattr(part, "need", None)
    if not isinstance(need, Need) or need.by != "lead":
        return part
    middle_v = round((need.low_v + need.high_v) / 2, 1)
    if "wall plug" in answers.feeders:
        lead = Feed(middle_v, WALL_MA, on=True, source="wall plug")
    elif "USB" in answers.feeders:
        lead = Feed(USB_V, USB_MA, on=True, source="USB")
    else:
        return part
    return msgspec.structs.replace(part, need=msgspec.structs.replace(need, lead=lead))


def _injector(part: Part, answers: BoxAnswers) -> list[Part]:
    """Injector behind a part that is fed through its line, of the voltage that it needs; it stays off."""
    need = getattr(part, "need", None)
    if not isinstance(need, Need) or need.by != "line" or "injector" not in answers.feeders:
        return []
    fitting = [
        other for other in shelf()
        if isinstance(other, TwoPort) and other.what == "injector" and other.feed is not None
        and need.low_v <= other.feed.volts <= need.high_v
        and (isinstance(part, Lnb) == other.name.startswith("LNB"))
    ]  # fmt: skip
    return [fitting[0]] if fitting else []


def _transceiver(answers: BoxAnswers) -> Transceiver:
    part = _from_shelf("HF transceiver")
    assert isinstance(part, Transceiver)
    tap = "if" if answers.transmitting == "if" else "antenna"
    return msgspec.structs.replace(part, tap=tap, transmit_w=transmit_w(answers), note="")


def _with_own_antenna(station: Station, answers: BoxAnswers) -> Station:
    """A transceiver on a dipole of its own: a route that ends in it, so that Bench counts its power."""
    back = station.route
    antenna = _antenna("Half-wave dipole")
    station = editing.new_route(station)
    name = station.route
    for part in (msgspec.structs.replace(antenna, name="Transmitting antenna"), _transceiver(answers)):
        station = editing.put_in(station, part, name)
    return msgspec.structs.replace(station, route=back or name)


def _with_port(
    station: Station, antenna: Antenna | None, receiver: Receiver, answers: BoxAnswers, number: int
) -> Station:
    """The route on the receiver's socket: its direct input below the tuner, else the first, or one for each antenna."""
    route = station.route_named(station.route)
    here = station.part(route.parts[-1])
    if not isinstance(here, Receiver):
        return station
    stated = dict(answers.sockets).get(antenna.name if antenna is not None else "", "")
    if stated in [port.name for port in here.ports]:
        return editing.choose_port(station, station.route, stated)
    direct = here.direct.port if here.direct is not None else ""
    tuned = [port.name for port in here.ports if port.name != direct]
    is_below = antenna is not None and antenna.high_hz <= here.tuner_low_hz * 1.2
    if not any(isinstance(station.part(name), Converter | Lnb) for name in route.parts) and is_below and direct:
        return editing.choose_port(station, station.route, direct)
    if not tuned:
        return station
    return editing.choose_port(
        station, station.route, tuned[min(number, len(tuned) - 1)] if answers.joining == "sockets" else tuned[0]
    )


def _with_wish(station: Station, answers: BoxAnswers) -> Station:
    """The dial at the first wish that a route reaches, and that route chosen."""
    for wish in answers.wishes:
        hertz = WISHES[wish][1]
        for route in station.resolved_routes():
            if not route.why_not(hertz):
                return msgspec.structs.replace(station, dial_hz=hertz, route=route.name)
    return station


def _antenna(name: str) -> Antenna:
    part = _from_shelf(name)
    if not isinstance(part, Antenna):
        raise BadStation(f"{name} is no antenna: choose another")
    return part


def _from_shelf(name: str) -> Part:
    part = from_shelf(name)
    if part is None:
        raise BadStation(f"there is no '{name}' on the shelf: choose another")
    return part
