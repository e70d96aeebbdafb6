"""Every main view at four sizes, by day and by night: no text cut, shortened or overlapped."""

import importlib.util
import os
import sys
from collections import Counter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication, QWidget

from text_rectangles import looks_of, settle
from yarddial.ui.main_window import MainWindow

SIZES = ((1280, 800, 1.0), (1024, 700, 1.0), (1920, 1080, 1.0), (1280, 800, 1.5), (1920, 1080, 1.5))
# Where pictures of all views are wanted too.
FOLDER = os.environ.get("LOOKS_FOLDER", "")
ROOT = Path(__file__).parents[1]


def prove() -> bool:
    """Lead a window through the job twice, in plain and in large lettering, and look at each view."""
    shots = _shots()
    counts: Counter[str] = Counter()
    for scale in (1.0, 1.5):
        sizes = [(wide, high) for wide, high, at in SIZES if at == scale]

        def take(app: QApplication, view: QWidget, name: str, sizes=sizes, scale=scale) -> None:
            first = view.size()
            for wide, high in sizes:
                is_window = isinstance(view, MainWindow)
                if is_window:
                    view.resize(wide, high)
                for theme in ("day", "night"):
                    settle(app)
                    where = f"{name} {wide}x{high} {scale:g}x {theme}"
                    counts["views"] += 1
                    if is_window and (view.width(), view.height()) != (wide, high):
                        counts["faults"] += 1
                        print(f"{where}: the window is {view.width()}x{view.height()}")
                    if FOLDER and theme == "day":
                        view.grab().save(f"{FOLDER}/{name}-{wide}x{high}-{scale:g}.png")
                    looks = looks_of(view)
                    counts["texts"] += len(looks.texts)
                    for fault in looks.faults():
                        kind = "shortened" if fault.startswith("shortened") else "faults"
                        counts[kind] += 1
                        if theme == "day":
                            print(f"{where}: {fault}", flush=True)
                    window = view if is_window else view.parent()
                    if isinstance(window, MainWindow):
                        window.change_theme()
                if not is_window:
                    break
            view.resize(first)

        shots.lead_through(take, scale, more=True)
    print(f"{counts['views']} views, {counts['texts']:,} texts: {counts['faults']} cut or overlapped, ", end="")
    print(f"{counts['shortened']} shortened with an ellipsis")
    return not counts["faults"]


def _shots():
    spec = importlib.util.spec_from_file_location("shots", ROOT / "docs" / "shots.py")
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    sys.modules["shots"] = made
    spec.loader.exec_module(made)
    return made


if __name__ == "__main__":
    raise SystemExit(not prove())
