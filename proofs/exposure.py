"""How far people keep from antennas, against fields summed element by element and limits copied from the texts.

Twelve bands from 1.8 MHz to 24 GHz, 5 W to 1.5 kW, dipoles, whips, loops, beams and dishes: never nearer than the
limit, and in the far field at most 1.5 times too far.
"""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

from exposure_fields import LIGHT, far_distance_m, ring_distance_m, wire_distance_m
from yarddial.analysis.audit.exposure import distance_m
from yarddial.yard.parts import Antenna, Value

MHZ = (1.85, 3.65, 7.1, 14.2, 28.5, 50.2, 145.0, 435.0, 1_296.0, 5_760.0, 10_368.0, 24_048.0)
WATTS = (5.0, 100.0, 400.0, 1_500.0)


def main() -> None:
    """Each row that is nearer than its limit or too far; exit status 1 when there is one."""
    rows, wrong, largest = 0, [], 0.0
    for mhz in MHZ:
        hertz, wave_m = mhz * 1e6, LIGHT / (mhz * 1e6)
        for watts in WATTS:
            for antenna, true_m, is_far in cases(hertz, wave_m, watts):
                told_m = distance_m(antenna, watts, hertz)
                rows += 1
                words = f"{mhz:g} MHz, {watts:g} W, {antenna.name}: told {told_m:.2f} m, true {true_m:.2f} m"
                if told_m < 0.98 * true_m:
                    wrong.append(f"NEARER {words}")
                if is_far and true_m > 0.1:
                    largest = max(largest, told_m / true_m)
                    if told_m > 1.5 * true_m:
                        wrong.append(f"TOO FAR {words}")
    print(f"{rows} antennas, {len(wrong)} wrong; in the far field at most {largest:.2f} times too far")
    print("\n".join(wrong))
    sys.exit(bool(wrong))


def cases(hertz: float, wave_m: float, watts: float) -> list[tuple[Antenna, float, bool]]:
    """Antenna, its true distance, and whether that lies in its far field."""
    made: list[tuple[Antenna, float, bool]] = []
    if hertz < 500e6:
        for kind, share in (("dipole", 0.475), ("dipole", 0.25), ("whip", 0.24)):
            length_m = share * wave_m
            true_m = wire_distance_m(length_m, watts, hertz, whip=kind == "whip")
            antenna = Antenna(f"{kind} of {share} wavelengths", 1e5, 1e11, kind=kind, length_m=length_m)  # type: ignore[arg-type]
            made.append((antenna, true_m, true_m > 2 * wave_m))
        gain = Antenna("beam of 8 dBi", 1e5, 1e11, kind="beam", directivity_dbi=Value(8.0))
        true_m = far_distance_m(8.0, watts, hertz)
        made.append((gain, true_m, true_m > wave_m))
    if hertz < 30e6:
        made.append(
            (Antenna("loop of 1 m", 1e5, 1e11, kind="loop", length_m=3.14), ring_distance_m(0.5, watts, hertz), False)
        )
    if hertz > 400e6:
        for gain_dbi in (16.0, 32.0):
            name = "dish" if gain_dbi > 20 else "beam"
            antenna = Antenna(f"{name} of {gain_dbi:g} dBi", 1e5, 1e11, kind=name, directivity_dbi=Value(gain_dbi))  # type: ignore[arg-type]
            true_m = far_distance_m(gain_dbi, watts, hertz)
            made.append((antenna, true_m, true_m > wave_m))
    return made


main()
