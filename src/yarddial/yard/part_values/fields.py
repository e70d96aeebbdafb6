"""Kinds of editable values: each makes a `PartValue` from one field of a part."""

from collections.abc import Callable
from typing import Any

import msgspec

from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_bound
from yarddial.yard.part_values.reading import (
    feed_text,
    read_feed,
    read_hz,
    read_need,
    read_number,
    read_socket,
    read_value,
    read_yes,
    socket_text,
    value_text,
)
from yarddial.yard.part_values.value import TYPED_NOTE, PartValue
from yarddial.yard.parts import Antenna, Converter, Feed, Lnb, Need, Origin, Part, Receiver, TwoPort, Value, origin_of

replace = msgspec.structs.replace


def origin_setter(part: Part, field: str) -> Callable[[Origin], Part]:
    def with_origin(origin: Origin) -> Part:
        return replace(part, origins={**part.origins, field: origin})

    return with_origin


def typed(part: Part, field: str, today: str, **changes: Any) -> Part:
    """Set a plain field and record that it was typed in."""
    return replace(part, origins={**part.origins, field: Origin("stated", today, TYPED_NOTE)}, **changes)


# Fields whose empty text means "not known" or "its own choice".
MAY_BE_BLANK = ("output_low_hz", "output_high_hz", "tuner_step_hz", "bandwidth_hz")


def hertz_value(part: Part, label: str, field: str, *, main: bool = False) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        blank = not text.strip() and field in MAY_BE_BLANK
        hertz = (1e12 if field == "output_high_hz" else 0.0) if blank else read_hz(text)
        return typed(part, field, today, **{field: hertz})

    hertz = getattr(part, field)
    text = "" if (hertz >= 1e12 or hertz == 0.0) and field in MAY_BE_BLANK else format_bound(hertz)
    return PartValue(field, label, text, origin_of(part, field), with_text, origin_setter(part, field), main=main)


def number_value(
    part: Part, label: str, field: str, unit: str, *, whole: bool = False, main: bool = False
) -> PartValue:  # fmt: skip
    def with_text(text: str, today: str) -> Part:
        # An empty text means "not known" and is shown so.
        number = read_number(text, unit) if text.strip() or whole else 0.0
        if number < 0:
            raise BadStation(f"'{text}' lies below zero: {label} cannot")
        return typed(part, field, today, **{field: round(number) if whole else number})

    number = getattr(part, field)
    text = f"{number:g} {unit}".strip() if number or whole else ""
    return PartValue(field, label, text, origin_of(part, field), with_text, origin_setter(part, field), main=main)


def level_value(part: Part, label: str, field: str, unit: str, *, main: bool = False) -> PartValue:
    """A value with its uncertainty; empty where none is stated."""
    value: Value | None = getattr(part, field)

    def with_text(text: str, today: str) -> Part:
        new = read_value(text, unit, value, today)
        if new is None and field in ("gain_db", "rig_ppm") and not isinstance(part, Antenna | Converter | Lnb):
            raise BadStation(f"{label} cannot be empty: write a number such as -3 {unit}")
        return replace(part, **{field: new})

    def with_origin(origin: Origin) -> Part:
        if value is None:
            return part
        return replace(
            part, **{field: replace(value, provenance=origin.provenance, date=origin.date, note=origin.note)}
        )

    origin = Origin("assumed", note="not stated") if value is None else origin_of(part, field)
    return PartValue(
        field, label, value_text(value, unit), origin, with_text, with_origin, main=main,
        hint=f"such as −3 ±0.5 {unit}",
    )  # fmt: skip


def choice_value(part: Part, label: str, field: str, choices: tuple[str, ...]) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        if text not in choices:
            raise BadStation(f"'{text}' is no {label}: choose one of {', '.join(choices)}")
        return typed(part, field, today, **{field: text})

    return PartValue(field, label, getattr(part, field), origin_of(part, field), with_text,
                     origin_setter(part, field), choices)  # fmt: skip


