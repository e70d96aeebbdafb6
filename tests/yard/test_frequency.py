"""Frequencies as people write them."""

from decimal import Decimal

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import (
    format_frequency,
    format_hertz,
    format_number,
    format_sigma,
    parse_frequency,
    parse_range,
)

MILLIHERTZ = st.integers(min_value=-(10**14), max_value=10**14)


@pytest.mark.parametrize(
    ("text", "hertz"),
    [
        ("14.305M", 14_305_000),
        ("14,305,000", 14_305_000),
        ("14.305.000", 14_305_000),
        ("14305 kHz", 14_305_000),
        ("14305k", 14_305_000),
        ("-100.000.000", -100_000_000),
        ("−100 MHz", -100_000_000),
        ("1.2e9", 1_200_000_000),
        ("100e6", 100_000_000),
        ("14\u2009305\u2009000", 14_305_000),
        ("14 305,5 kHz", 14_305_500),
        ("14,305.5 kHz", 14_305_500),
        ("14.305,5 kHz", 14_305_500),
        ("14,3 MHz", 14_300_000),
        ("0,305 MHz", 305_000),
        ("14_305_000", 14_305_000),
        ("+2.4 GHz", 2_400_000_000),
        ("10.489 ghz", 10_489_000_000),
        ("7.1Mhz", 7_100_000),
        ("0", 0),
        (".5 MHz", 500_000),
    ],
)
def test_every_sane_spelling_is_read(text: str, hertz: int) -> None:
    assert parse_frequency(text) == hertz


@pytest.mark.parametrize("text", ["14,305", "14.305", "100,000 MHz", "7,100k"])
def test_a_text_with_two_readings_is_refused_with_both(text: str) -> None:
    with pytest.raises(BadFrequency) as refused:
        parse_frequency(text)
    low, high = refused.value.readings_hz
    assert high == pytest.approx(1000 * low)
    assert " or as " in str(refused.value)


@pytest.mark.parametrize(
    "text",
    [
        "",
        " ",
        "-",
        "MHz",
        "1.23.4",
        "14,30,500",
        "1 2 3",
        "12 34 MHz",
        "14.3 m",
        "5 mHz",
        "14.3 furlongs",
        "1e400",
        "nan",
        "inf",
        "1.5T",
        "--5",
        "1,234.567,8",
        "5e13 Hz",
        "1" * 80,
        "14.305.00",
        "٣ MHz x",
    ],
)
def test_nonsense_is_one_sentence(text: str) -> None:
    with pytest.raises(BadFrequency) as refused:
        parse_frequency(text)
    assert "\n" not in str(refused.value)


@pytest.mark.parametrize(
    ("text", "unit", "hertz"),
    [
        ("100.000", "MHz", 100e6),
        ("100", "MHz", 100e6),
        ("100000000", "MHz", 100e6),
        ("7100", "kHz", 7.1e6),
        ("100.000.000", "MHz", 100e6),
        ("5", "GHz", 5e9),
    ],
)
def test_a_bare_number_takes_the_unit_of_its_field(text: str, unit: str, hertz: float) -> None:
    assert parse_frequency(text, unit) == hertz


@given(MILLIHERTZ)
def test_what_is_written_is_read_back_to_the_millihertz(millihertz: int) -> None:
    hertz = float(Decimal(millihertz) / 1000)
    assert parse_frequency(format_frequency(hertz)) == hertz


@given(MILLIHERTZ, st.sampled_from([("Hz", 0), ("kHz", 3), ("MHz", 6), ("GHz", 9)]))
def test_plain_decimals_are_exact_in_every_unit(millihertz: int, unit: tuple[str, int]) -> None:
    name, power = unit
    text = f"{Decimal(millihertz).scaleb(-3 - power):f} {name}"
    assert parse_frequency(text) == float(Decimal(millihertz) / 1000)


@given(st.text(max_size=30))
def test_any_text_gives_a_number_or_one_sentence(text: str) -> None:
    try:
        hertz = parse_frequency(text)
    except BadFrequency as refused:
        assert "\n" not in str(refused).replace(text.strip(), "")
    else:
        assert abs(hertz) <= 1e12


def test_whole_kilohertz_lose_no_hertz() -> None:
    """The trap of multiplying a float and cutting it off: 1 491 of these come out one hertz low that way."""
    assert all(parse_frequency(f"{k / 1000:.3f} MHz") == k * 1000 for k in range(0, 100_000, 7))


def test_numbers_carry_as_many_digits_as_their_doubt_bears() -> None:
    assert format_hertz(-3098.44, 9.0) == "−3\u202f098 Hz"
    assert format_hertz(37.0, 6.0) == "+37 Hz"
    assert format_hertz(0.123, 0.04) == "+0.12 Hz"
    assert format_hertz(float("nan")) == "unknown"
    assert format_sigma(8100) == "±8.1 kHz"
    assert format_sigma(float("inf")) == "unknown"
    assert (format_sigma(0.0031), format_sigma(0.00031)) == ("±0.003 Hz", "±0.001 Hz")
    assert format_number(-0.0001, 0.4, signed=True) == "0.0"


@given(st.integers(1, 10**9), st.integers(1, 10**9), st.sampled_from(["-", " to ", "–", " ... ", " - "]))
def test_a_range_is_read_whichever_way_it_is_joined(first_hz: int, second_hz: int, joint: str) -> None:
    assume(first_hz != second_hz)
    wanted = tuple(sorted((float(first_hz), float(second_hz))))
    assert parse_range(f"{first_hz} Hz{joint}{second_hz} Hz") == wanted
    assert parse_range(f"{first_hz}{joint}{second_hz} Hz") == wanted


def test_what_is_no_range_is_left_to_the_frequency() -> None:
    assert parse_range("14.305M") is None
    assert parse_range("-100.000.000") is None
    assert parse_range("9.4-9.9k") == (9_400.0, 9_900.0)
    assert parse_range("526.5k-1.6065M") == (526_500.0, 1_606_500.0)
