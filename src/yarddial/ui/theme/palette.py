"""Colours of day and night. Text keeps a contrast of 4.5:1 on paper and card; marks differ by shape too."""

import msgspec
from PyQt6.QtGui import QColor


class Palette(msgspec.Struct, frozen=True):
    """Named colours, as #RRGGBB."""

    name: str
    paper: str
    card: str
    ink: str
    quiet: str
    hairline: str
    spruce: str
    vermilion: str
    ochre: str
    slate: str
    on_spruce: str

    def colour(self, role: str, alpha: float = 1.0) -> QColor:
        """A colour by its role, with opacity."""
        colour = QColor(getattr(self, role))
        colour.setAlphaF(alpha)
        return colour


# Darker than a printed ochre, so that text in it is readable on paper.
DAY = Palette(
    "day", "#F3EEE3", "#FBF8F1", "#22302B", "#5E675F", "#CFC7B6", "#1E5B4B", "#B73A27", "#8A5C0F", "#3E5C7A", "#FBF8F1"
)
NIGHT = Palette(
    "night",
    "#131A17",
    "#1B2420",
    "#DCE5DD",
    "#93A097",
    "#34413A",
    "#5DB79B",
    "#EE7A64",
    "#DDA648",
    "#8FB2D6",
    "#131A17",
)

_now = DAY


def palette() -> Palette:
    """Present colours."""
    return _now


def use(chosen: Palette) -> None:
    """Set the palette; the caller repaints."""
    global _now
    _now = chosen


def mark_role(mark: str) -> str:
    """The colour role of a verdict's mark."""
    return {"good": "spruce", "look": "ochre", "stop": "vermilion"}.get(mark, "quiet")