def yes_value(part: Part, label: str, field: str) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        return typed(part, field, today, **{field: read_yes(text)})

    text = "yes" if getattr(part, field) else "no"
    return PartValue(field, label, text, origin_of(part, field), with_text, origin_setter(part, field), ("yes", "no"))


def note_value(part: Part) -> PartValue:
    return PartValue(
        "note", "note", part.note, Origin("stated", note="yours"), lambda text, _: replace(part, note=text)
    )


SOCKET_HINT = "such as SMA plug, 50 Ω"


def socket_value(part: Part, label: str, field: str) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        return typed(part, field, today, **{field: read_socket(text)})

    return PartValue(field, label, socket_text(getattr(part, field)), origin_of(part, field), with_text,
                     origin_setter(part, field), hint=SOCKET_HINT)  # fmt: skip


def need_value(part: Part) -> PartValue:
    need: Need | None = part.need  # type: ignore[union-attr]
    text = ""
    if need is not None:
        text = need.text
        if need.by == "line":
            text += " by line"
        elif need.lead is not None:
            text += f" from {feed_text(need.lead)}"

    def with_text(text: str, today: str) -> Part:
        return typed(part, "need", today, need=read_need(text))

    return PartValue("need", "needs", text, origin_of(part, "need"), with_text, origin_setter(part, "need"),
                     hint="5 V, 90 mA from USB; from wall plug 5 V 1 A; 11 to 14 V, 160 mA by line")  # fmt: skip


def feed_value(part: Part, label: str, feed: Feed | None, put: Callable[[Feed | None], Part]) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        return put(read_feed(text) if text.strip() else None)

    text = "" if feed is None else feed_text(feed)
    return PartValue(label, label, text, origin_of(part, "feed" if hasattr(part, "feed") else "ports"), with_text,
                     hint="such as 4.7 V 150 mA off")  # fmt: skip


def table_value(part: TwoPort, label: str, field: str) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        points: list[tuple[float, float]] = []
        for piece in filter(None, (piece.strip() for piece in text.replace(";", ",").split(","))):
            place, _, loss = piece.partition(":")
            points.append((read_hz(place), read_number(loss, "dB")))
        return typed(part, field, today, **{field: tuple(sorted(points))})

    text = ", ".join(f"{format_bound(hertz)}: {db:g} dB" for hertz, db in getattr(part, field))
    return PartValue(field, label, text, origin_of(part, field), with_text, origin_setter(part, field),
                     hint="such as 100 MHz: 6.5 dB, 1 GHz: 21 dB")  # fmt: skip


def device_value(part: Receiver) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        device = text.strip()
        if device and (":" not in device or not device.isprintable()):
            raise BadStation(f"'{device}' is no driver with its address: 'Choose the receiver' writes one for you")
        return typed(part, "device", today, device=device)

    origin = origin_of(part, "device") if part.device else Origin("assumed", note="none chosen")
    return PartValue("device", "driver", part.device, origin, with_text, hint="choose the receiver", main=True)


def holes_value(part: Receiver) -> PartValue:
    def with_text(text: str, today: str) -> Part:
        holes: list[tuple[float, float]] = []
        for piece in filter(None, (piece.strip() for piece in text.replace(";", ",").split(","))):
            low, to, high = piece.replace("–", " to ").partition(" to ")
            if not to:
                raise BadStation(f"'{piece}' is no hole: write it as 1105 MHz to 1140 MHz")
            holes.append((read_hz(low), read_hz(high)))
        return typed(part, "holes_hz", today, holes_hz=tuple(sorted(holes)))

    text = ", ".join(f"{format_bound(low)} to {format_bound(high)}" for low, high in part.holes_hz)
    return PartValue("holes_hz", "holes", text, origin_of(part, "holes_hz"), with_text,
                     origin_setter(part, "holes_hz"), hint="such as 1105 MHz to 1140 MHz")  # fmt: skip
