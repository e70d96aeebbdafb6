"""A tone at a known frequency is drawn within a pixel of its place, in every chart and at every size."""

from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from pytestqt.qtbot import QtBot

from yarddial.analysis.ghosts.span import Span
from yarddial.engine.taps.picture import Picture
from yarddial.ui.places.ghosts.ghosts_picture import GhostsPicture
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart

SIZES = [(1024, 700), (1280, 800), (777, 431), (1920, 1003), (503, 307)]
# One pixel, and half of one for where a pixel's middle lies.
WITHIN_PX = 1.5


def _like(picture: QImage, role: str) -> np.ndarray:
    """Pixels of about a colour, rows by columns."""
    wanted = palette().colour(role)
    ink = np.array([wanted.red(), wanted.green(), wanted.blue()])
    pixels = np.array([
        [picture.pixelColor(x, y).getRgb()[:3] for x in range(picture.width())] for y in range(picture.height())
    ])  # fmt: skip
    return np.abs(pixels - ink).sum(axis=2) < 60


@pytest.mark.parametrize(("width", "height"), SIZES)
@pytest.mark.parametrize("share", [0.0713, 0.9142])
def test_ghosts_draws_a_tone_at_its_place(qtbot: QtBot, width: int, height: int, share: float) -> None:
    """The place by hand: the share of the span that lies below the tone. 1,999 bins divide by no width."""
    bins, rate_hz, centre_hz = 1_999, 2.048e6, 7.1e6
    step_hz = rate_hz / bins
    low_hz = centre_hz - rate_hz / 2 + step_hz / 2
    level_dbm = np.full(bins, -130.0)
    tone = int(share * bins)
    level_dbm[tone] = -40.0
    span = Span(low_hz, step_hz, level_dbm, centre_hz, rate_hz, 1.0)
    test = SimpleNamespace(before=span, judged=(), doing="", route=None)
    chart = GhostsPicture(test, SimpleNamespace(request=None, ghosts=()))  # type: ignore[arg-type]
    qtbot.addWidget(chart)
    chart.resize(width, height)
    picture = chart.grab().toImage()
    left, right = chart._chart().left(), chart._chart().right()
    wanted_x = left + (tone + 0.5) / bins * (right - left)
    # The trace stands far above its floor at one place: a row of pixels a third of the way up crosses its two flanks.
    top, base = chart._chart().top(), chart._chart().top() + 0.7 * chart._chart().height()
    near = range(int(wanted_x) - 40, int(wanted_x) + 41)
    darkest = [
        min(near, key=lambda x: picture.pixelColor(x, int(y)).lightness())
        for y in np.linspace(top + 0.12 * (base - top), top + 0.2 * (base - top), 5)
    ]
    assert abs(float(np.mean(darkest)) + 0.5 - wanted_x) <= WITHIN_PX


@pytest.mark.parametrize(("width", "height"), SIZES)
@pytest.mark.parametrize("offset_hz", [-713.0, 391.5])
def test_the_pen_recorder_draws_a_tone_at_its_place(qtbot: QtBot, width: int, height: int, offset_hz: float) -> None:
    """From samples to pixels: the picture's rows, the chart's ink, and the profile beside it."""
    rate_hz, half_hz = 48_000.0, 1_000.0
    time_s = np.arange(4 * 48_000) / rate_hz
    samples = 0.1 * np.exp(2j * np.pi * offset_hz * time_s)
    noise = np.random.default_rng(4).normal(0, 1e-4, (2, time_s.size))
    drawn = Picture(rate_hz, half_hz, 400, 0.1)
    columns = drawn.push((samples + noise[0] + 1j * noise[1]).astype(np.complex64))
    assert drawn.half_span_hz == pytest.approx(half_hz, rel=0.01)
    half_hz = drawn.half_span_hz
    chart = SpectrogramChart()
    qtbot.addWidget(chart)
    chart.resize(width, height)
    chart.begin(half_hz, 0.1, columns.shape[1])
    chart.add(columns)
    picture = chart.grab().toImage()
    area, margin = chart.areas()
    wanted_y = area.bottom() - (offset_hz + half_hz) / (2 * half_hz) * area.height()
    # Columns stand from the left until the chart is full.
    x = int(area.left()) + columns.shape[0] // 2
    dark = np.array([255.0 - picture.pixelColor(x, y).lightness() for y in range(int(area.top()), int(area.bottom()))])
    dark -= np.median(dark)
    dark[dark < 0.9 * dark.max()] = 0.0
    middle = float(dark @ np.arange(dark.size)) / float(dark.sum()) + int(area.top()) + 0.5
    # A row of the picture is the finest that is drawn.
    assert abs(middle - wanted_y) <= max(1.0, 0.5 * area.height() / 400)
    tip = next(
        x for x in range(int(margin.right()), int(margin.left()), -1)
        if any(picture.pixelColor(x, y).lightness() < 150 for y in range(int(area.top()), int(area.bottom())))
    )  # fmt: skip
    rows = [y for y in range(int(area.top()), int(area.bottom())) if picture.pixelColor(tip, y).lightness() < 150]
    assert abs(float(np.mean(rows)) + 0.5 - wanted_y) <= max(WITHIN_PX, area.height() / 400)
