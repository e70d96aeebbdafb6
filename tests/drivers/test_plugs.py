"""What is plugged in before a simulated receiver."""

from math import log10

import pytest

from yarddial.drivers.simulated.driver import parse_address
from yarddial.drivers.simulated.plugs import COSTS_DB, LEAKS_DB, with_plug, with_query
from yarddial.yard.errors import DeviceNotFound


@pytest.mark.parametrize(("text", "hertz", "left_db"), [
    ("low-pass:40M:5", 40e6, -10 * log10(2) - COSTS_DB), ("low-pass:40M:5", 4e6, -COSTS_DB),
    ("low-pass:40M:5", 80e6, -10 * log10(1 + 2**10) - COSTS_DB), ("low-pass:40M:5", 8e9, -LEAKS_DB - COSTS_DB),
    ("high-pass:2M:3", 1e6, -10 * log10(1 + 2**6) - COSTS_DB), ("high-pass:2M:3", 0.0, -LEAKS_DB - COSTS_DB),
    ("notch:87M:109M:40", 96e6, -40.0), ("notch:87M:109M:40", 120e6, -COSTS_DB), ("attenuator:10", 7e6, -10.0),
])  # fmt: skip
def test_each_leaves_what_its_formula_says(text: str, hertz: float, left_db: float) -> None:
    plug = parse_address(f"finch?plug=ladder:{text}").plugs[0]
    assert plug.passed_db(hertz) == pytest.approx(left_db, abs=1e-3)


def test_a_part_stands_before_its_own_port_only_and_weakens_what_comes_from_outside() -> None:
    plain, plugged = (parse_address(a).world() for a in ("finch", "finch?plug=ladder:attenuator:10"))
    ladder, discone = plugged.port("ladder"), plugged.port("discone")
    assert ladder is not None
    assert discone is not None
    assert ladder.handed_db(7e6) == -10.0
    assert discone.handed_db(98e6) == 0.0
    before = plain.port("ladder")
    assert before is not None
    # The town's noise is far over the receiver's own on the lower bands.
    assert before.floor_dbm_hz(121e6) - ladder.floor_dbm_hz(121e6) == pytest.approx(10.0, abs=0.5)


def test_another_oscillator_is_off_by_as_many_ppm() -> None:
    plain, other = (parse_address(a).world() for a in ("finch", "finch?lo=100M"))
    own, changed = plain.ports[0].stages[0], other.ports[0].stages[0]
    assert changed.lo_hz == 100e6
    assert changed.lo_error_hz / 100e6 == pytest.approx(own.lo_error_hz / own.lo_hz)
    # Hearth is no up-converter.
    assert other.ports[2].stages == plain.ports[2].stages


def test_addresses_are_added_to() -> None:
    once = with_plug("simulated:finch?seed=7", "ladder:attenuator:10")
    twice = with_plug(once, "ladder:low-pass:40M:5")
    assert twice == "simulated:finch?seed=7&plug=ladder:attenuator:10,ladder:low-pass:40M:5"
    assert len(parse_address(twice.removeprefix("simulated:")).plugs) == 2
    assert with_query(with_query("a", "lo=1"), "lo=2") == "a?lo=2"


@pytest.mark.parametrize("text", [
    "roof:attenuator:10", "ladder:attenuator:-3", "ladder:attenuator:nan", "ladder:low-pass:x:5",
    "ladder:low-pass:40M:99", "ladder:magic", "ladder:notch:1M:2M",
])  # fmt: skip
def test_what_cannot_be_plugged_in_is_said(text: str) -> None:
    with pytest.raises(DeviceNotFound, match="ladder:low-pass:40M:5"):
        parse_address(f"finch?plug={text}")
