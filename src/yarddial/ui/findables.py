"""Everything that the finder knows: stations, bands, parts and their values, routes, places, actions, terms, keys."""

import contextlib
from functools import partial

from yarddial.ui.acting import Acting, nothing
from yarddial.ui.widgets.finder import AskedValue, Findable
from yarddial.ui.window_actions import window_actions
from yarddial.yard.bands import Band
from yarddial.yard.dial_sentence import DialWish, read_dial_sentence
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_bound, format_frequency
from yarddial.yard.glossary import GLOSSARY
from yarddial.yard.keys import listed_keys
from yarddial.yard.manual.pages import PAGES, title_of
from yarddial.yard.part_values import values_of
from yarddial.yard.parts import Part, Receiver
from yarddial.yard.places import PLACES
from yarddial.yard.reach import reaching
from yarddial.yard.shelf import kind_of

# Other words that people use for a value.
SYNONYMS = {
    "entered_ppm": "offset ppm calibration error frequency correction", "device": "driver address usb sdr hardware",
    "rate_hz": "sampling bandwidth msps", "crystal": "oscillator clock reference tcxo",
    "automatic_gain": "agc", "bandwidth_hz": "filter", "nf_db": "sensitivity noise", "lo": "oscillator offset lo",
    "port": "connector socket plug jack sma antenna input", "input": "connector socket plug jack",
    "output": "connector socket plug jack", "need": "power supply feed usb wall plug volts", "note": "remark",
}  # fmt: skip
# Other words for the kinds of bands, and for some of them.
BAND_WORDS = {
    "amateur": "ham hams radio amateurs", "broadcast": "radio stations shortwave short wave programme",
    "aero": "aircraft airport planes pilots aviation", "maritime": "ships boats sea harbour marine coast",
    "mobile": "taxi police business pmr walkie", "medium wave": "am radio mw", "long wave": "longwave lw",
    "citizens": "cb truck", "airband": "airport planes pilots tower", "marine": "ships boats sea", "AIS": "ships",
    "FM broadcast": "vhf radio stations music ukw", "time": "clock standard", "standard": "time clock",
}  # fmt: skip


def findables(window: Acting) -> list[Findable]:
    """List all targets, actions first."""
    desk = window.session.desk
    station, obey = desk.station, window.session.listening.obey
    things = [action.findable() for action in window_actions(window)]
    things += [
        Findable("known station", f"{r.name} {format_frequency(r.frequency_hz)}",
                 partial(obey, DialWish(r.frequency_hz, r.mode)), f"{r.kind} reference transmitter")
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
    things += [value for part in station.parts for value in _values(window, part)]
    things += [
        Findable(
            "band",
            f"{band.name} {format_bound(band.low_hz)}",
            partial(obey, DialWish(band.low_hz, band.mode_key)),
            _band_words(band),
        )
        for band in station.bands
    ]
    things += [Findable("word explained", word, window.show_glossary, meaning, rank=2) for word, meaning in GLOSSARY]
    things += [
        Findable("manual page", title_of(page), partial(window.show_manual, page), page, rank=2) for page in PAGES
    ]
    things += [Findable("key", f"{key}: {does}", window.show_keys, rank=3) for key, does in listed_keys()]
    return things


def _band_words(band: Band) -> str:
    """Other words for a band, by its name and kind."""
    known = f"{band.name} {band.kind}".lower()
    return " ".join([band.kind, *(words for word, words in BAND_WORDS.items() if word.lower() in known)])


def _values(window: Acting, part: Part) -> list[Findable]:
    """Values of a part: each is asked for in the finder."""
    building = window.session.building
    rate = [("sample rate", "rate_hz")] if isinstance(part, Receiver) else []
    known = {key for _, key in rate}
    labels = [*rate, *((value.label, value.key) for value in values_of(part) if value.key not in known)]
    values = {value.key: value for value in values_of(part)}

    def found(label: str, key: str) -> Findable:
        also = SYNONYMS.get(key.rstrip("0123456789"), "")
        kind, name = f"value of a part, {kind_of(part)}", f"{part.name}: {label}"
        value = values.get(key)
        if value is None:
            return Findable(kind, name, partial(window.fixes.open_part, part.name, key), also, rank=1)
        enter = partial(building.set_value, part.name, key)
        if value.choices:
            offered = [Findable(name, text, partial(window.attempt, partial(enter, text))) for text in value.choices]
            return Findable(kind, name, nothing, also, rank=1, choices=lambda: offered)
        question = AskedValue(value.hint or "type the new value", lambda: value.text, enter)
        return Findable(kind, name, nothing, also, rank=1, question=question)

    return [found(label, key) for label, key in labels]


def dialled(window: Acting, text: str) -> list[Findable]:
    """Targets that do what would be typed at the dial; a bare number may be megahertz or kilohertz."""
    listening, station = window.session.listening, window.session.desk.station
    wishes = []
    units = ("MHz", "kHz") if text.replace(".", "", 1).isdigit() else ("MHz",)
    for unit in units:
        with contextlib.suppress(BadFrequency):
            wishes.append(read_dial_sentence(text, station, unit))
    # What some route reaches comes first.
    wishes.sort(key=lambda wish: wish.dial_hz is not None and not reaching(station, wish.dial_hz))
    return [
        Findable("dial it", wish.text, partial(listening.obey, wish))
        for wish in wishes
        if wish.dial_hz is not None and wish.dial_hz > 0 and not wish.name
    ]
