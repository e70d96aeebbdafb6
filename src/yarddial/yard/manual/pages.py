"""Manual pages as Markdown, and a text search over them."""

import re
from functools import cache
from pathlib import Path

import msgspec

from yarddial.yard.errors import BadStation
from yarddial.yard.glossary import GLOSSARY
from yarddial.yard.keys import listed_keys

# Pages in reading order; the last two are generated from the tables that the window uses.
WRITTEN = (
    "start", "evening", "safety", "bench", "first-light", "span", "levels", "true", "ghosts", "interference", "bands",
    "listen", "log", "receivers", "distance", "transceiver", "numbers", "files",
)  # fmt: skip
PAGES = (*WRITTEN, "words", "keys")


class Found(msgspec.Struct, frozen=True):
    """A search result: the page, and the matching line without Markdown marks."""

    page: str
    line: str


@cache
def text_of(page: str) -> str:
    """Text of a manual page; raises BadStation for an unknown name."""
    if page == "words":
        terms = sorted(GLOSSARY, key=lambda row: row[0].lower())
        rows = "\n\n".join(f"**{term}**: {meaning}" for term, meaning in terms)
        return f"# Words\n\n{rows}\n"
    if page == "keys":
        rows = "\n".join(f"| `{keys}` | {does} |" for keys, does in listed_keys())
        return f"# Keys\n\nIn a text they belong to the text.\n\n| key | does |\n| --- | --- |\n{rows}\n"
    if page not in WRITTEN:
        raise BadStation(f"the manual has no page '{page}': choose from {', '.join(PAGES)}")
    return (Path(__file__).parent / f"{page}.md").read_text(encoding="utf-8")


def title_of(page: str) -> str:
    """Heading of a manual page."""
    return text_of(page).partition("\n")[0].lstrip("# ")


def search(words: str) -> list[Found]:
    """Search all words together; matches in a heading rank first, then in one line, then on one page."""
    wanted = words.lower().split()
    ranked: list[tuple[int, int, Found]] = []
    for number, page in enumerate(PAGES if wanted else ()):
        text = text_of(page)
        plain = text.lower()
        if not all(word in plain for word in wanted):
            continue
        lines = [line for line in text.splitlines() if line.strip(" -|")]
        whole = [line for line in lines if all(word in line.lower() for word in wanted)]
        first = next((line for line in whole if line.startswith("#")), whole[0] if whole else "")
        best = first or next(line for line in lines if wanted[0] in line.lower())
        ranked.append((0 if first.startswith("#") else 1 if first else 2, number, Found(page, without_marks(best))))
    return [matching_page for _, _, matching_page in sorted(ranked, key=lambda row: row[:2])]


def without_marks(line: str) -> str:
    """Text of a Markdown line without its marks."""
    return " ".join(re.sub(r"[*`|#]|^\s*(-|\d+\.)\s", " ", line).split())
