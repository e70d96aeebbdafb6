"""The recorder's picture asked at known points; traces; sound without a device."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage, QPainter, QPen
from pytestqt.qtbot import QtBot

from yarddial.ui.sound_out import SoundOut
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart, _as_high
from yarddial.ui.widgets.traces import PlotTrace


@given(st.integers(1, 400), st.integers(1, 900))
def test_columns_keep_their_levels_at_any_height(rows: int, height: int) -> None:
    level = np.random.default_rng(rows).uniform(0, 1, (3, rows)).astype(np.float32)
    shown = _as_high(level, height)
    assert shown.shape == (3, height)
    assert shown.min() >= level.min() - 1e-6
    assert shown.max() <= level.max() + 1e-6
    # No line is lost by drawing it smaller.
    if height < rows:
        np.testing.assert_allclose(shown.max(axis=1), level.max(axis=1))
    np.testing.assert_allclose(_as_high(np.full((2, rows), 0.3, np.float32), height), 0.3, rtol=1e-6)


def test_a_line_is_ink_in_its_row_and_paper_beside_it(qtbot: QtBot) -> None:
    recorder = SpectrogramChart()
    qtbot.addWidget(recorder)
    recorder.resize(700, 400)
    recorder.show()
    recorder.begin(1_000.0, 0.1, 200)
    level_db = np.random.default_rng(1).normal(-110, 1, (300, 200)).astype(np.float32)
    level_db[:, 150] = -40.0
    recorder.add(level_db)
    picture = recorder.grab().toImage()
    chart, _ = recorder.areas()
    # Row 150 of 200, counted from below.
    y = chart.bottom() - 150.5 / 200 * chart.height()
    at = picture.pixelColor(int(chart.center().x()), round(y))
    beside = picture.pixelColor(int(chart.center().x()), round(y + 40))
    assert at.lightness() < palette().colour("card").lightness() - 120
    assert beside.lightness() > palette().colour("card").lightness() - 60


def test_highest_and_floor_are_kept_where_asked_for(qtbot: QtBot) -> None:
    recorder = SpectrogramChart()
    qtbot.addWidget(recorder)
    recorder.keeps_extremes = True
    recorder.begin(1_000.0, 0.1, 4)
    columns = np.array([[-90, -90, -90, -90], [-50, -90, -90, -120], [-90, -90, -90, -90]], np.float32)
    recorder.add(columns)
    np.testing.assert_allclose(recorder.peak_db, [-50, -90, -90, -90])
    # Down at once, then up by a tenth of a decibel a column.
    np.testing.assert_allclose(recorder.floor_db, [-90, -90, -90, -119.9], atol=1e-4)


def test_a_trace_goes_through_its_points() -> None:
    image = QImage(100, 100, QImage.Format.Format_RGB32)
    image.fill(0xFFFFFF)
    painter = QPainter(image)
    painter.setPen(QPen(0, 1))
    trace = PlotTrace()
    for x, y in ((np.array([10.0, 90.0]), np.array([20.0, 20.0])), (np.array([50.0, 50.0]), np.array([30.0, 90.0]))):
        trace.draw(painter, x, y)
    trace.draw(painter, np.array([1.0]), np.array([1.0]))
    painter.end()
    assert image.pixelColor(40, 20).lightness() < 50
    assert image.pixelColor(50, 60).lightness() < 50
    assert image.pixelColor(20, 60).lightness() > 200


def test_without_a_sound_device_it_is_quiet_and_says_so(qtbot: QtBot) -> None:
    parent = QObject()
    sound = SoundOut(parent)
    silence = np.zeros(480, np.float32)
    sound.play(silence, 48_000.0)
    if not sound.state.startswith("no sound"):
        pytest.skip("this machine has a sound device")
    for _ in range(3):
        sound.play(silence, 48_000.0)
    sound.stop()
    sound.play(silence, 44_100.0)
    assert sound.state.startswith("no sound")


def test_sound_from_afar_is_held_for_as_long_as_it_comes_unevenly(qtbot: QtBot) -> None:
    parent = QObject()
    sound = SoundOut(parent)
    sound.play(np.zeros(480, np.float32), 48_000.0)
    assert sound.remark == "", "what stands here comes evenly"
    sound.smooth(wanted=True)
    for _ in range(4):
        sound.play(np.full(4_800, 0.1, np.float32), 48_000.0)
        qtbot.wait(100)
    assert sound.remark.startswith("held 0.")
    # A second of nothing is a gap, and is said.
    qtbot.waitUntil(lambda: "1 gap in" in sound.remark, timeout=5_000)
    sound.stop()
    assert sound.remark == ""
