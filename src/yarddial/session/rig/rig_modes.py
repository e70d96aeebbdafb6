"""Conversion between a transceiver's modes and pass bands and our demodulations."""

from yarddial.drivers.rig.protocol import RIG_MODES, mode_key_of, sideband_of
from yarddial.yard.demodulation import Demodulation, DemodulationSettings

# Middle of a voice's channel from its carrier, hertz: a pass-band of 2400 Hz reaches from 300 to 2700.
VOICE_MIDDLE_HZ, MIN_EDGE_HZ = 1_500.0, 50.0
_DEMODULATIONS_BY_MODE: dict[str, Demodulation] = {"am": "am", "cw": "cw", "nfm": "nfm", "wfm": "wfm"}


def demodulation_of(rig_mode: str) -> Demodulation:
    """Demodulation for its mode."""
    key = mode_key_of(rig_mode) or ""
    return _DEMODULATIONS_BY_MODE.get(key, "lsb" if sideband_of(rig_mode) == "lower" else "usb")


def plain_demodulation(demodulation: Demodulation) -> Demodulation:
    """Demodulation without distinctions that a transceiver does not make."""
    return "am" if demodulation == "sam" else demodulation


def rig_mode_of(mode: str, demodulation: Demodulation) -> str:
    """The transceiver's mode for our mode and demodulation; empty without one."""
    names = RIG_MODES.get(mode, ())
    wanted = [name for name in names if demodulation_of(name) == plain_demodulation(demodulation)]
    return (wanted or list(names) or [""])[0]


def edges_of(demodulation: Demodulation, passband_hz: float) -> tuple[float, float] | None:
    """Filter edges about the dial for its pass band; None where it does not state it, or as usual for FM."""
    if not passband_hz or demodulation in ("nfm", "wfm"):
        return None
    half_hz = passband_hz / 2
    if demodulation in ("usb", "lsb"):
        low_hz, high_hz = max(VOICE_MIDDLE_HZ - half_hz, MIN_EDGE_HZ), VOICE_MIDDLE_HZ + half_hz
        return (low_hz, high_hz) if demodulation == "usb" else (-high_hz, -low_hz)
    return -half_hz, half_hz


def width_of(settings: DemodulationSettings) -> float:
    """Pass band used here, hertz; 0 leaves the transceiver's own."""
    return 0.0 if settings.demodulation in ("nfm", "wfm") else settings.width_hz
