"""Check of direct current: every part gets what it needs, and no feed reaches a part that it harms.

Sources: EN 61319-1 (13 and 18 V, 22 kHz, one polarisation and band at a time), USB 2.0, 7.2.1 (5 V, 500 mA), makers'
data sheets for what a part takes; Ohm's law for cables.
"""

from collections.abc import Iterator, Sequence
from functools import partial

import msgspec

from yarddial.analysis.audit.dc_graph import DcGraph, DcReached
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.frequency import format_bound
from yarddial.yard.parts import Converter, Feed, Lnb, Need, Part, Receiver, TwoPort
from yarddial.yard.parts.converter import LOWER_VOLTAGE, OTHER_POLARISATION
from yarddial.yard.parts.electrical import DcHazard, dc_hazard, passes_dc
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

_Key = tuple[str, str]
# Loop resistance of thin satellite cable with a copper-clad steel core, ohms per metre (data sheets: 0.07 to 0.12).
OHMS_PER_M = 0.1


class _Source(msgspec.Struct, frozen=True):
    """A feed in a route, its position, and the part and port that own it."""

    index: int
    owner: str
    spoken: str
    feed: Feed
    port: str = ""
    down: bool = False


def supply(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check supply leads, then the feeds of every route, then the parts that each feed's current reaches."""
    for part in station.parts:
        need = getattr(part, "need", None)
        if isinstance(need, Need) and need.by == "lead":
            yield from _lead(part, need)
    graph = DcGraph(routes)
    sources = {(source.owner, source.port): source for route in routes for source in _sources(route)}
    reached = {key: graph.follow(*key, down=source.down) for key, source in sources.items()}
    for route in routes:
        yield from _line(route, sources, reached)
    for key, source in sources.items():
        yield from _source(source, reached[key])
    yield from _shared_lnbs(sources, reached)


def _shared_lnbs(sources: dict[_Key, _Source], reached: dict[_Key, tuple[DcReached, ...]]) -> Iterator[BenchFinding]:
    """Check LNBs that several feeds reach: one output has one polarisation and one band at a time (EN 61319-1)."""
    feeding: dict[str, list[_Source]] = {}
    for key, source in sources.items():
        for reached_part in reached[key]:
            if source.feed.on and isinstance(reached_part.part, Lnb) and not reached_part.downwards:
                feeding.setdefault(reached_part.part.name, []).append(source)
    for name, feeds in feeding.items():
        if len({(source.feed.volts, bool(source.feed.tone_khz)) for source in feeds}) > 1:
            words = " and ".join(
                f"{source.spoken} {source.feed.volts:g} V{' with the tone' if source.feed.tone_khz else ''}"
                for source in feeds
            )
            yield BenchFinding(
                f"lnb:{name}", "stop", f"{name} gets {words}: it has one polarisation and one band at a time",
                "the highest voltage decides for all; switch all feeds off but one, or give each receiver an output",
                name,
            )  # fmt: skip


def _lead(part: Part, need: Need) -> Iterator[BenchFinding]:
    key = f"supply:{part.name}"
    if need.lead is None:
        what = f"{part.name} needs {need.text}; nobody said yet what feeds it"
        yield BenchFinding(key, "unknown", what, "too much burns it, too little makes it drift", part.name)
        return
    yield from _fits(key, part.name, need, need.lead, "its lead", need.current_ma)
    if not need.lead.on:
        yield BenchFinding(f"{key}:off", "look", f"{part.name} is switched off", "nothing passes it", part.name)


def _line(
    route: ResolvedRoute, sources: dict[_Key, _Source], reached: dict[_Key, tuple[DcReached, ...]]
) -> Iterator[BenchFinding]:
    """Check each part that is fed through its line, by this route or by another that shares the line."""
    parts, own = route.parts, _sources(route)
    for index, part in enumerate(parts[:-1]):
        need = getattr(part, "need", None)
        if not isinstance(need, Need) or need.by != "line":
            continue
        key = f"supply:{part.name}:{route.receiver.name}:{route.port}"
        feeding = [
            sources[where]
            for where, reached_parts in reached.items()
            if any(feeder.part.name == part.name and not feeder.downwards for feeder in reached_parts)
        ]
        if not feeding:
            source = next((source for source in own if source.index > index), None)
            if source is None:
                what = f"{part.name} needs {need.text} through its line; nothing on {route.name} feeds it"
                yield BenchFinding(key, "stop", what, "it gives no signal without", part.name)
                continue
            if source.down:
                what = f"{source.spoken} is the other way round: its voltage goes to the receiver, not to {part.name}"
                yield BenchFinding(key, "stop", what, f"{part.name} needs {need.text}: turn it round", source.owner)
                continue
            block = next(p for p in parts[index + 1 : source.index] if not passes_dc(p) or dc_hazard(p))
            what = f"{part.name} needs {need.text}, but {block.name} between it and {source.spoken} passes no current"
            yield BenchFinding(key, "stop", what, "put the feed before it, or a part that passes current", block.name)
            continue
        here = {(source.owner, source.port) for source in own}
        # Prefer a feed that is on, then one on this route.
        source = min(feeding, key=lambda feeder: (not feeder.feed.on, (feeder.owner, feeder.port) not in here))
        volts = source.feed.volts - drop_v(_between(route, index, source), need.current_ma)
        if isinstance(part, Lnb) and (other := _other_polarisation(part, volts)):
            wanted_v = part.vertical_v if part.polarisation in LOWER_VOLTAGE else part.horizontal_v
            receives = f"{part.name} receives {other}, {part.polarisation} is wanted"
            what = f"{source.spoken} gives {_volts(source, volts)}: {receives}"
            why = f"it works, on the other polarisation; set the feed to {wanted_v:g} V, or the polarisation to {other}"
            yield BenchFinding(f"{key}:volts", "stop", what, why, part.name)
        elif volts < need.low_v <= source.feed.volts:
            what = f"{part.name} needs {need.text}, and {volts:.1f} V of {source.feed.volts:g} V reach it"
            why = "the cable loses the rest: a thicker or shorter one, or a feed nearer to it"
            yield BenchFinding(f"{key}:volts", "stop", what, why, part.name)
        else:
            yield from _fits(key, part.name, need, source.feed, source.spoken, need.current_ma)
        yield from _tone(key, part, route.dial_hz, source)
        if not any(feeder.feed.on for feeder in feeding) and need.low_v <= source.feed.volts <= need.high_v:
            yield BenchFinding(
                f"{key}:off", "look", f"{part.name} is not fed: {source.spoken} is off", "it gives no signal without",
                source.owner, mend_label="Switch it on", mend=partial(_switched, source=source, on=True),
            )  # fmt: skip


def drop_v(cables: Sequence[Part], current_ma: float) -> float:
    """Voltage lost in cables: current times loop resistance, conductor and screen, by length and kind of cable.

    Without a stated resistance the usual one of thin cable with a steel core counts, the worst that is common.
    """
    metres = sum(part.length_m for part in cables if isinstance(part, TwoPort) and part.what == "cable")
    return current_ma * 1e-3 * OHMS_PER_M * metres


def _between(route: ResolvedRoute, index: int, source: _Source) -> tuple[Part, ...]:
    """Parts between a fed part and the feed, or the end of the route where the feed is on another one."""
    own = any((own.owner, own.port) == (source.owner, source.port) for own in _sources(route))
    return route.parts[index + 1 : source.index if own else len(route.parts)]


def _volts(source: _Source, volts: float) -> str:
    given = f"{source.feed.volts:g} V"
    return given if source.feed.volts - volts < 0.1 else f"{given}, {volts:.1f} V at its end"


def _other_polarisation(part: Lnb, volts: float) -> str:
    """Return the polarisation that a voltage selects if it is not the wanted one; empty otherwise."""
    other = OTHER_POLARISATION[part.polarisation]
    low_v, high_v = part.window_v(other)
    return other if low_v <= volts <= high_v else ""


def _tone(key: str, part: Part, dial_hz: float, source: _Source) -> Iterator[BenchFinding]:
    """Check the tone that selects an LNB's band."""
    if not isinstance(part, Lnb) or len(part.bands) < 2 or part.why_not(dial_hz):
        return
    wanted_khz = part.band_at(dial_hz).tone_khz
    if bool(wanted_khz) == bool(source.feed.tone_khz):
        return
    band = part.band_at(dial_hz)
    other = next(offered_band for offered_band in part.bands if bool(offered_band.tone_khz) != bool(wanted_khz))
    says = f"gives no tone of {wanted_khz:g} kHz" if wanted_khz else f"gives a tone of {source.feed.tone_khz:g} kHz"
    what = f"{source.spoken} {says}: {part.name} stays in its {other.name} band, and the dial wants the {band.name} one"
    why = f"everything would show {format_bound(abs(other.entered_lo_hz - band.entered_lo_hz))} off"
    on = "on" if wanted_khz else "off"
    yield BenchFinding(
        f"{key}:tone", "stop", what, f"{why}; switch the tone {on}", source.owner, mend_label=f"Tone {on}",
        mend=partial(_with_tone, source=source, tone_khz=wanted_khz),
    )  # fmt: skip


def _with_tone(station: Station, source: _Source, tone_khz: float) -> Station:
    part = station.part(source.owner)
    if isinstance(part, TwoPort) and part.feed is not None:
        feed = msgspec.structs.replace(part.feed, tone_khz=tone_khz)
        return station.with_part(msgspec.structs.replace(part, feed=feed))
    return station


def _source(source: _Source, reached: tuple[DcReached, ...]) -> Iterator[BenchFinding]:
    """Check a feed's side effects: total current, shorts, transmitters, other receivers, or nothing fed at all."""
    fed = [reached_part.part for reached_part in reached if not reached_part.downwards and _wants(reached_part.part)]
    needs = [need for part in fed if isinstance(need := getattr(part, "need", None), Need)]
    total_ma = sum(need.current_ma for need in needs)
    key = f"feed:{source.owner}:{source.port}"
    if len(needs) > 1 and total_ma > source.feed.max_ma:
        names = " and ".join(part.name for part in fed)
        what = f"{names} draw {total_ma:g} mA together, {source.spoken} gives {source.feed.max_ma:g} mA"
        yield BenchFinding(f"{key}:sum", "stop", what, "the feed drops or burns", source.owner, True)
    if not source.feed.on:
        return
    off = partial(_switched, source=source, on=False)
    for reached_part in reached:
        danger = _HARMS[dc_hazard(reached_part.part)]
        through = f" through {reached_part.through[-1]}" if reached_part.through and reached_part.downwards else ""
        port = f", port {reached_part.port}" if reached_part.port else ""
        if reached_part.downwards and not danger and not passes_dc(reached_part.part):
            danger = "whose input is no place for it, unless it is built with a block for direct current"
        if not reached_part.downwards and not danger and _has_live_output(reached_part.part):
            danger = "whose output is no place for it, unless it is built with a block for direct current"
        if danger:
            yield BenchFinding(
                f"{key}:{reached_part.part.name}{f':{reached_part.port}' if reached_part.port else ''}",
                "stop",
                f"{source.spoken} puts {source.feed.volts:g} V{through} into {reached_part.part.name}{port}, {danger}",
                "switch it off before anything else; a block for direct current keeps it from there",
                source.owner, True, "Switch it off", off,
            )  # fmt: skip
    if not fed:
        what = f"{source.spoken} is on with {source.feed.volts:g} V, and nothing that it reaches needs it"
        yield BenchFinding(f"{key}:idle", "look", what, "sooner or later it meets a short", source.owner,
                           mend_label="Switch it off", mend=off)  # fmt: skip


def _has_live_output(part: Part) -> bool:
    """Return True for a mixer or amplifier that is fed otherwise: its diodes or transistor are on the line."""
    is_live = isinstance(part, Converter | Lnb) or (isinstance(part, TwoPort) and part.what == "preamplifier")
    return is_live and not _wants(part) and not passes_dc(part)


def _wants(part: Part) -> bool:
    need = getattr(part, "need", None)
    return isinstance(need, Need) and need.by == "line"


_HARMS: dict[DcHazard, str] = {
    "": "", "transmitter": "a transmitter's socket", "short": "which is a short for direct current",
    "resistors": "whose resistors it heats", "diodes": "whose diodes conduct it to ground",
}  # fmt: skip


def _sources(route: ResolvedRoute) -> list[_Source]:
    sources = [
        _Source(i, part.name, part.name, part.feed, down=part.feeds_down)
        for i, part in enumerate(route.parts)
        if isinstance(part, TwoPort) and part.feed is not None
    ]
    bias = route.receiver.port(route.port).bias
    if bias is not None:
        name = route.receiver.name
        sources.append(_Source(len(route.parts) - 1, name, f"{name}'s bias feed ({route.port})", bias, route.port))
    return sources


def _fits(key: str, name: str, need: Need, feed: Feed, spoken: str, current_ma: float) -> Iterator[BenchFinding]:
    if not need.low_v <= feed.volts <= need.high_v:
        high = feed.volts > need.high_v
        what = f"{name} needs {need.text}, {spoken} gives {feed.volts:g} V"
        why = "too much burns it" if high else "too little: it will not work, or drift"
        yield BenchFinding(f"{key}:volts", "stop", what, why, name, safety=high)
    elif current_ma > feed.max_ma:
        what = f"{name} draws {current_ma:g} mA, {spoken} gives {feed.max_ma:g} mA at most"
        yield BenchFinding(f"{key}:current", "stop", what, "the feed drops, heats or burns", name, True)


def _switched(station: Station, source: _Source, on: bool) -> Station:
    """Return the station with a feed switched on or off."""
    part = station.part(source.owner)
    if isinstance(part, TwoPort) and part.feed is not None:
        feed = msgspec.structs.replace(part.feed, on=on)
        return station.with_part(msgspec.structs.replace(part, feed=feed))
    if isinstance(part, Receiver):
        ports = tuple(
            msgspec.structs.replace(port, bias=msgspec.structs.replace(port.bias, on=on))
            if port.name == source.port and port.bias is not None
            else port
            for port in part.ports
        )
        return station.with_part(msgspec.structs.replace(part, ports=ports))
    return station
