"""Parts that can be inserted: unused ones of the yard, the shelf, a file. Type to search, Enter inserts."""

from collections.abc import Callable
from functools import partial
from typing import assert_never

from PyQt6.QtWidgets import QWidget

from yarddial.analysis.audit.caution import caution_for
from yarddial.session.session import Session
from yarddial.ui.widgets.finder import Findable, Finder
from yarddial.yard.frequency import format_bound
from yarddial.yard.parts import Antenna, Converter, Isolator, Lnb, Part, Receiver, Transceiver, TwoPort
from yarddial.yard.parts.spans import span_text
from yarddial.yard.shelf import CLASSES, class_of, kind_of, shelf

# Other words that people use for a kind of part.
SYNONYMS = {
    "cable": "coax coaxial lead feeder wire", "low-pass": "filter", "high-pass": "filter", "band-pass": "filter",
    "notch": "filter trap", "amplifier": "preamp lna booster gain", "attenuator": "pad", "limiter": "protection guard",
    "splitter": "divider share two receivers", "switch": "relay selector", "injector": "bias tee power supply",
    "LNB": "satellite dish downconverter", "converter": "upconverter downconverter shift",
    "antenna": "aerial", "transceiver": "radio rig",
}  # fmt: skip


def open_shelf(
    window: QWidget, session: Session, index: int | None, attempt: Callable[[Callable[[], object]], None]
) -> None:
    """Let a person choose a part for the active route, at an index or at its end.

    attempt : runs an action, and reports a refusal.
    """

    def ask_file() -> None:
        from yarddial.ui.widgets.file_sheet import FileSheet

        FileSheet(
            window, "Put in a part from a file", "part.part.json", "Put in",
            lambda path: session.building.import_part(path, index), reads=True,
        ).show()  # fmt: skip

    things = puttables(session, index, attempt, ask_file)
    Finder(window, things, lambda _: (), "a part by name or kind: wire, converter, receiver").open()


def puttables(
    session: Session, index: int | None, attempt: Callable[[Callable[[], object]], None], from_file: Callable[[], None]
) -> list[Findable]:
    """All of them, first what the active route still lacks."""
    station, building = session.desk.station, session.building
    own = [
        Findable(
            f"lies unused in the yard; {_words(part)}",
            part.name,
            partial(attempt, partial(building.place, part.name, index)),
            caution=caution_for(part),
        )
        for part in station.unused()
    ]
    new = [
        (
            class_of(part),
            Findable(
                _words(part),
                part.name,
                partial(attempt, partial(building.add, part, index)),
                _also(part),
                caution_for(part),
            ),
        )
        for part in shelf()
    ]
    wanted = _wanted(session)
    order = (wanted, *(name for name in CLASSES if name != wanted))
    ranked = [thing for name in order for what, thing in new if what == name]
    return [
        *own,
        *ranked,
        Findable("a part from *.part.json, or a measured filter from *.s2p", "From a file…", from_file),
    ]


def _wanted(session: Session) -> str:
    """Class of the part that should come next."""
    station = session.desk.station
    route = station.route_named() if station.routes else None
    parts = [station.part(name) for name in route.parts] if route is not None else []
    if not parts or not isinstance(parts[0], Antenna):
        return "antenna"
    return "in the line" if isinstance(parts[-1], Receiver) else "receiver"


def _words(part: Part) -> str:
    """Description with range, in one line."""
    words = [kind_of(part)]
    match part:
        case Receiver():
            words.append(span_text(part.tuner_low_hz, part.tuner_high_hz))
        case Converter():
            words.append(f"{span_text(part.input_low_hz, part.input_high_hz)}, LO {format_bound(part.nominal_lo_hz)}")
        case Antenna():
            words += [span_text(part.low_hz, part.high_hz), part.note]
        case TwoPort() | Isolator() | Lnb() | Transceiver():
            words.append(part.note)
        case _:
            assert_never(part)
    return ", ".join(word for word in words if word)


def _also(part: Part) -> str:
    """Other words for it: its class, and its supply."""
    words = [class_of(part)]
    need = getattr(part, "need", None)
    if need is not None:
        words.append("needs a feed, volts")
    if isinstance(part, TwoPort) and part.feed is not None:
        words.append(f"power supply, wall plug, usb, feed, {part.feed.volts:g} V")
    kind = kind_of(part)
    words += [more for word, more in SYNONYMS.items() if word in kind]
    if isinstance(part, Receiver):
        words.append("sdr stick dongle")
    return " ".join(words)
