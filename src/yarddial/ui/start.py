"""Start of the window. Free of heavy imports, so that the first paint comes before anything else."""

import sys
import time
from typing import TYPE_CHECKING, Literal

import msgspec
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.opener import Files
from yarddial.ui.theme import lettering, style
from yarddial.ui.theme.palette import DAY, NIGHT
from yarddial.yard.plain_text import shown

if TYPE_CHECKING:
    from pathlib import Path

# Interval of checks whether a window is ready for its picture.
SETTLES_MS = 50


class WindowOptions(msgspec.Struct, frozen=True):
    """Options of the window.

    theme, text_scale : None for the preferences.
    picture : file for a picture of the first window, after which the program ends.
    say_painted : print the moment of the first paint.
    """

    theme: Literal["day", "night"] | None = None
    text_scale: float | None = None
    picture: "Path | None" = None
    say_painted: bool = False


def open_window(session: Session, options: WindowOptions, files: Files | None = None) -> int:
    """Open the window on a session; return the exit status when it is closed."""
    liked = session.preferences.now
    app = dressed_application(options.theme or liked.theme, options.text_scale or liked.text_scale)
    window = MainWindow(session, files)
    _end_in_good_order(window)
    window.show()
    if options.say_painted or options.picture:
        _when_painted(window, options.picture, options.say_painted)
    return app.exec()


def _end_in_good_order(window: MainWindow) -> None:
    """Close the window on Ctrl+C or SIGTERM; report uncaught errors in it and continue."""
    import signal

    def end() -> None:
        window.session.unkept.let_demo_go()
        window.close()

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: end())
    sys.excepthook = window.report_fault


def dressed_application(theme: str, text_scale: float) -> QApplication:
    """Create the application with its typefaces and colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    app.setApplicationName("Yard Dial")
    current = app.style()
    if current is None or current.objectName() != "fusion":
        app.setStyle("Fusion")
    lettering.set_scale(text_scale)
    lettering.load()
    style.apply(app, NIGHT if theme == "night" else DAY)
    return app


def _when_painted(window: MainWindow, picture: "Path | None", say: bool) -> None:
    """After the first paint report it; take a picture once the first place is shown."""

    def painted() -> None:
        if say:
            print(f"window painted at {time.time():.3f}", flush=True)
        if picture is not None:
            taken()

    def taken() -> None:
        if not window.is_furnished:
            QTimer.singleShot(SETTLES_MS, taken)
            return
        if not window.grab().save(str(picture)):
            print(shown(f"cannot write {picture}: choose another name ending in .png"), file=sys.stderr)
        window.close()

    QTimer.singleShot(0, painted)
