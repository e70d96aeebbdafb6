"""Settings: what lasts, what cannot be read, where the sun stands."""

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.records.preference_file import PreferenceFile
from yarddial.session.preferences.keeper import PreferenceKeeper
from yarddial.session.preferences.sun import sun_sentence
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_frequency, parse_frequency
from yarddial.yard.level import Level
from yarddial.yard.locator import middle_of, read_locator
from yarddial.yard.preferences import Preferences


def test_a_change_is_in_the_file_and_a_newer_programs_field_stays(tmp_path: Path) -> None:
    place = tmp_path / "deep" / "settings.json"
    place.parent.mkdir()
    place.write_text('{"theme": "night", "unheard_of": [1]}')
    file = PreferenceFile(place)
    now, trouble = file.read()
    assert (now.theme, trouble) == ("night", "")
    PreferenceKeeper(now, file.save).change(text_scale=1.5)
    told = json.loads(place.read_text())
    assert (told["text_scale"], told["theme"], told["unheard_of"]) == (1.5, "night", [1])


@pytest.mark.parametrize("text", ["", "{", "[]", '{"theme": "green"}', '{"text_scale": 9}', '{"locator": "ZZ"}'])
def test_what_cannot_be_read_is_said_and_the_usual_holds(tmp_path: Path, text: str) -> None:
    place = tmp_path / "settings.json"
    place.write_text(text)
    now, trouble = PreferenceFile(place).read()
    assert now == Preferences()
    assert trouble


def test_a_folder_that_cannot_be_made_is_said_and_the_change_holds(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    keeper = PreferenceKeeper(None, PreferenceFile(tmp_path / "file" / "settings.json").save)
    keeper.change(theme="night")
    assert keeper.now.theme == "night"
    assert "until the program is closed" in keeper.trouble


@given(st.floats(1e3, 1e11))
def test_digits_can_be_read_back_either_way(hertz: float) -> None:
    keeper = PreferenceKeeper()
    try:
        for digits in ("plain", "grouped"):
            keeper.change(digits=digits)
            text = format_frequency(hertz, 0)
            assert ("\u202f" in text) <= (digits == "grouped")
            assert abs(parse_frequency(text) - hertz) <= 0.51
    finally:
        PreferenceKeeper()


def test_the_unit_liked_comes_first() -> None:
    keeper = PreferenceKeeper()
    assert Level(-73.0, "hf").said() == "−73.0 dBm, S9"
    keeper.change(level_unit="S")
    assert Level(-93.0, "vhf").said() == "S9, −93.0 dBm"
    PreferenceKeeper()


@pytest.mark.parametrize(("text", "place"), [("AA00", (-89.5, -179.0)), ("JJ00", (0.5, 1.0)), ("RR", (85.0, 170.0))])
def test_a_locator_is_where_its_rule_puts_it(text: str, place: tuple[float, float]) -> None:
    assert middle_of(read_locator(text.lower())) == place


def test_six_signs_lie_within_their_four() -> None:
    four, six = middle_of("KL35"), middle_of(read_locator("kl35xa"))
    assert abs(six[0] - four[0]) <= 0.5
    assert abs(six[1] - four[1]) <= 1.0


@pytest.mark.parametrize("text", ["ZZ", "K", "KL3", "KL35x", "KL35xy9", "12"])
def test_what_is_no_locator_is_refused(text: str) -> None:
    with pytest.raises(BadStation):
        read_locator(text)


def test_at_the_equator_the_sun_keeps_its_hours() -> None:
    """On the equator at the equinox the sun rises near 6 and sets near 18, local mean time (here UTC)."""
    noon = datetime(2026, 3, 20, 12, tzinfo=UTC)
    assert "not near" in sun_sentence("JJ00", noon)
    assert "at its worst" in sun_sentence("JJ00", noon - timedelta(hours=6))
    assert "at its worst" in sun_sentence("JJ00", noon + timedelta(hours=6))
    assert "neither" in sun_sentence("JR00", noon + timedelta(days=93))
    assert sun_sentence("", noon) == ""
