"""Usual figures by class of part where no data sheet is given: noise, intercepts, leakage, bits.

They are the middle and spread of makers' data sheets, each with its sigma and marked as assumed. An unknown part is
never taken as perfect.
"""

from math import log10

from yarddial.yard.external_noise import KT0_DBM_HZ
from yarddial.yard.parts.antenna import Antenna
from yarddial.yard.parts.converter import Converter, Lnb
from yarddial.yard.parts.isolator import Isolator
from yarddial.yard.parts.receiver import Receiver
from yarddial.yard.parts.transceiver import Transceiver
from yarddial.yard.parts.two_port import TwoPort
from yarddial.yard.parts.values import Value

AnyPart = Antenna | TwoPort | Isolator | Converter | Lnb | Transceiver | Receiver
# Intercepts of passive parts with iron, diodes or PIN switches; cables and resistors are linear.
_PASSIVE_IIP3_DBM = {"limiter": 25.0, "switch": 45.0, "splitter": 45.0, "filter": 45.0}
# Output intercepts of an amplifier and of an LNB.
_AMPLIFIER_OIP3_DBM, _LNB_OIP3_DBM = 25.0, 12.0
_MIXER_GAIN_DB, _MIXER_NF_DB, _MIXER_IIP3_DBM, _MIXER_ISOLATION_DB, _MIXER_LEAK_DBM = -7.0, 8.0, 15.0, 35.0, -40.0
# By ADC bits up to: noise figure at high gain, IIP3 at the highest gain, largest IIP3, mirror rejection.
_RECEIVERS = ((8, 6.0, -30.0, 0.0, 35.0), (12, 6.0, -25.0, 5.0, 45.0), (32, 7.0, -20.0, 10.0, 50.0))
_DIRECT_IIP3_DBM = 28.0
# Full scale of a bare ADC's input in 50 ohm: 0.6 to 2 V from peak to peak.
_DIRECT_FULL_SCALE_DBM, _DIRECT_NF_SIGMA_DB = 4.0, 5.0
_EVEN_DB, FIFTH_MORE_DB = 60.0, 8.0
IIP2_OVER_IIP3_DB, HARMONIC_DB, CRYSTAL_DBM = 28.0, 45.0, -110.0
# Gain may be lowered this far from its maximum without more noise; each further decibel adds this share.
_FREE_DB, _NOISE_SHARE = 12.0, 0.7
# Loss of effective bits by ADC bits.
_BITS_LOST = ((8, 0.6), (12, 1.6), (14, 2.3), (32, 3.5))


def _usual(value: float, sigma: float) -> Value:
    return Value(value, sigma, "assumed", note="usual for its class")


def _direct_nf_db(receiver: Receiver, clock_hz: float) -> float:
    """Noise figure of a bare ADC: its noise, spread over half its clock, over kT0.

    SNR = 6.02 b + 1.76 dB for a full-scale sine (Bennett, Bell Syst. Tech. J. 27 (1948) 446-472), b the effective bits.
    """
    snr_db = 6.02 * effective_bits_of(receiver).value + 1.76
    return _DIRECT_FULL_SCALE_DBM - snr_db - 10 * log10(clock_hz / 2) - KT0_DBM_HZ


def nf_of(part: AnyPart, port: str = "") -> Value | None:
    """Noise figure, dB; None for what is passive, whose noise is its loss."""
    stated: Value | None = getattr(part, "nf_db", None)
    if stated is not None:
        return stated
    match part:
        case TwoPort():
            return _usual(3.0, 1.5) if part.gain_db.value > 0 else None
        case Isolator():
            return None
        case Converter():
            return _usual(_MIXER_NF_DB, 2.0)
        case Lnb():
            return _usual(1.0, 0.4)
        case Transceiver():
            return _usual(0.0, 2.0)
        case Receiver():
            if part.direct is not None and part.samples_directly(port):
                return _usual(_direct_nf_db(part, part.direct.clock_hz), _DIRECT_NF_SIGMA_DB)
            down_db = _down_db(part)
            return _usual(_class_of(part)[1] + _NOISE_SHARE * max(down_db - _FREE_DB, 0.0), 3.0)
        case Antenna():
            return None


