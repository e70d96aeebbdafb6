"""Facts from a recording's name and open headers: the centre and the time of its beginning."""

import re
import struct
from pathlib import Path

from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import parse_frequency

# A number with its unit, as in file names: 7050kHz, 14.2_MHz, 137100000Hz.
_FREQUENCY = re.compile(r"(?<![\d.,])(\d{1,12}(?:[.,]\d{1,9})?)[ _]?([kMG]?Hz)(?![a-z])", re.IGNORECASE)
_MOMENT = re.compile(
    r"(?<!\d)((?:19|20)\d\d)-?([01]\d)-?([0-3]\d)(?:[T_ -]?([0-2]\d)[:h-]?([0-5]\d)[:m-]?([0-5]\d)?)?(?!\d)"
)
_UNITS = {"hz": "Hz", "khz": "kHz", "mhz": "MHz", "ghz": "GHz"}


def centre_in(name: str) -> float | None:
    """The one frequency in a file name, hertz; None without one or with several."""
    matches = _FREQUENCY.findall(name)
    if len(matches) != 1:
        return None
    digits, unit = matches[0]
    try:
        return parse_frequency(f"{digits.replace(',', '.')} {_UNITS[unit.lower()]}")
    except YardDialError:
        return None


def moment_in(name: str) -> str:
    """Date, with the time if present, as ISO 8601; empty without one or with several."""
    matches = _MOMENT.findall(name)
    if len(matches) != 1:
        return ""
    year, month, day, hour, minute, second = matches[0]
    date = f"{year}-{month}-{day}"
    return date if not hour else f"{date}T{hour}:{minute}:{second or '00'}"


def moment_in_wav(path: Path) -> str:
    """Beginning stated in a broadcast wave file (EBU Tech 3285: chunk `bext`); empty where absent."""
    try:
        with path.open("rb") as file:
            if file.read(4) not in (b"RIFF", b"RF64"):
                return ""
            file.seek(12)
            for _ in range(16):
                head = file.read(8)
                if len(head) < 8:
                    return ""
                name, size = struct.unpack("<4sI", head)
                if name == b"bext":
                    # Description 256, originator 32, its reference 32, then date 10 and time 8.
                    text = file.read(338)[320:].decode("ascii", "replace")
                    date, time = text[:10].replace("_", "-").replace(":", "-"), text[10:].replace("-", ":")
                    return f"{date}T{time}" if re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d", f"{date}T{time}") else ""
                file.seek(size + size % 2, 1)
    except OSError:
        return ""
    return ""
