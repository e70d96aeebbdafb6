"""Safe display of text from outside: invisible and direction-changing characters are spelled out."""

import re
from typing import Any

# Controls not needed in text: C0 and C1, marks of writing direction (Unicode TR 9), separators, byte order mark,
# surrogates.
INVISIBLE_CHARACTERS = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff\ud800-\udfff]"
)
# Python's escape for a byte of a file name that is not UTF-8 (PEP 383).
_BYTES = range(0xDC80, 0xDD00)
# A cell that begins with one of these is computed by spreadsheets.
_FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r")
_MARKDOWN_SIGNS = re.compile(r"[\\`*_\[\]<>|#~]")
# Deeper nesting occurs in no yard and no log entry.
MAX_DEPTH = 40


def shown(text: str) -> str:
    """Spell out invisible characters, such as `⟨U+202E⟩`, or `⟨byte DF⟩` in a file name."""
    return INVISIBLE_CHARACTERS.sub(_written_out, text) if INVISIBLE_CHARACTERS.search(text) else text


def one_line(text: str) -> str:
    """Make text fit for a name: one line, without spaces around it."""
    return " ".join(shown(text).split())


def shown_in(value: Any, depth: int = 0) -> Any:
    """Apply `shown` to all texts of a JSON value, keys included; raises RecursionError where it is too deep."""
    if isinstance(value, str):
        return shown(value)
    if depth > MAX_DEPTH:
        raise RecursionError(f"values stand in each other more than {MAX_DEPTH} deep")
    if isinstance(value, dict):
        return {shown(str(key)): shown_in(item, depth + 1) for key, item in value.items()}
    if isinstance(value, list):
        return [shown_in(item, depth + 1) for item in value]
    return value


def csv_cell(value: Any) -> Any:
    """A cell that a spreadsheet shows and does not compute: a text that begins like a formula gets an apostrophe.

    Numbers stay as they are, as text too. `from_csv` takes the apostrophe off again.
    """
    if not isinstance(value, str):
        return "" if value is None else value
    text = shown(value)
    if not text.startswith(_FORMULA_SIGNS):
        return text
    try:
        float(text)
    except ValueError:
        return f"'{text}"
    return text


def from_csv(text: str) -> str:
    """Text of a cell that `csv_cell` wrote."""
    return text[1:] if text[:1] == "'" and text[1:].startswith(_FORMULA_SIGNS) else text


def markdown_text(text: str) -> str:
    """Text of one line in Markdown: no sign of it means a heading, a link, a picture, a table or HTML."""
    return _MARKDOWN_SIGNS.sub(r"\\\g<0>", one_line(text))


def _written_out(match: re.Match[str]) -> str:
    code = ord(match.group())
    return f"⟨byte {code - 0xDC00:02X}⟩" if code in _BYTES else f"⟨U+{code:04X}⟩"


def count_of(number: int, singular: str, many: str = "") -> str:
    """Number and noun, such as "one antenna", "three antennas"."""
    return f"{number} {singular if number == 1 else many or singular + 's'}"
