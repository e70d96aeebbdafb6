"""The hunt for interference: fingerprints of signals made without our code, and nobody accused by one look."""

import msgspec
import numpy as np
import pytest

import hunt as campaign
from houses import House, Source
from yarddial.analysis.ghosts.span import Span
from yarddial.analysis.interference.fingerprint import AirRecord, comb_of, find, strength_db
from yarddial.analysis.interference.search import AS_IT_IS, SearchRecord


def one_source(**traits: object) -> House:
    source = Source("kitchen lamp", where="kitchen", over_db=14.0, **traits)  # type: ignore[arg-type]
    return House(3, (source,), {"kitchen": ("kitchen lamp", "kitchen router"), "office": ("office lamp",)}, 7e6)


def test_a_comb_is_known_by_its_spacing_and_pulses_by_the_mains() -> None:
    comb = find(campaign.look(one_source(kind="comb", clock_hz=71_300.0, mains_hz=120.0)))
    assert comb.pattern == "comb"
    # Its clock wanders by three parts in ten thousand from look to look.
    assert comb.spacing_hz == pytest.approx(71_300.0, rel=2e-3)
    pulses = find(campaign.look(one_source(kind="pulses", mains_hz=100.0)))
    assert (pulses.pattern, pulses.mains_hz) == ("pulses", 100.0)
    quiet = find(campaign.look(House(3, (), {}, 7e6)))
    assert quiet.pattern == "noise"


def test_the_culprit_is_found_by_going_and_coming_back_and_nobody_else_is_named() -> None:
    told = campaign.searched(one_source(kind="comb", clock_hz=45e3, mains_hz=100.0)).verdict()
    assert (told.state, told.culprit) == ("named", "kitchen lamp")
    outside = Source("street lamp", "pulses", "outside", 14.0, mains_hz=100.0)
    told = campaign.searched(House(4, (outside,), {"kitchen": ()}, 7e6)).verdict()
    assert told.culprit == "something outside the house"
    assert "power line" in told.advice


@pytest.mark.parametrize(
    ("where", "culprit"),
    [("batteries", "something on a battery of its own"), ("away", "the receiver or the computer")],
)
def test_what_the_main_switch_leaves_on_is_not_called_outside(where: str, culprit: str) -> None:
    source = Source("humming box", "comb", where, 14.0, clock_hz=52e3)
    verdict = campaign.searched(House(5, (source,), {"kitchen": ()}, 7e6)).verdict()
    assert (verdict.state, verdict.culprit) == ("named", culprit)


@pytest.mark.parametrize(("own_mains_hz", "is_power_line"), [(0.0, True), (50.0, True), (60.0, False)])
def test_a_power_line_pulses_at_twice_the_mains(own_mains_hz: float, is_power_line: bool) -> None:
    place = House(4, (Source("street lamp", "pulses", "outside", 14.0, mains_hz=100.0),), {}, 7e6)
    search = msgspec.structs.replace(campaign.searched(place), own_mains_hz=own_mains_hz)
    assert ("power line" in search.verdict().advice) is is_power_line


def test_what_goes_by_itself_accuses_nobody() -> None:
    """It goes by itself just as the kitchen is switched off; the second time it stays."""
    comb = one_source(kind="comb", clock_hz=45e3)
    on, off = campaign.look(comb), campaign.look(House(3, (), {}, 7e6))
    hunt = SearchRecord(("kitchen",), can_choke=False, can_mains=False, has_battery=False)
    for _ in range(3):
        hunt = hunt.after(AS_IT_IS, on)
    while (step := hunt.next_step()) is not None and len(hunt.results) < 40:
        gone = step.kind == "antenna off" and not step.restores
        first = not any(result.step.kind == "room off" for result in hunt.results)
        hunt = hunt.after(step, off if gone or (step.kind == "room off" and first) else on)
    assert hunt.verdict().state == "left open"


def test_strength_falls_by_what_is_taken_off() -> None:
    strong, weak = (campaign.look(one_source(kind="comb", clock_hz=60e3)) for _ in range(2))
    seen = find(strong)
    weaker = AirRecord(weak.low_hz, weak.step_hz, np.full(weak.level_db.size, weak.floor_db))
    assert strength_db(strong, seen) - strength_db(weaker, seen) > 10


def test_of_a_true_peak_it_is_told_whether_it_belongs_to_a_comb() -> None:
    look = campaign.look(one_source(kind="comb", clock_hz=71_300.0))
    span = Span(look.low_hz, look.step_hz, look.level_db, 7e6, 1.024e6, 500.0)
    comb = comb_of(span)
    assert comb is not None
    # 98 times 71.3 kHz; half way between two lines there is none.
    assert comb.holds(98 * 71_300.0, 5 * look.step_hz)
    assert not comb.holds(98.5 * 71_300.0, 5 * look.step_hz)
    empty = campaign.look(House(3, (), {}, 7e6))
    assert comb_of(Span(empty.low_hz, empty.step_hz, empty.level_db, 7e6, 1.024e6, 500.0)) is None
