"""Everything that the finder knows: stations, bands, parts and their values, routes, places, actions, terms, keys."""

from functools import partial

from yarddial.ui.widgets.finder import Findable
from yarddial.ui.window_actions import Acting, window_actions
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_bound, format_frequency, parse_frequency
from yarddial.yard.glossary import GLOSSARY
from yarddial.yard.keys import listed_keys
from yarddial.yard.manual.pages import PAGES, title_of
from yarddial.yard.part_values import values_of
from yarddial.yard.parts import Part, Receiver
from yarddial.yard.places import PLACES
from yarddial.yard.shelf import kind_of

# Other words that people use for a value.
SYNONYMS = {
    "entered_ppm": "offset ppm calibration error frequency correction", "device": "driver address usb sdr hardware",
    "rate_hz": "sampling bandwidth msps", "crystal": "oscillator clock reference tcxo",
    "automatic_gain": "agc", "bandwidth_hz": "filter", "nf_db": "sensitivity noise", "lo": "oscillator offset lo",
    "port": "connector socket plug jack sma antenna input", "input": "connector socket plug jack",
    "output": "connector socket plug jack", "need": "power supply feed usb wall plug volts", "note": "remark",
}  # fmt: skip


def findables(window: Acting) -> list[Findable]:
    """List all targets, those of the yard first."""
    desk = window.session.desk
    station = desk.station
    things = [
        Findable("known station", f"{r.name} {format_frequency(r.frequency_hz)}", partial(desk.dial, r.frequency_hz),
                 f"{r.kind} reference transmitter")
        for r in station.references
    ]  # fmt: skip
    things += [
        Findable(kind_of(part), part.name, partial(window.fixes.open_part, part.name, ""), f"part {part.note}")
        for part in station.parts
    ]
    things += [
        Findable("route", route.name, partial(desk.choose_route, route.name), "path") for route in station.routes
    ]
    things += [Findable("place", place.name, partial(window.go, place.name), place.also) for place in PLACES]
    things += [
        Findable("do it", window_action.name, window_action.act, f"{window_action.also} {window_action.keys}")
        for window_action in window_actions(window)
    ]
    things += [value for part in station.parts for value in _values(window, part)]
    things += [
        Findable("band", f"{band.name} {format_bound(band.low_hz)}", partial(desk.dial, band.low_hz), band.kind)
        for band in station.bands
    ]
    things += [Findable("word explained", word, window.show_glossary, meaning) for word, meaning in GLOSSARY]
    things += [Findable("manual page", title_of(page), partial(window.show_manual, page), page) for page in PAGES]
    things += [Findable("key", f"{key}: {does}", window.show_keys) for key, does in listed_keys()]
    return things


def _values(window: Acting, part: Part) -> list[Findable]:
    rate = [("sample rate", "rate_hz")] if isinstance(part, Receiver) else []
    known = {key for _, key in rate}
    labels = [*rate, *((value.label, value.key) for value in values_of(part) if value.key not in known)]
    return [
        Findable(
            f"value of a part, {kind_of(part)}",
            f"{part.name}: {label}",
            partial(window.fixes.open_part, part.name, key),
            SYNONYMS.get(key.rstrip("0123456789"), ""),
        )
        for label, key in labels
    ]


def dialled(window: Acting, text: str) -> Findable | None:
    """A target that dials the text, if it is a frequency."""
    try:
        hertz = parse_frequency(text, "MHz")
    except BadFrequency:
        return None
    return Findable("dial it", format_frequency(hertz), partial(window.session.desk.dial, hertz)) if hertz > 0 else None
