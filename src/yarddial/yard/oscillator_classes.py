"""Classes of converter oscillators, and how far each is from its marking, in one table."""

import msgspec


class OscillatorClass(msgspec.Struct, frozen=True):
    """A class of oscillators: one-sigma error in ppm, and its share among oscillators of that frequency."""

    name: str
    sigma_ppm: float
    share: float


# Usual figures: plain crystals 20 to 50 ppm with their trimming, compensated ones 0.5 to 2; LNBs by a dielectric
# resonator are allowed 1 to 3 MHz of 10 GHz, those with a loop follow their crystal.
LOW = (OscillatorClass("trimmed or compensated crystal", 5.0, 0.7), OscillatorClass("plain crystal", 30.0, 0.3))
MICROWAVE = (
    OscillatorClass("crystal and loop", 15.0, 0.5),
    OscillatorClass("dielectric resonator", 100.0, 0.5),
)
MICROWAVE_HZ = 3e9


def classes_at(lo_hz: float) -> tuple[OscillatorClass, ...]:
    """Classes that an oscillator of this frequency may belong to."""
    return MICROWAVE if lo_hz >= MICROWAVE_HZ else LOW


def sigma_ppm_at(lo_hz: float) -> float:
    """One-sigma error over all classes, ppm."""
    return float(
        sum(oscillator_class.share * oscillator_class.sigma_ppm**2 for oscillator_class in classes_at(lo_hz)) ** 0.5
    )
