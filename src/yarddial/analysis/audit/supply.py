"""Direct current: is every part fed with what it needs, and does no feed run where it must not."""

from collections.abc import Iterator
from functools import partial

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.line import Line
from yarddial.yard.parts import Feed, Need, Part, Receiver, TwoPort
from yarddial.yard.parts.electrical import DcHazard, dc_hazard, passes_dc
from yarddial.yard.station import Station


class _Source(msgspec.Struct, frozen=True):
    """A feed on a line, where it stands, and the part and port that own it."""

    index: int
    owner: str
    spoken: str
    feed: Feed
    port: str = ""


def supply(station: Station, lines: tuple[Line, ...]) -> Iterator[BenchFinding]:
    """Leads first, then every line with its feeds."""
    for part in station.parts:
        need = getattr(part, "need", None)
        if isinstance(need, Need) and need.by == "lead":
            yield from _lead(part, need)
    for line in lines:
        yield from _line(line)


def _lead(part: Part, need: Need) -> Iterator[BenchFinding]:
    key = f"supply:{part.name}"
    if need.lead is None:
        what = f"{part.name} needs {need.text}; nobody said yet what feeds it"
        yield BenchFinding(key, "unknown", what, "too much burns it, too little makes it drift", part.name)
        return
    yield from _fits(key, part.name, need, need.lead, "its lead", need.current_ma)
    if not need.lead.on:
        yield BenchFinding(f"{key}:off", "look", f"{part.name} is switched off", "nothing passes it", part.name)


def _line(line: Line) -> Iterator[BenchFinding]:
    parts = line.parts
    sources = _sources(line)
    fed: dict[int, list[int]] = {source.index: [] for source in sources}
    for index, part in enumerate(parts[:-1]):
        need = getattr(part, "need", None)
        if not isinstance(need, Need) or need.by != "line":
            continue
        source = next((source for source in sources if source.index > index), None)
        key = f"supply:{part.name}:{line.receiver.name}:{line.port}"
        if source is None:
            what = f"{part.name} needs {need.text} through its line; nothing on {line.name} feeds it"
            yield BenchFinding(key, "stop", what, "it gives no signal without", part.name)
            continue
        block = next((p for p in parts[index + 1 : source.index] if not passes_dc(p)), None)
        if block is not None:
            what = f"{part.name} needs {need.text}, but {block.name} between it and {source.spoken} passes no current"
            yield BenchFinding(key, "stop", what, "put the feed before it, or a part that passes current", block.name)
            continue
        fed[source.index].append(index)
        yield from _fits(key, part.name, need, source.feed, source.spoken, need.current_ma)
        if not source.feed.on and need.low_v <= source.feed.volts <= need.high_v:
            yield BenchFinding(
                f"{key}:off", "look", f"{part.name} is not fed: {source.spoken} is off", "it gives no signal without",
                source.owner, mend_label="Switch it on", mend=partial(_switched, source=source, on=True),
            )  # fmt: skip
    for source in sources:
        yield from _source(line, source, [parts[i] for i in fed[source.index]])


def _source(line: Line, source: _Source, fed: list[Part]) -> Iterator[BenchFinding]:
    """What a feed does besides feeding: too many eaters, a short, a transmitter, or nobody at all."""
    needs = [need for part in fed if isinstance(need := getattr(part, "need", None), Need)]
    total_ma = sum(need.current_ma for need in needs)
    key = f"feed:{source.owner}:{source.port}"
    if len(needs) > 1 and total_ma > source.feed.most_ma:
        names = " and ".join(part.name for part in fed)
        what = f"{names} draw {total_ma:g} mA together, {source.spoken} gives {source.feed.most_ma:g} mA"
        yield BenchFinding(f"{key}:sum", "stop", what, "the feed drops or burns", source.owner, True)
    if not source.feed.on:
        return
    off = partial(_switched, source=source, on=False)
    for part in reversed(line.parts[: source.index]):
        danger = _HARMS[dc_hazard(part)]
        if danger:
            yield BenchFinding(
                f"{key}:{part.name}",
                "stop",
                f"{source.spoken} puts {source.feed.volts:g} V into {part.name}, {danger}",
                "switch it off before anything else", source.owner, True, "Switch it off", off,
            )  # fmt: skip
        if danger or not passes_dc(part):
            break
    if not fed:
        what = f"{source.spoken} is on with {source.feed.volts:g} V, and nothing on {line.name} needs it"
        yield BenchFinding(f"{key}:idle", "look", what, "sooner or later it meets a short", source.owner,
                           mend_label="Switch it off", mend=off)  # fmt: skip


_HARMS: dict[DcHazard, str] = {
    "": "", "transmitter": "a transmitter's socket", "short": "which is a short for direct current",
    "resistors": "whose resistors it heats",
}  # fmt: skip


def _sources(line: Line) -> list[_Source]:
    found = [
        _Source(i, part.name, part.name, part.feed)
        for i, part in enumerate(line.parts)
        if isinstance(part, TwoPort) and part.feed is not None
    ]
    bias = line.receiver.port(line.port).bias
    if bias is not None:
        name = line.receiver.name
        found.append(_Source(len(line.parts) - 1, name, f"{name}'s bias feed ({line.port})", bias, line.port))
    return found


def _fits(key: str, name: str, need: Need, feed: Feed, spoken: str, current_ma: float) -> Iterator[BenchFinding]:
    if not need.low_v <= feed.volts <= need.high_v:
        high = feed.volts > need.high_v
        what = f"{name} needs {need.text}, {spoken} gives {feed.volts:g} V"
        why = "too much burns it" if high else "too little: it will not work, or drift"
        yield BenchFinding(f"{key}:volts", "stop", what, why, name, safety=high)
    elif current_ma > feed.most_ma:
        what = f"{name} draws {current_ma:g} mA, {spoken} gives {feed.most_ma:g} mA at most"
        yield BenchFinding(f"{key}:current", "stop", what, "the feed drops, heats or burns", name, True)


def _switched(station: Station, source: _Source, on: bool) -> Station:
    """The station with a feed switched on or off."""
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
