"""The library of references: uncertainties by rule, traps, and what never trues a dial."""

import pytest

from yarddial.yard.demo import demo_station
from yarddial.yard.references import KINDS, STANDARD_BANDS_HZ, kind_named, wander_of, why_no_reference


def test_every_kind_says_what_it_is_worth_and_its_trap() -> None:
    assert len({kind.name for kind in KINDS}) == len(KINDS)
    for kind in KINDS:
        middle_hz = (max(kind.low_hz, 1e5) * min(kind.high_hz, 1e9)) ** 0.5
        assert kind.sigma_hz(middle_hz) > 0
        assert kind.trap
        assert kind.at_transmitter
    own = kind_named("own transmitter")
    assert own is not None
    assert "dummy load" in own.needs_care


def test_doubts_follow_the_rules_of_the_services() -> None:
    # An own oscillator of 2 ppm at 145 MHz: 290 Hz. A standard's sky-wave: 0.3 Hz whatever its frequency.
    own, standard, fm = (kind_named(name) for name in ("own transmitter", "standard frequency", "FM broadcaster"))
    assert own is not None
    assert standard is not None
    assert fm is not None
    assert own.sigma_hz(145e6) == pytest.approx(290.0)
    assert standard.sigma_hz(5e6) == pytest.approx(0.3, rel=1e-3)
    assert fm.trust == "look"
    assert fm.sigma_hz(96e6) / 96e6 > 5e-6
    assert wander_of("standard frequency", 0.3) == 0.3
    assert wander_of("steady carrier", 0.5) == 0.0


@pytest.mark.parametrize(
    ("kind", "hertz", "word"),
    [("airband", 124.35e6, "on purpose"), ("tower", 124.35e6, "airband"), ("steady carrier", 145.2e6, "")],
)
def test_the_airband_trues_nothing(kind: str, hertz: float, word: str) -> None:
    found = why_no_reference(kind, hertz)
    assert word in found
    assert bool(found) == bool(word)


def test_the_demo_yards_standards_lie_in_the_bands_kept_for_them() -> None:
    standards = [r for r in demo_station().references if r.kind == "standard frequency"]
    assert standards
    for reference in standards:
        assert any(low <= reference.frequency_hz <= high for low, high in STANDARD_BANDS_HZ)
    assert all(kind_named(r.kind) is not None for r in demo_station().references)
