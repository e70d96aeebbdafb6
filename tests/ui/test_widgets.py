"""The pieces on the page, by the colours and words at known points."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from yarddial.session.finding import Act, Finding, going
from yarddial.ui.dial.dial import DialEntry
from yarddial.ui.dial.scale import SlideRule
from yarddial.ui.findings_bar import FindingsBar
from yarddial.ui.places.true.error_picture import ErrorPicture
from yarddial.ui.start import dressed_application
from yarddial.ui.theme.palette import DAY, NIGHT
from yarddial.ui.widgets.axis import nice_step, tick_text
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart
from yarddial.ui.widgets.value_field import ValueField
from yarddial.yard.demo import demo_station
from yarddial.yard.dial_sentence import read_dial_sentence
from yarddial.yard.errors import BadFrequency
from yarddial.yard.modes import mode_named
from yarddial.yard.oscillators import Oscillators, known_oscillators


@pytest.fixture(autouse=True)
def dressed(qtbot: QtBot) -> None:
    dressed_application("day", 1.0)


def shown(qtbot: QtBot, widget: QWidget, width: int, height: int) -> QImage:
    qtbot.addWidget(widget)
    widget.resize(width, height)
    return widget.grab().toImage()


def near(picture: QImage, x: float, y: float, colour: str, reach: int = 2) -> bool:
    """True when a pixel near the point has about this colour."""
    wanted = QColor(colour)
    for dx in range(-reach, reach + 1):
        for dy in range(-reach, reach + 1):
            got = picture.pixelColor(round(x) + dx, round(y) + dy)
            if (
                max(abs(got.red() - wanted.red()), abs(got.green() - wanted.green()), abs(got.blue() - wanted.blue()))
                < 40
            ):
                return True
    return False


@given(st.floats(1e-3, 1e10), st.integers(1, 12))
def test_steps_are_round_and_not_too_many(width: float, limit: int) -> None:
    step = nice_step(width, limit)
    assert width / step <= limit * 1.01
    mantissa = float(f"{step:e}".split("e")[0])
    assert min(abs(mantissa - good) for good in (1.0, 2.0, 5.0)) < 1e-6


def test_ticks_carry_as_many_decimals_as_their_step() -> None:
    assert tick_text(10.05, 0.05) == "10.05"
    assert tick_text(-20, 10, signed=True) == "−20"
    assert tick_text(20, 10, signed=True) == "+20"
    assert tick_text(0, 10, signed=True) == "0"
    assert tick_text(12_000, 1000) == "12\u202f000"


def test_marks_differ_by_shape_not_only_by_colour(qtbot: QtBot) -> None:
    """In black and white, corners and centre tell the four apart."""
    shapes = set()
    for name in ("good", "look", "stop", "unknown"):
        mark = MarkSign(name, size=30)
        picture = shown(qtbot, mark, 34, 34)
        ground = picture.pixelColor(0, 0).lightness()
        dark = tuple(
            abs(picture.pixelColor(x, y).lightness() - ground) > 30
            for x, y in ((17, 17), (4, 4), (30, 4), (4, 29), (17, 4))
        )
        shapes.add(dark)
    assert len(shapes) == 4


def test_a_click_on_the_slide_rule_dials_the_place_clicked(qtbot: QtBot) -> None:
    rule = SlideRule()
    qtbot.addWidget(rule)
    rule.resize(400, 50)
    rule.show_place(10e6, ((0.1e6, 30e6),), ((10.05e6, "x"),))
    half_hz = nice_step(10e6 * 0.012, 1)
    with qtbot.waitSignal(rule.dialled) as heard:
        qtbot.mouseClick(rule, Qt.MouseButton.LeftButton, pos=QPoint(300, 30))
    assert heard.args[0] == pytest.approx(10e6 + half_hz / 2, rel=1e-3)
    picture = rule.grab().toImage()
    assert near(picture, 200, 20, DAY.vermilion)
    assert near(picture, 200 + 0.05e6 / half_hz * 200, 20, DAY.spruce)


@pytest.mark.parametrize("hertz", [10e6, 145.2e6, 10_489_550_000.123])
@pytest.mark.parametrize("width", [210, 300])
def test_the_dial_shrinks_its_lettering_rather_than_cut_a_digit_off(qtbot: QtBot, hertz: float, width: int) -> None:
    entry = DialEntry(lambda text: read_dial_sentence(text, demo_station()))
    qtbot.addWidget(entry)
    entry.resize(width, 48)
    entry.show_text(f"{hertz / 1e6:,.9f}".replace(",", "\u202f"))
    assert entry.fontMetrics().horizontalAdvance(entry.text()) <= width or entry.font().pixelSize() == 17


@pytest.mark.parametrize("theme", ["day", "night"])
def test_the_picture_is_one_ramp_of_ink_in_either_theme(qtbot: QtBot, theme: str) -> None:
    dressed_application(theme, 1.0)
    palette = DAY if theme == "day" else NIGHT
    recorder = SpectrogramChart()
    recorder.begin(100.0, 0.1, 256)
    ramp = np.linspace(-100, -40, 256).astype(np.float32)
    recorder.add(np.tile(ramp, (100, 1)))
    picture = shown(qtbot, recorder, 700, 360)
    chart, _ = recorder.areas()
    column = [
        picture.pixelColor(
            round(chart.left()) + 20, round(chart.bottom() - (i + 0.5) / 20 * chart.height())
        ).lightness()
        for i in range(20)
    ]
    # Row 10 is the stated line; the others go one way from card to ink.
    rest = [value for i, value in enumerate(column) if i not in (9, 10)]
    assert rest == sorted(rest, reverse=theme == "day")
    assert abs(rest[-1] - QColor(palette.ink).lightness()) < 25
    dressed_application("day", 1.0)


def test_the_error_picture_lies_where_the_error_is(qtbot: QtBot) -> None:
    """A crystal slow by 20 ppm, exactly known: the direct wedge lies above zero, and leaves zero's line free."""
    station = demo_station()
    plain = known_oscillators(station)
    values = tuple(-20.0 if name.startswith("crystal") else 0.0 for name in plain.names)
    known = Oscillators(plain.names, values, tuple(tuple(0.0 for _ in plain.names) for _ in plain.names))
    picture_of_errors = ErrorPicture()
    picture_of_errors.show_routes(station, known, mode_named("am"))
    picture = shown(qtbot, picture_of_errors, 700, 160)
    wedges = picture_of_errors.wedges
    assert [name for name, _ in wedges] == [line.name for line in station.resolved_routes()]
    hertz, error_hz, sigma_hz = wedges[1][1][12]
    assert error_hz == pytest.approx(hertz * 20e-6 / (1 - 20e-6), rel=1e-3)
    assert sigma_hz == 0.0
    dark = [y for y in range(4, 120) if near(picture, 580, y, DAY.spruce, 0)]
    assert dark
    assert max(dark) < 60


