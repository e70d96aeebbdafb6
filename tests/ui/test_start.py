"""The program as it is started from a shell."""

import os
import subprocess
import sys
from pathlib import Path

from PyQt6.QtGui import QImage


def test_a_picture_of_the_first_window_shows_its_place(tmp_path: Path) -> None:
    path = tmp_path / "first.png"
    call = [sys.executable, "-m", "yarddial", "--demo", "--picture", str(path)]
    subprocess.run(call, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, check=True, timeout=100)
    picture = QImage(str(path))
    assert not picture.isNull()
    # Between the column of places and the right edge, under the strip: a heading, a chart, buttons.
    shades = {
        picture.pixel(x, y)
        for x in range(picture.width() // 4, picture.width() * 3 // 4, 3)
        for y in range(picture.height() // 4, picture.height() * 3 // 4, 3)
    }
    assert len(shades) > 20
