"""Words that people did not understand are gone from all that the program says; a check of its own texts."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "yarddial"
RETIRED = re.compile(
    r"\b(bears?|doubts?|bends|half way costs|all of it costs|its converter|not apart|onto|sets? the points|said by)\b",
    re.IGNORECASE,
)


def said(tree: ast.Module) -> Iterator[ast.Constant]:
    """Texts of a module that are no docstrings."""
    told = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in told:
            yield node


def test_no_text_uses_a_retired_word() -> None:
    paths = sorted(SOURCE.rglob("*.py"))
    assert len(paths) > 300
    found = [
        f"{path.relative_to(SOURCE)}:{text.lineno}: {text.value}"
        for path in paths
        for text in said(ast.parse(path.read_text(encoding="utf-8")))
        # A text of one word is a name for the program, not for people.
        if " " in str(text.value).strip() and RETIRED.search(str(text.value))
    ]
    assert not found, "\n".join(found)
