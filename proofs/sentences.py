"""Every sentence that the program can say, on one page, filled with extremes: to be read as a stranger.

Writes build/sentences.md, module by module. Counts are filled with 0, 1 and many, names with a long one. What a
machine can see is refused: a retired word, "1 routes", two spaces, a doubled stop.
"""

import ast
import re
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE, PAGE = ROOT / "src" / "yarddial", ROOT / "build" / "sentences.md"
RETIRED = re.compile(
    r"\b(bears?|doubts?|bends|half way costs|all of it costs|its converter|not apart|onto|sets? the points|said by|"
    r"points lie|against it|is kept of it)\b",
    re.IGNORECASE,
)
LONG = "Long wire behind the second shed"
# A count and a plural behind it, with nothing that tells one from many.
COUNTED = re.compile(r"\x01(\S*)\x02 ([a-z]+s)\b")
NO_PLURALS = {
    "is",
    "was",
    "has",
    "hears",
    "reads",
    "less",
    "as",
    "this",
    "us",
    "always",
    "across",
    "does",
    "takes",
    "gives",
    "stands",
    "falls",
    "passes",
    "reaches",
    "fits",
    "needs",
    "its",
    "serves",
    "ends",
    "carries",
    "covers",
    "lies",
    "shows",
    "means",
    "says",
    "runs",
    "tunes",
    "samples",
    "counts",
    "adds",
    "leaves",
    "moves",
    "keeps",
    "comes",
    "goes",
    "puts",
    "sets",
    "brings",
    "makes",
    "plays",
    "answers",
    "feeds",
    "harms",
    "holds",
    "knows",
    "opens",
    "closes",
    "gets",
    "draws",
    "drives",
    "lets",
    "tells",
    "loses",
    "overloads",
    "helps",
    "alters",
    "begins",
    "sits",
    "waits",
    "works",
    "explains",
    "disagrees",
    "asks",
    "cuts",
    "rises",
    "sees",
    "starts",
    "stops",
    "rests",
    "returns",
    "chooses",
    "allows",
    "wants",
    "names",
    "burns",
    "bits",
}

# Counts that cannot be one there, or stand behind "1 of".
TOLD_ELSEWHERE = re.compile(
    r"ghosts stand|measurements left out|windows of|bands are reachable|more than the|oscillators|cannot be read|gaps|"
    r"Open all"
)


def prove() -> bool:
    """Write the page; True where nothing on it is refused."""
    lines: list[str] = ["# What the program can say", ""]
    faults: list[str] = []
    count = 0
    for path in sorted(SOURCE.rglob("*.py")):
        told = sorted(set(_sentences(ast.parse(path.read_text(encoding="utf-8")))))
        if not told:
            continue
        name = str(path.relative_to(SOURCE))
        lines += [f"## {name}", ""]
        for number, template in told:
            filled = _filled(template)
            count += 1
            lines += [f"- {number}: {' / '.join(filled)}"]
            faults += [f"{name}:{number}: {fault}" for fault in _faults(template, filled)]
        lines.append("")
    PAGE.parent.mkdir(exist_ok=True)
    PAGE.write_text("\n".join(lines), encoding="utf-8")
    print(f"{count:,} sentences on {PAGE.relative_to(ROOT)}; refused: {len(faults)}")
    for fault in faults:
        print(fault)
    return not faults


def _sentences(tree: ast.Module) -> Iterator[tuple[int, str]]:
    """Texts of two words and more that are no docstrings; each placeholder is its source between two marks."""
    docstrings = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    inside: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            inside |= {id(part) for part in ast.walk(node) if part is not node}
    for node in ast.walk(tree):
        text = ""
        if isinstance(node, ast.JoinedStr) and id(node) not in inside:
            text = "".join(
                str(part.value) if isinstance(part, ast.Constant)
                else f"\x01{ast.unparse(part.value).replace(' ', '')}\x02" if isinstance(part, ast.FormattedValue)
                else "" for part in node.values
            )  # fmt: skip
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and not {id(node)} & (docstrings | inside):
            text = node.value
        plain = re.sub(r"\x01.*?\x02", "x", text)
        if re.search(r"[a-z]{2,} [a-z(\d]", plain) and not re.search(
            r"[{}<>=;]\s*$|^\s*[.#Q]|border|SELECT|CREATE", plain
        ):
            yield node.lineno, text


def _filled(template: str) -> list[str]:
    """With the least and the most that its placeholders hold."""
    if "\x01" not in template:
        return [template]
    return [re.sub(r"\x01(.*?)\x02", lambda m, n=n: _extreme(m.group(1), n), template) for n in range(3)]


def _extreme(source: str, which: int) -> str:
    if re.search(r"len\(|count|number|sum\(|seconds|_s\b", source):
        return ("0", "1", "1 234 567")[which]
    if re.search(r"_hz|frequency|format_", source):
        return ("0 Hz", "−0.4 Hz", "10 489.750 000 MHz")[which]
    if re.search(r"_db|_dbm|ppm|%|share|:\.|:,", source):
        return ("0", "−0.1", "1 200")[which]
    return ("", "X", LONG)[which] if "*" in source or "if" in source else ("?", "X", LONG)[which]


def _faults(template: str, filled: list[str]) -> Iterator[str]:
    if RETIRED.search(re.sub(r"\x01.*?\x02", "x", template)):
        yield f"a retired word: {template!r}"
    for source, noun in COUNTED.findall(template):
        counts = re.search(r"len\(|\bcount\b|counts\[|sum\(|number\b", source)
        if (
            counts
            and noun not in NO_PLURALS
            and "if" not in source
            and not TOLD_ELSEWHERE.search(template)
            and "!=1" not in template
        ):
            yield f"'1 {noun}': {template!r}"
    for text in filled[-1:]:
        if "  " in text.strip() and "\n" not in text and not re.search(r"  \(|   ", text):
            yield f"two spaces: {text!r}"
        if any(a == b == "." for a, b in pairwise(text)) and "..." not in text:
            yield f"two stops: {text!r}"


if __name__ == "__main__":
    raise SystemExit(not prove())
