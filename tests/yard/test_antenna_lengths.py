"""Antenna lengths against the wavelength."""

import pytest

from yarddial.yard.antenna_lengths import antenna_lengths, metres
from yarddial.yard.errors import BadPath


@pytest.mark.parametrize(("hertz", "arm_m"), [(10e6, 7.120), (145e6, 0.4910), (3.65e6, 19.507)])
def test_arms_are_a_quarter_wave_shortened_by_a_twentieth(hertz: float, arm_m: float) -> None:
    """c / 4 = 74.948 m MHz; times 0.95 is the 71.2 m MHz of the handbooks."""
    found = antenna_lengths(hertz)
    assert found.dipole_arm_m == found.whip_m == pytest.approx(arm_m, rel=1e-3)


def test_the_factors_multiply_and_are_in_the_working() -> None:
    plain, insulated = antenna_lengths(14e6, 1.0, 1.0), antenna_lengths(14e6, 0.96, 0.95)
    assert insulated.whip_m == pytest.approx(plain.whip_m * 0.96 * 0.95)
    text = insulated.working().as_text()
    assert "0.96" in text
    assert "power lines" in text


def test_lengths_are_written_as_one_measures_them() -> None:
    assert [metres(m) for m in (7.1234, 0.4912, 0.0071)] == ["7.12 m", "49.1 cm", "7.1 mm"]
    assert [metres(m) for m in (918.72, 22.34)] == ["919 m", "22.3 m"]


@pytest.mark.parametrize("arguments", [(0.0,), (-1e6,), (1e6, 1.5), (1e6, 0.9, 0.2)])
def test_nonsense_is_refused(arguments: tuple[float, ...]) -> None:
    with pytest.raises(BadPath):
        antenna_lengths(*arguments)
