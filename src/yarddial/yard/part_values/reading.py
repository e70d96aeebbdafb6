"""The texts of values: connectors, supplies, levels with their doubts; written and read back."""

from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.part_values.value import TYPED
from yarddial.yard.parts import CONNECTORS, Feed, Need, Socket, Value


def read_socket(text: str) -> Socket:
    """Read `SMA plug, 50 Ω`; an empty text is a socket that nobody looked at."""
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
    """Read `5 V, 90 mA from 5 V 500 mA on` or `11 to 14 V, 160 mA by line`; empty when it needs nothing."""
    if not text.strip():
        return None
    wants, by_line, _ = text.partition(" by line")
    wants, fed, lead = wants.partition(" from ")
    numbers = _numbers(wants)
    if len(numbers) not in (2, 3) or "mA" not in wants or "V" not in wants or numbers[0] <= 0:
        raise BadStation(f"'{text}' is no supply: write it as 5 V, 90 mA or as 11 to 14 V, 160 mA by line")
    low, high = numbers[0], numbers[-2]
    if low == high:
        # A single voltage is meant with the usual five per cent.
        low, high = round(0.95 * low, 3), round(1.05 * high, 3)
    return Need(low, high, numbers[-1], "line" if by_line else "lead", read_feed(lead) if fed else None)


def read_feed(text: str) -> Feed:
    """Read `4.7 V 150 mA off`, `13 V 350 mA on 22 kHz`."""
    numbers = _numbers(text)
    has_tone = "khz" in text.lower()
    if len(numbers) != 2 + has_tone or "V" not in text or "mA" not in text:
        raise BadStation(f"'{text}' is no feed: write its volts, the most milliampere it gives, and on or off")
    is_on = "on" in text.lower().split()
    return Feed(numbers[0], numbers[1], is_on, numbers[2] if has_tone else 0.0)


def feed_text(feed: Feed) -> str:
    tone = f" {feed.tone_khz:g} kHz" if feed.tone_khz else ""
    return f"{feed.volts:g} V {feed.most_ma:g} mA {'on' if feed.on else 'off'}{tone}"


def socket_text(socket: Socket) -> str:
    return socket.text if socket.connector else ""


def value_text(value: Value | None, unit: str) -> str:
    if value is None:
        return ""
    number = f"{value.value:+g}" if unit in ("dB", "dBm") else f"{value.value:g}"
    doubt = f" ±{value.sigma:g}" if value.sigma else ""
    return f"{number.replace('-', '−')}{doubt} {unit}"


def read_value(text: str, unit: str, before: Value | None, today: str) -> Value | None:
    if not text.strip():
        return None
    number, _, doubt = text.removesuffix(unit).partition("±")
    sigma = abs(read_number(doubt, unit)) if doubt.strip() else (before.sigma if before is not None else 0.0)
    return Value(read_number(number, unit), sigma, "stated", today, TYPED)


def read_number(text: str, unit: str) -> float:
    cleaned = text.replace("−", "-").strip().removesuffix(unit).strip()
    try:
        number = float(cleaned)
    except ValueError:
        number = float("nan")
    if not abs(number) < 1e15:
        raise BadStation(f"'{text.strip()}' is no number{' of ' + unit if unit else ''}: write one such as -3 or 12.5")
    return number


def _numbers(text: str) -> list[float]:
    cleaned = text.replace("–", " ").replace(",", " ").replace("mA", " ").replace("V", " ")
    found: list[float] = []
    for word in cleaned.split():
        try:
            found.append(float(word))
        except ValueError:
            continue
    return found if all(0 <= number < 1e6 for number in found) else []


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
