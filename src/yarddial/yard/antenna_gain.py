"""Antenna gain and loss: level delivered at the socket, and the share of ground in its view."""

from math import log, log10, pi, tan

from yarddial.yard.parts.antenna import Antenna
from yarddial.yard.parts.values import Value

LIGHT_M_S = 299_792_458.0
SOCKET_OHMS = 50.0
# Typical conductor radii in metres, and the ground resistance under an end-fed wire.
RADIUS_M = {"whip": 2e-3, "wire": 1e-3, "dipole": 1e-3, "loop": 5e-3}
WIRE_GROUND_OHMS = 30.0
# Typical loss of a working antenna, averaged over its range because it is not matched everywhere.
USUAL_LOSS_DB = {
    "wire": 5.0,
    "whip": 2.0,
    "dipole": 0.5,
    "discone": 0.5,
    "beam": 0.5,
    "loop": 3.0,
    "dish": 0.0,
    "dummy load": 100.0,
}
# Loss per decade of frequency below the range of an antenna without a model of its own.
DECADE_DB = 40.0
MAX_LOSS_DB = 120.0
# Above its range a conductor still receives: its pattern splits into lobes and its feed no longer fits. Loss per
# decade of frequency, its uncertainty, and how many times its range an antenna is taken to receive at all.
ABOVE_DECADE_DB, ABOVE_SIGMA_DB, MAX_TIMES_ABOVE = 10.0, 6.0, 15.0
# Noise figure of an active antenna's amplifier, referred to its input: below and above 30 MHz.
ACTIVE_NF_DB, ACTIVE_LIMIT_HZ = (28.0, 8.0), 30e6
# Share of ground in the view: half at the horizon; a dish points up and sees ground only past its rim.
GROUND_SHARES = {"dish": 0.12}


def is_active(antenna: Antenna) -> bool:
    """Return True for an antenna with an amplifier of its own."""
    return antenna.need is not None


def ground_share(antenna: Antenna) -> float:
    """Share of ground in the antenna's view, 0 to 1."""
    return GROUND_SHARES.get(antenna.kind, 0.5)


def highest_hz(antenna: Antenna) -> float:
    """Frequency up to which an antenna receives anything, weakly above its range.

    An amplifier ends where its range does, and a dummy load receives nothing.
    """
    is_bare = not is_active(antenna) and antenna.kind not in ("dummy load", "dish")
    return antenna.high_hz * (MAX_TIMES_ABOVE if is_bare else 1.0)


def weaker_db(antenna: Antenna, frequency_hz: float) -> Value | None:
    """Loss outside the antenna's range compared with what is usual within it, dB, positive; None within its range."""
    if antenna.low_hz <= frequency_hz <= antenna.high_hz:
        return None
    usual_db = USUAL_LOSS_DB.get(antenna.kind, 1.0)
    delivered = handed_over_db(antenna, frequency_hz)
    return Value(max(-delivered.value - usual_db, 0.0), delivered.sigma, "assumed", note="by its kind and length")


def handed_over_db(antenna: Antenna, frequency_hz: float) -> Value:
    """Gain of the real antenna relative to a lossless one, dB at the socket; negative for a loss.

    A stated gain counts. An active one is taken as without loss. Else a short conductor's resistance and reactance
    (Balanis, Antenna Theory: R = 10 G^2, 12.35 G^2.5 with G = 2 pi l / wavelength; X = -60 (ln(l / a) - 1) / tan G for
    one over ground, twice both for a dipole) against the socket's 50 ohms, and at least what is usual in practice.
    """
    if antenna.gain_db is not None:
        return antenna.gain_db
    if is_active(antenna):
        return Value(0.0, 5.0, "assumed", note="active: usual for its class")
    min_db = USUAL_LOSS_DB.get(antenna.kind, 1.0)
    if frequency_hz > antenna.high_hz:
        above_db = min_db + ABOVE_DECADE_DB * log10(frequency_hz / antenna.high_hz)
        return Value(-above_db, ABOVE_SIGMA_DB, "assumed", note="above its range")
    lost_db = max(min(_lost_db(antenna, frequency_hz), MAX_LOSS_DB), min_db)
    return Value(-lost_db, 3.0 if lost_db < 10 else 5.0, "assumed", note="by its kind and length")


def own_noise_db(antenna: Antenna, frequency_hz: float) -> float | None:
    """Noise figure of an active antenna relative to the arriving signal; None without an amplifier."""
    if not is_active(antenna):
        return None
    if antenna.nf_db is not None:
        return antenna.nf_db.value
    return ACTIVE_NF_DB[0] if frequency_hz < ACTIVE_LIMIT_HZ else ACTIVE_NF_DB[1]


def _lost_db(antenna: Antenna, frequency_hz: float) -> float:
    length_m, kind = antenna.length_m, antenna.kind
    wave = 2 * pi * frequency_hz / LIGHT_M_S
    if kind == "loop" and length_m > 0:
        return _small_loop_db(length_m / 2, wave)
    if kind in ("whip", "wire", "dipole") and length_m > 0:
        arms = 2 if kind == "dipole" else 1
        return _short_db(length_m / arms, wave, arms, RADIUS_M[kind], WIRE_GROUND_OHMS if kind == "wire" else 0.0)
    if frequency_hz < antenna.low_hz:
        return DECADE_DB * log10(antenna.low_hz / max(frequency_hz, 1.0))
    return 0.0


def _short_db(arm_m: float, wave: float, arms: int, radius_m: float, ground_ohms: float) -> float:
    electrical = wave * arm_m
    if electrical >= pi / 2:
        return 0.0
    resistance = arms * (10 * electrical**2 if electrical < pi / 4 else 12.35 * electrical**2.5)
    reactance = -arms * 60 * (log(arm_m / radius_m) - 1) / tan(electrical)
    return _mismatch_db(resistance, reactance, ground_ohms)


def _small_loop_db(radius_m: float, wave: float) -> float:
    """A single turn: R = 20 pi^2 (circumference / wavelength)^4, L = mu0 r (ln(8 r / a) - 2) (Balanis, chapter 5)."""
    resistance = 20 * pi**2 * (wave * radius_m) ** 4
    reactance = wave * LIGHT_M_S * 4e-7 * pi * radius_m * (log(8 * radius_m / RADIUS_M["loop"]) - 2)
    return _mismatch_db(resistance, reactance, 0.0) if wave * radius_m < 0.5 else 0.0


def _mismatch_db(resistance: float, reactance: float, lossy_ohms: float) -> float:
    """Mismatch loss: the share of the available power that reaches the socket, 4 R R_s / |Z + R_s|^2."""
    total = (resistance + lossy_ohms + SOCKET_OHMS) ** 2 + reactance**2
    return -10 * log10(max(4 * resistance * SOCKET_OHMS / total, 1e-300))
