"""Texts of connectors, supplies and levels with uncertainty: writing and reading."""

import re

from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.part_values.value import TYPED_NOTE
from yarddial.yard.parts import CONNECTORS, Feed, Need, Socket, Value
from yarddial.yard.parts.supply import SOURCES, FeedSource


def read_socket(text: str) -> Socket:
    """Read `SMA plug, 50 Ω`; an empty text is an unknown socket."""
    if not text.strip() or text.strip() == "not looked at":
        return Socket()
    words = text.replace(",", " ").replace("Ω", " ").replace("ohm", " ").split()
    connector = next((name for name in CONNECTORS for word in words if word.upper() == name.upper()), None)
    sex = next((word.lower() for word in words if word.lower() in ("jack", "plug")), None)
    numbers = [word for word in words if word.replace(".", "").isdigit()]
    if connector is None or sex is None or len(words) > 2 + len(numbers) or len(numbers) > 1:
        raise BadStation(
            f"'{text}' is no connector: write one of {', '.join(CONNECTORS)}, then jack or plug, then the ohms"
        )
    ohms = float(numbers[0]) if numbers else (75.0 if connector in ("F",) else 50.0)
    return Socket(connector, sex, ohms)  # type: ignore[arg-type]


def read_need(text: str) -> Need | None:
    """Read `5 V, 90 mA from USB`, `12 V, 200 mA from wall plug 12 V 1 A on` or `11 to 14 V, 160 mA by line`.

    Empty for a part without a supply. Raises BadStation, also for an unknown word: nothing is dropped.
    """
    if not text.strip():
        return None
    wants, by_line, more = text.partition(" by line")
    wants, fed, lead = wants.partition(" from ")
    quantities, left = _quantities(f"{wants} {more}")
    volts, amperes = quantities["V"], quantities["mA"]
    left = [word for word in left if word not in ("to", "-")]
    if left or not 1 <= len(volts) <= 2 or len(amperes) != 1 or volts[0] <= 0 or quantities["kHz"]:
        raise BadStation(
            f"'{text}' is no supply{_not_understood(left)}: write it as 5 V, 90 mA from USB, or as 11 to 14 V, 160 mA "
            "by line"
        )
    low, high = volts[0], volts[-1]
    if low == high:
        # A single voltage is taken with the usual five per cent.
        low, high = round(0.95 * low, 3), round(1.05 * high, 3)
    return Need(low, high, amperes[0], "line" if by_line else "lead", read_feed(lead) if fed else None)


def read_feed(text: str) -> Feed:
    """Read `4.7 V 150 mA off`, `13 V 350 mA on 22 kHz`, `USB`, `hub 5 V 900 mA`, `wall plug 12 V 1 A`.

    A USB source gives 5 V and by default 500 mA (USB 2.0, section 7.2.1), and is on. Raises BadStation.
    """
    quantities, left = _quantities(text)
    words = " ".join(left).lower().replace("usb lead", "usb").replace("usb socket", "usb").replace("usb hub", "hub")
    source: FeedSource = next((name for name in SOURCES if name.lower() in words), "")
    rest = words.replace(source.lower(), " ").split() if source else words.split()
    is_on = "on" in rest or (bool(source) and "off" not in rest)
    rest = [word for word in rest if word not in ("on", "off")]
    volts, amperes = quantities["V"], quantities["mA"]
    if source in ("USB", "hub"):
        volts, amperes = volts or [5.0], amperes or [500.0]
    if rest or len(volts) != 1 or len(amperes) != 1 or len(quantities["kHz"]) > 1:
        raise BadStation(
            f"'{text}' is no feed{_not_understood(rest)}: write its volts, the most milliampere it gives, and on or "
            "off; or USB, hub 5 V 900 mA, wall plug 12 V 1 A"
        )
    return Feed(volts[0], amperes[0], is_on, quantities["kHz"][0] if quantities["kHz"] else 0.0, source)


def feed_text(feed: Feed) -> str:
    tone = f" {feed.tone_khz:g} kHz" if feed.tone_khz else ""
    source = f"{feed.source} " if feed.source else ""
    return f"{source}{feed.volts:g} V {feed.max_ma:g} mA {'on' if feed.on else 'off'}{tone}"


def socket_text(socket: Socket) -> str:
    return socket.text if socket.connector else ""


def value_text(value: Value | None, unit: str) -> str:
    if value is None:
        return ""
    number = f"{value.value:+g}" if unit in ("dB", "dBm") else f"{value.value:g}"
    uncertainty = f" ±{value.sigma:g}" if value.sigma else ""
    return f"{number.replace('-', '−')}{uncertainty} {unit}"


def read_value(text: str, unit: str, before: Value | None, today: str) -> Value | None:
    if not text.strip():
        return None
    number, _, uncertainty = text.removesuffix(unit).partition("±")
    sigma = (
        abs(read_number(uncertainty, unit)) if uncertainty.strip() else (before.sigma if before is not None else 0.0)
    )
    return Value(read_number(number, unit), sigma, "stated", today, TYPED_NOTE)


def read_number(text: str, unit: str) -> float:
    cleaned = text.replace("−", "-").strip().removesuffix(unit).strip()
    try:
        number = float(cleaned)
    except ValueError:
        number = float("nan")
    if not abs(number) < 1e15:
        raise BadStation(f"'{text.strip()}' is no number{' of ' + unit if unit else ''}: write one such as -3 or 12.5")
    return number


# A bare number before `to` takes the unit of the number after it.
_QUANTITY = re.compile(r"(\d+(?:\.\d+)?)\s*(mA|A|kHz|V|(?=\s*(?:to|–|-)\s*\d))", re.IGNORECASE)


def _quantities(text: str) -> tuple[dict[str, list[float]], list[str]]:
    """Extract volts, milliamperes and kilohertz in order, and return the remaining words."""
    quantities: dict[str, list[float]] = {"V": [], "mA": [], "kHz": []}
    for number, unit in _QUANTITY.findall(text):
        match unit.lower():
            case "a":
                quantities["mA"].append(1000 * float(number))
            case "ma":
                quantities["mA"].append(float(number))
            case "khz":
                quantities["kHz"].append(float(number))
            case _:
                quantities["V"].append(float(number))
    rest = _QUANTITY.sub(" ", text).replace(",", " ").replace("–", " ").replace(";", " ")
    return quantities, [word for word in rest.split() if word != "-"]


def _not_understood(words: list[str]) -> str:
    return f", '{words[0]}' is not understood" if words else ""


def read_yes(text: str) -> bool:
    if text.strip().lower() not in ("yes", "no"):
        raise BadStation(f"'{text}' is neither yes nor no: write one of the two")
    return text.strip().lower() == "yes"


def read_hz(text: str, unit: str = "MHz") -> float:
    return parse_frequency(text, unit)


def positive(value: float) -> float:
    if not value > 0:
        raise BadStation("an uncertainty must be above zero: nothing is known exactly")
    return value
