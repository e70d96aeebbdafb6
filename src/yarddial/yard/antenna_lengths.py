"""Antenna lengths for a frequency: the arms of a half-wave dipole and a quarter-wave whip."""

import msgspec

from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import format_frequency
from yarddial.yard.working import WorkedValue, Working

LIGHT_M_PER_S = 299_792_458.0
# A thin bare wire is electrically 5 % longer than it measures; insulation adds its own factor.
END_FACTOR = 0.95


class AntennaLengths(msgspec.Struct, frozen=True):
    """Lengths in metres for one frequency, both factors applied."""

    frequency_hz: float
    end_factor: float
    velocity_factor: float
    dipole_arm_m: float
    whip_m: float

    def working(self) -> Working:
        """Formula and values behind the lengths."""
        return Working(
            title=f"Antenna lengths for {format_frequency(self.frequency_hz)}",
            formulas=("λ = c / f", "arm of a half-wave dipole = k v λ / 4", "quarter-wave whip = k v λ / 4"),
            values=(
                WorkedValue("f", "frequency", format_frequency(self.frequency_hz)),
                WorkedValue("λ", "wavelength", f"{LIGHT_M_PER_S / self.frequency_hz:.4g} m"),
                WorkedValue("k", "end factor", f"{self.end_factor:g}", "thin bare wire"),
                WorkedValue(
                    "v", "velocity factor", f"{self.velocity_factor:g}", "1 for bare wire, 0.95 to 0.98 insulated"
                ),
            ),
            result=f"two arms of {metres(self.dipole_arm_m)}, or a whip of {metres(self.whip_m)}; cut a little longer "
            "and trim; keep well clear of power lines",
        )


def antenna_lengths(
    frequency_hz: float, velocity_factor: float = 1.0, end_factor: float = END_FACTOR
) -> AntennaLengths:
    """Calculate the lengths; raise BadPath for an impossible frequency or factor."""
    if not frequency_hz > 0:
        raise BadPath("an antenna needs a frequency above 0 Hz: dial one first")
    if not (0.3 <= velocity_factor <= 1.0 and 0.8 <= end_factor <= 1.0):
        raise BadPath("velocity factor lies between 0.3 and 1, end factor between 0.8 and 1: check which is which")
    quarter_m = LIGHT_M_PER_S / frequency_hz / 4 * velocity_factor * end_factor
    return AntennaLengths(frequency_hz, end_factor, velocity_factor, quarter_m, quarter_m)


def metres(length_m: float) -> str:
    """Format a length in metres, or in centimetres and millimetres when short."""
    if length_m >= 1:
        # A tape measures a long wire to a part in a thousand at best.
        return f"{length_m:.{2 if length_m < 10 else 1 if length_m < 100 else 0}f} m"
    return f"{length_m * 100:.1f} cm" if length_m >= 0.1 else f"{length_m * 1000:.1f} mm"