def test_a_field_submits_refuses_and_takes_back(qtbot: QtBot) -> None:
    taken: list[str] = []

    def submit(text: str) -> None:
        if text == "bad":
            raise BadFrequency("'bad' is not a frequency")
        taken.append(text)

    field = ValueField("a value", submit)
    qtbot.addWidget(field)
    field.show_value("10 MHz")
    field.show()
    for typed, wrong in (("bad", True), ("12 MHz", False)):
        field.selectAll()
        qtbot.keyClicks(field, typed)
        qtbot.keyClick(field, Qt.Key.Key_Return)
        assert bool(field.property("wrong")) is wrong
    assert taken == ["12 MHz"]
    field.selectAll()
    qtbot.keyClicks(field, "bad")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "10 MHz"
    assert not field.property("wrong")


def test_findings_open_and_their_fixes_are_heard(qtbot: QtBot) -> None:
    bar = FindingsBar()
    qtbot.addWidget(bar)
    bar.show()
    bar.show_findings((going("stop", "first", "why", "Log"), Finding("look", "second", "why", Act("apply"), "Apply")))
    assert [row.isVisible() for row in bar.rows] == [True]
    qtbot.keyClick(bar.toggle, Qt.Key.Key_Return)
    assert [row.isVisible() for row in bar.rows] == [True, True]
    with qtbot.waitSignal(bar.fixed) as heard:
        qtbot.keyClick(bar.rows[1].fix, Qt.Key.Key_Return)
    assert heard.args[0].fix == Act("apply")
    bar.show_findings(())
    assert not any(row.isVisible() for row in bar.rows)
    assert bar.quiet.isVisible()
