"""Sentences typed at the dial; expected values are the demo yard's own table and the band plan."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.yard.demo import demo_station
from yarddial.yard.dial_sentence import read_dial_sentence
from yarddial.yard.errors import BadFrequency

YARD = demo_station()


@pytest.mark.parametrize(
    ("text", "dial_hz", "mode", "demodulation"),
    [
        ("7.1 usb", 7.1e6, "ssb", "usb"), ("7.1, LSB", 7.1e6, "ssb", "lsb"), ("7100 kHz am", 7.1e6, "am", "am"),
        ("7.1 ssb", 7.1e6, "ssb", "lsb"), ("14.2 ssb", 14.2e6, "ssb", "usb"), ("96.2 fm", 96.2e6, "wfm", "wfm"),
        ("145.5 fm", 145.5e6, "nfm", "nfm"), ("40 m", 7.0e6, "ssb", None), ("40m", 7.0e6, "ssb", None),
        ("40 meters", 7.0e6, "ssb", None), ("3 cm", 10e9, "ssb", None), ("airband", 117.975e6, "am", None),
        ("Medium Wave", 526.5e3, "am", None), ("Northmark 10", 10e6, "am", None),
        ("northmark 5000", 5e6, "am", None), ("saltpan", 1.134e6, "am", None), ("lantern", 10.489e9, "cw", None),
        ("saltpan radio sam", 1.134e6, "am", "sam"), ("usb", None, "ssb", "usb"), ("cw", None, "cw", "cw"),
        ("14.305.000", 14.305e6, "", None), ("1134 kHz", 1.134e6, "", None),
    ],
)  # fmt: skip
def test_a_sentence_is_understood(text: str, dial_hz: float | None, mode: str, demodulation: str | None) -> None:
    wish = read_dial_sentence(text, YARD)
    assert (wish.dial_hz, wish.mode, wish.demodulation) == (dial_hz, mode, demodulation)
    assert wish.text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("northmark", "5.000 MHz, Northmark Time 10.000 MHz: add the frequency"), ("", "not a frequency"),
        ("the moon", "no frequency, band or known station"), ("40 q", "not a unit"), ("-7.1 usb", "cannot be negative"),
        ("northmark 11", "no frequency, band"), ("air", "no frequency, band"),
    ],
)  # fmt: skip
def test_what_is_none_of_them_is_refused_in_a_sentence(text: str, says: str) -> None:
    with pytest.raises(BadFrequency, match=says.replace(".", r"\.")):
        read_dial_sentence(text, YARD)


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        wish = read_dial_sentence(text, YARD)
    except BadFrequency as refused:
        assert str(refused)
    else:
        assert wish.dial_hz is None or 0 <= wish.dial_hz <= 1e12
