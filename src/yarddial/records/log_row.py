"""Conversion between log rows and entries; an invalid row is refused without affecting others."""

import json
import math
from collections.abc import Mapping
from datetime import datetime
from typing import Any

import msgspec

from yarddial.records.entry import Entry
from yarddial.records.log_data import log_builtins, observations_of, oscillators_of, read_log_data
from yarddial.yard.plain_text import shown, shown_in

_TEXTS = ("at_utc", "station", "kind", "route", "method", "reference", "text")
TIME_SHAPE = "%Y-%m-%dT%H:%M:%SZ"
MAX_DATA_LETTERS = 16 << 20


class Unreadable(msgspec.Struct, frozen=True):
    """An unreadable row: number, reason and contents."""

    id: int
    why: str
    row: dict[str, Any]


def entry_of(row: Mapping[str, Any]) -> Entry | Unreadable:
    """Read a row from the database."""
    try:
        return _entry(row)
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError, OverflowError) as error:
        why = shown(" ".join(str(error).split()))[:160] or type(error).__name__
        return Unreadable(int(row["id"]), why, {key: _plain(value) for key, value in row.items()})


def row_of(entry: Entry) -> list[Any]:
    """Values of an entry in the order of the fields, with texts that any file accepts."""
    texts = {name: shown(getattr(entry, name)) for name in _TEXTS}
    data = json.dumps(shown_in(log_builtins(entry.data)), allow_nan=True)
    return [*(texts[n] for n in _TEXTS[:6]), entry.temperature_c, texts["text"], data]


def _entry(row: Mapping[str, Any]) -> Entry:
    for name in _TEXTS:
        if not isinstance(row[name], str):
            raise ValueError(f"{name} is no text")
    _check_time(row["at_utc"])
    warmth = row["temperature_c"]
    if warmth is not None and not (isinstance(warmth, int | float) and math.isfinite(warmth)):
        raise ValueError("temperature_c is no number")
    if not isinstance(row["data"], str) or len(row["data"]) > MAX_DATA_LETTERS:
        raise ValueError("data is no text, or longer than any entry's")
    raw = shown_in(json.loads(row["data"]))
    if not isinstance(raw, dict):
        raise ValueError("data is no object")
    data = read_log_data(row["kind"], raw)
    for seen in observations_of(data):
        _check_time(seen.at_utc, "an observation's time")
        hertz = (seen.reference_hz, seen.dial_hz, seen.sigma_hz, seen.reference_sigma_hz, seen.wander_hz)
        if not all(map(math.isfinite, (*hertz, seen.entered_ppm))):
            raise ValueError("an observation holds what is no number")
        if min(seen.sigma_hz, seen.reference_sigma_hz) < 0 or seen.total_sigma_hz <= 0:
            raise ValueError("an observation has no uncertainty")
    for name, (value, sigma) in oscillators_of(data).items():
        if not (math.isfinite(value) and math.isfinite(sigma) and sigma >= 0):
            raise ValueError(f"the oscillator {name} has no value")
    texts = {name: shown(row[name]) for name in _TEXTS}
    return Entry(**texts, temperature_c=warmth, data=data, id=int(row["id"]))


def _check_time(text: str, what: str = "at_utc") -> None:
    if text:
        try:
            datetime.strptime(text, TIME_SHAPE)
        except ValueError:
            raise ValueError(f"{what} '{text[:40]}' is no time: it is written as 2026-11-25T08:30:00Z") from None
    elif what == "at_utc":
        raise ValueError("at_utc is empty")


def _plain(value: Any) -> Any:
    return (
        shown(value.decode("latin-1"))
        if isinstance(value, bytes)
        else shown(value)
        if isinstance(value, str)
        else value
    )
