"""What must lie on the table, as Markdown and HTML, with boxes to tick."""

from collections.abc import Iterable
from html import escape
from typing import Protocol

from yarddial.yard.plain_text import markdown_text


class Section(Protocol):
    """A heading and its lines."""

    @property
    def title(self) -> str:
        """Heading."""
        ...

    @property
    def lines(self) -> tuple[str, ...]:
        """Lines below it."""
        ...


def kit_markdown(name: str, sections: Iterable[Section]) -> str:
    """Markdown with a box to tick before each line."""
    text = [f"# {markdown_text(name)}: what must lie on the table", ""]
    for section in sections:
        text += [f"## {section.title}", "", *(f"- [ ] {markdown_text(line)}" for line in section.lines), ""]
    return "\n".join(text)


def kit_html(name: str, sections: Iterable[Section]) -> str:
    """HTML with a box to tick before each line."""
    parts = [f"<h1>{escape(name)}: what must lie on the table</h1>"]
    for section in sections:
        rows = "".join(f"<tr><td>☐&nbsp;&nbsp;</td><td>{escape(line)}</td></tr>" for line in section.lines)
        parts.append(f"<h2>{escape(section.title)}</h2><table cellpadding='2'>{rows}</table>")
    return f"<html><head><meta charset='utf-8'></head><body>{''.join(parts)}</body></html>"
