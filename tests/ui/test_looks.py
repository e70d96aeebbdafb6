"""No text is cut, shortened or overlapped, in any place, at any size; `proofs/looks.py` does it with samples, too."""

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication

from slow_yards import slow_station
from text_rectangles import looks_of, settle
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.history_picture import even_dates
from yarddial.ui.start import dressed_application
from yarddial.yard.places import PLACE_NAMES
from yarddial.yard.station import Station


@pytest.fixture
def plain_again() -> Iterator[None]:
    yield
    dressed_application("day", 1.0)


@pytest.mark.parametrize("scale", [1.0, 1.5])
@pytest.mark.parametrize("station", [slow_station(), Station("My yard")], ids=["demo", "empty"])
def test_every_place_at_every_size(station: Station, scale: float, tmp_path: Path, plain_again: None) -> None:
    app = dressed_application("day", scale)
    log = tmp_path / "log.sqlite"
    window = MainWindow(Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(log)))
    window.poll_timer.stop()
    window.show()
    sizes = ((1280, 800), (1920, 1080)) if scale > 1 else ((1024, 700), (1280, 800), (1920, 1080))
    found = []
    for place in PLACE_NAMES:
        window.go(place)
        for wide, high in sizes:
            window.resize(wide, high)
            settle(app)
            assert (window.width(), window.height()) == (wide, high), f"{place}: the window does not fit"
            found += [f"{place} {wide}x{high}: {fault}" for fault in looks_of(window).faults()]
    window.close()
    assert not found, "\n".join(found)


def test_the_check_sees_what_is_cut(window: MainWindow) -> None:
    window.true.measure.setFixedWidth(40)
    settle(QApplication.instance())  # type: ignore[arg-type]
    assert any("button cut" in fault for fault in looks_of(window).faults())


@pytest.mark.parametrize("days", [3, 20, 60, 61, 200, 900, 4000])
def test_dates_are_round_and_few(days: int) -> None:
    first_s = datetime(2026, 3, 17, 13, 5, tzinfo=UTC).timestamp()
    dates = even_dates(first_s, first_s + days * 86_400)
    assert 1 <= len(dates) <= 8
    assert all(date.hour == date.minute == 0 for date in dates)
    assert days <= 60 or all(date.day == 1 for date in dates)