def iip3_of(part: AnyPart, port: str = "") -> Value | None:
    """Third-order intercept at the input, dBm; None for linear parts: cables, resistors, wires."""
    stated: Value | None = getattr(part, "iip3_dbm", None)
    if stated is not None:
        return stated
    match part:
        case TwoPort():
            if part.gain_db.value > 0:
                return _usual(_AMPLIFIER_OIP3_DBM - part.gain_db.value, 6.0)
            usual = _PASSIVE_IIP3_DBM.get(part.what)
            return None if usual is None else _usual(usual, 8.0)
        case Isolator():
            # Ferrite is slightly non-linear: makers state 60 dBm and more.
            return _usual(60.0, 8.0)
        case Converter():
            return _usual(_MIXER_IIP3_DBM, 5.0)
        case Lnb():
            return _usual(_LNB_OIP3_DBM - (part.gain_db.value if part.gain_db is not None else 55.0), 5.0)
        case Transceiver():
            return _usual(20.0, 8.0)
        case Receiver():
            if part.samples_directly(port):
                return _usual(_DIRECT_IIP3_DBM, 6.0)
            _, _, min_dbm, max_dbm, _ = _class_of(part)
            # IIP3 rises by a decibel for each decibel less gain, until a stage behind the controls limits.
            return _usual(min(min_dbm + _down_db(part), max_dbm), 6.0)
        case Antenna():
            return None


def iip2_of(receiver: Receiver, port: str = "") -> Value | None:
    """Second-order intercept at a receiver's socket, dBm."""
    if receiver.iip2_dbm is not None:
        return receiver.iip2_dbm
    iip3 = iip3_of(receiver, port)
    return None if iip3 is None else _usual(iip3.value + IIP2_OVER_IIP3_DB, 8.0)


def mirror_of(receiver: Receiver) -> Value:
    """Mirror (image) rejection of a receiver, dB."""
    return receiver.mirror_db or _usual(_class_of(receiver)[4], 8.0)


def even_of(receiver: Receiver) -> Value:
    """Suppression of mixing with twice the oscillator, dB; balanced mixers hardly do it."""
    return receiver.even_db or _usual(_EVEN_DB, 8.0)


def phase_noise_of(receiver: Receiver) -> Value:
    """Oscillator phase noise 100 kHz away, dBc/Hz."""
    return receiver.phase_noise_dbc_hz or _usual(-115.0 if receiver.bits <= 8 else -125.0, 8.0)


def gain_of(part: Converter | Lnb) -> Value:
    """Conversion gain of a part, dB."""
    if part.gain_db is not None:
        return part.gain_db
    return _usual(55.0, 5.0) if isinstance(part, Lnb) else _usual(_MIXER_GAIN_DB, 2.0)


def isolation_of(box: Converter) -> Value:
    """Isolation of a converter for an unconverted signal, dB."""
    return box.isolation_db or _usual(_MIXER_ISOLATION_DB, 8.0)


def leak_of(box: Converter) -> Value:
    """Power of a converter's own oscillator at its output, dBm."""
    return box.lo_leak_dbm or _usual(_MIXER_LEAK_DBM, 12.0)


def effective_bits_of(receiver: Receiver) -> Value:
    """Effective bits of a receiver's ADC (IEEE Std 1241)."""
    if receiver.effective_bits is not None:
        return receiver.effective_bits
    lost = next(lost for bits, lost in _BITS_LOST if receiver.bits <= bits)
    return _usual(max(receiver.bits - lost, 1.0), 0.5)


def _class_of(receiver: Receiver) -> tuple[int, float, float, float, float]:
    return next(row for row in _RECEIVERS if receiver.bits <= row[0])


def _down_db(receiver: Receiver) -> float:
    """How far the total gain is below its maximum; half way without known controls."""
    if not receiver.gain_stages:
        return 15.0
    return sum(stage.steps_db[-1] - stage.set_db for stage in receiver.gain_stages)
