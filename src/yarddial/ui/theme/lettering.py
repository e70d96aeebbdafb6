"""Typefaces shipped with the program, and their sizes."""

import os
from typing import Literal

from PyQt6.QtGui import QFont, QFontDatabase

Face = Literal["serif", "sans", "mono"]

# Family name and weight, filled in when the files are loaded.
_FILES = {
    "serif": ("SourceSerif4_600SemiBold.ttf",),
    "sans": ("IBMPlexSans_400Regular.ttf", "IBMPlexSans_500Medium.ttf", "IBMPlexSans_600SemiBold.ttf"),
    "mono": ("IBMPlexMono_400Regular.ttf", "IBMPlexMono_500Medium.ttf"),
}
_families: dict[str, str] = {}
_scale = 1.0
# Cached fonts: a page asks for the same ones hundreds of times.
_fonts: dict[tuple[float, str, int], QFont] = {}


def load() -> None:
    """Register the shipped faces with Qt; call once there is an application."""
    # importlib.resources would take a tenth of the time to the first paint.
    folder = os.path.join(os.path.dirname(__file__), "fonts")
    for face, names in _FILES.items():
        for name in names:
            number = QFontDatabase.addApplicationFont(os.path.join(folder, name))
            families = QFontDatabase.applicationFontFamilies(number)
            if families:
                _families.setdefault(face, families[0])
    _fonts.clear()


def set_scale(scale: float) -> None:
    """Set the scale of all fonts, from 0.8 to 2.0."""
    global _scale
    _scale = min(max(scale, 0.8), 2.0)
    _fonts.clear()


def scale() -> float:
    """Present scale of the fonts."""
    return _scale


def px(size: float) -> int:
    """Length in pixels that grows with the font scale."""
    return round(size * _scale)


def font(size: float = 13, face: Face = "sans", weight: int = 400) -> QFont:
    """Font of a pixel size at scale 1; readouts have a slashed zero. Shared: the caller must not change it."""
    key = (size, face, weight)
    if key not in _fonts:
        _fonts[key] = _make(size, face, weight)
    return _fonts[key]


def _make(size: float, face: Face, weight: int) -> QFont:
    chosen = QFont(_families.get(face, face))
    chosen.setPixelSize(max(px(size), 6))
    chosen.setWeight(QFont.Weight(600 if face == "serif" else weight))
    if face == "mono":
        chosen.setFeature(QFont.Tag(b"zero"), 1)
    return chosen
