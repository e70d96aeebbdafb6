"""What a person types at the dial: a frequency, a mode or a side, the name of a band or of a known station."""

import re
from collections.abc import Sequence

import msgspec

from yarddial.yard.bands import Band
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation, demodulations_of
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_frequency, parse_frequency
from yarddial.yard.modes import mode_named
from yarddial.yard.station import Reference, Station

# Words for a demodulation, at the end of the sentence or alone.
_DEMODULATION_WORDS: dict[str, Demodulation] = {
    "am": "am", "sam": "sam", "synchronous": "sam", "usb": "usb", "upper": "usb", "lsb": "lsb", "lower": "lsb",
    "cw": "cw", "morse": "cw", "nfm": "nfm", "wfm": "wfm",
}  # fmt: skip
# Words for a mode whose demodulation depends on the frequency.
_MODE_WORDS = {"ssb": "ssb", "data": "data", "fsk": "fsk", "rtty": "fsk", "fm": "fm"}
# FM is wide in the band of the broadcasters, 65.9 to 108 MHz anywhere in the world, and narrow elsewhere.
_WIDE_FM_HZ = (65.9e6, 108e6)
_METRES = re.compile(r"(\d+(?:\.\d+)?)\s*(?:m|met(?:re|er)s?)\b", re.IGNORECASE)
_MAX_NAMED = 3


class DialWish(msgspec.Struct, frozen=True):
    """What was typed. dial_hz : None to stay. mode, demodulation : empty and None to leave them as they are.

    name : of the band or station meant; empty for a frequency.
    """

    dial_hz: float | None
    mode: str = ""
    demodulation: Demodulation | None = None
    name: str = ""

    @property
    def text(self) -> str:
        """The wish as a person reads it."""
        pieces = [self.name] if self.name else []
        pieces += [format_frequency(self.dial_hz)] if self.dial_hz is not None else []
        if self.demodulation is not None:
            pieces.append(DEMODULATIONS[self.demodulation].name)
        elif self.mode:
            pieces.append(mode_named(self.mode).name)
        return ", ".join(pieces)


def read_dial_sentence(text: str, station: Station, field_unit: str = "MHz") -> DialWish:
    """Read a sentence such as `7.1 usb`, `40 m`, `Northmark 10`, `airband am` or `lsb`.

    field_unit : unit of a number without one. Raises BadFrequency, in one sentence, for what is none of them.
    """
    words = text.split()
    mode_word = words[-1].lower().strip(",") if words else ""
    has_mode = mode_word in _DEMODULATION_WORDS or mode_word in _MODE_WORDS
    place = " ".join(words[:-1]).rstrip(", ") if has_mode else text.strip()
    if has_mode and not place:
        return _with_mode(DialWish(None), mode_word, station.dial_hz)
    wish = _place(place, station, field_unit)
    return _with_mode(wish, mode_word, wish.dial_hz or 0.0) if has_mode else wish


def _with_mode(wish: DialWish, word: str, dial_hz: float) -> DialWish:
    if word in _DEMODULATION_WORDS:
        demodulation = _DEMODULATION_WORDS[word]
        return msgspec.structs.replace(wish, demodulation=demodulation, mode=DEMODULATIONS[demodulation].mode)
    mode = _MODE_WORDS[word]
    if mode == "fm":
        mode = "wfm" if _WIDE_FM_HZ[0] <= dial_hz <= _WIDE_FM_HZ[1] else "nfm"
    return msgspec.structs.replace(wish, mode=mode, demodulation=demodulations_of(mode, dial_hz)[0])


def _place(text: str, station: Station, field_unit: str) -> DialWish:
    try:
        hertz = parse_frequency(text, field_unit)
    except BadFrequency as refused:
        band = _band(text, station.bands)
        if band is not None:
            return DialWish(band.low_hz, band.mode_key, name=band.name)
        known = _station(text, station.references)
        if known is not None:
            return DialWish(known.frequency_hz, known.mode, name=known.name)
        if not text.strip() or re.fullmatch(r"[\s.,+-]*\d[\d\s.,+-]*[A-Za-z]{0,3}", text.strip()):
            raise
        raise BadFrequency(
            f"'{text.strip()}' is no frequency, band or known station: write it like 7.1, 7.1 usb, 40 m or a station's "
            "name",
            text,
        ) from refused
    if hertz < 0:
        raise BadFrequency("a dial frequency cannot be negative", text)
    return DialWish(hertz)


def _plain(text: str) -> str:
    return " ".join(_METRES.sub(r"\1 m", text.lower()).replace("-", " ").split())


def _band(text: str, bands: Sequence[Band]) -> Band | None:
    """The band of that name, or the only one whose name begins so."""
    typed = _plain(text)
    exact = next((band for band in bands if _plain(band.name) == typed), None)
    if exact is not None or not typed or typed[0].isdigit():
        return exact
    begun = [band for band in bands if _plain(band.name).startswith(typed)]
    return begun[0] if len(begun) == 1 else None


def _station(text: str, references: Sequence[Reference]) -> Reference | None:
    """The known station meant: beginnings of the words of its name, and a number of its frequency.

    Raises BadFrequency where several are meant.
    """
    meant = [known for known in references if _names(text, known)]
    if len(meant) > 1:
        some = ", ".join(f"{known.name} {format_frequency(known.frequency_hz)}" for known in meant[:_MAX_NAMED])
        raise BadFrequency(f"'{text.strip()}' may be {some}: add the frequency", text)
    return meant[0] if meant else None


def _names(text: str, known: Reference) -> bool:
    own = _plain(known.name).split()
    words = _plain(text).split()
    numbers = [word for word in words if word[0].isdigit() and word not in own]
    letters = [word for word in words if word not in numbers and word not in ("mhz", "khz")]
    fits = any(known.frequency_hz in (_number(word) * 1e3, _number(word) * 1e6) for word in numbers)
    return bool(letters) and all(any(o.startswith(word) for o in own) for word in letters) and (fits or not numbers)


def _number(word: str) -> float:
    try:
        return float(word.replace(",", "."))
    except ValueError:
        return 0.0
