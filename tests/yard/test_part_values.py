"""What is shown of a part can be typed back; what makes no sense is refused in one sentence."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.yard.demo import FINCH, HERON, LADDER, LONG_WIRE, PATCH
from yarddial.yard.errors import BadStation, YardDialError
from yarddial.yard.part_values import origin_text, values_of
from yarddial.yard.part_values.reading import feed_text, read_feed, read_need, read_socket
from yarddial.yard.parts import Feed, Need, Origin, Part, Socket
from yarddial.yard.shelf import shelf

TODAY = "2026-11-25"


def typed(part: Part, key: str, text: str) -> Part:
    return next(value for value in values_of(part) if value.key == key).with_text(text, TODAY)


@pytest.mark.parametrize("part", shelf(), ids=lambda part: part.name)
def test_every_value_on_the_shelf_reads_back_as_it_is_shown(part: Part) -> None:
    keys = [value.key for value in values_of(part)]
    assert len(set(keys)) == len(keys)
    for value in values_of(part):
        again = value.with_text(value.text, TODAY)
        shown = next(v for v in values_of(again) if v.key == value.key)
        assert shown.text == value.text, value.label
        assert not value.choices or value.text in value.choices


def test_a_typed_value_says_that_it_was_typed_and_when() -> None:
    changed = typed(LONG_WIRE, "low_hz", "150 kHz")
    value = next(value for value in values_of(changed) if value.key == "low_hz")
    assert (changed.low_hz, value.origin.provenance, value.origin.date) == (150e3, "stated", TODAY)  # type: ignore[union-attr]
    length = next(value for value in values_of(LONG_WIRE) if value.key == "length_m")
    assert origin_text(length.origin) == "measured 2026-05-02, tape"
    assert length.with_origin is not None
    assumed = length.with_origin(Origin("assumed", TODAY, "paced off"))
    assert assumed.origins["length_m"].note == "paced off"


def test_gain_steps_are_typed_as_a_list_and_the_setting_stays_on_one() -> None:
    changed = typed(HERON, "steps0", "-12 -6, 0 3")
    assert changed.gain_stages[0].steps_db == (-12.0, -6.0, 0.0, 3.0)  # type: ignore[union-attr]
    assert changed.gain_stages[0].set_db == 0.0  # type: ignore[union-attr]
    assert changed.gain_stages[0].control_text(-6.0) == "9 dB of attenuation"  # type: ignore[union-attr]
    assert len(FINCH.gain_stages[0].steps_db) == 24


@pytest.mark.parametrize(
    ("text", "socket"),
    [("SMA plug", Socket("SMA", "plug")), ("f jack 75 Ω", Socket("F", "jack", 75.0)), ("", Socket()),
     ("N jack, 50 ohm", Socket("N", "jack", 50.0)), ("F plug", Socket("F", "plug", 75.0))],
)  # fmt: skip
def test_connectors_are_read(text: str, socket: Socket) -> None:
    assert read_socket(text) == socket


def test_supplies_are_read() -> None:
    assert read_need("11 to 14 V, 160 mA by line") == Need(11.0, 14.0, 160.0, "line")
    assert read_need("5 V 90 mA from 5 V 500 mA on") == Need(4.75, 5.25, 90.0, "lead", Feed(5.0, 500.0, on=True))
    assert read_need("5 V, 90 mA from USB") == Need(4.75, 5.25, 90.0, "lead", Feed(5.0, 500.0, on=True, source="USB"))
    assert read_feed("hub 5 V 900 mA off") == Feed(5.0, 900.0, on=False, source="hub")
    assert read_feed("wall plug 12 V 1 A") == Feed(12.0, 1000.0, on=True, source="wall plug")
    assert read_feed("13 V 350 mA on 22 kHz") == Feed(13.0, 350.0, on=True, tone_khz=22.0)
    for feed in (read_feed("USB lead"), read_feed("wall plug 9 V 600 mA"), read_feed("battery 12 V 7000 mA off")):
        assert read_feed(feed_text(feed)) == feed
    # A word that is not known is never dropped.
    for text, word in (("5 V, 90 mA from a friend", "a"), ("5 V 90 mA by line sometimes", "sometimes")):
        with pytest.raises(BadStation, match=f"'{word}' is not understood"):
            read_need(text)
    assert read_need(" ") is None
    assert read_feed("4.7 V 150 mA") == Feed(4.7, 150.0, on=False)


@pytest.mark.parametrize(
    ("part", "key", "text"),
    [(LADDER, "input", "XYZ plug"), (LADDER, "need", "a lot"), (LADDER, "gain_db", "loud"), (LADDER, "lo", "14,305"),
     (PATCH, "gain_db", ""), (PATCH, "passes_dc", "perhaps"), (FINCH, "holes_hz", "1105"),
     (LONG_WIRE, "length_m", "-1"), (LADDER, "lo_sigma", "0"), (FINCH, "entered_ppm", "many"),
     (LONG_WIRE, "kind", "kite")],
)  # fmt: skip
def test_what_makes_no_sense_is_refused(part: Part, key: str, text: str) -> None:
    with pytest.raises(YardDialError) as refused:
        typed(part, key, text)
    assert "\n" not in str(refused.value)


@given(st.sampled_from(shelf()), st.text(max_size=20), st.data())
def test_any_text_is_a_value_or_one_sentence(part: Part, text: str, data: st.DataObject) -> None:
    value = data.draw(st.sampled_from(values_of(part)))
    if value.choices and text not in value.choices:
        return
    try:
        value.with_text(text, TODAY)
    except YardDialError as refused:
        assert "\n" not in str(refused) or "\n" in text
