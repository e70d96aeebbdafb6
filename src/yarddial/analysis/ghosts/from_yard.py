"""Scene for the prediction, from a yard's data; unknown figures are taken as usual for the class."""

from collections.abc import Sequence
from math import log10
from typing import assert_never

import numpy as np

from yarddial.analysis.ghosts.scene import Floats, ReceiverModel, Scene
from yarddial.analysis.ghosts.span import Peak, Span
from yarddial.yard.bands import Band
from yarddial.yard.demodulation import demodulations_of, usual
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import Stage, shown_for_dial
from yarddial.yard.oscillators import Oscillators, crystal_of, is_in_ppm, oscillator_of
from yarddial.yard.parts import Converter, Isolator, Lnb, Transceiver, TwoPort, Value
from yarddial.yard.parts.usual import (
    CRYSTAL_DBM,
    FIFTH_MORE_DB,
    HARMONIC_DB,
    even_of,
    iip2_of,
    iip3_of,
    isolation_of,
    leak_of,
    mirror_of,
    phase_noise_of,
)
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.segments import segment_at
from yarddial.yard.strong import Strong

# Slope of a plain filter beyond its edges, dB per octave; its maximum attenuation, and that of a notch.
OCTAVE_DB, LEAKS_DB, NOTCH_DB = 30.0, 60.0, 40.0
# Match a station's name within this distance.
NAMED_HZ = 3e3


def scene_of(route: ResolvedRoute, strong: Sequence[Strong], known: Oscillators | None = None) -> Scene:
    """Build the scene of a route with its receiver, levels at the antenna's socket.

    known : true oscillators as far as known; the parts' own values by default.
    """
    stages = []
    for converter in route.converters:
        error_hz = converter.lo_hz.value - converter.entered_lo_hz
        if known is not None and oscillator_of(converter) in known.names:
            value = known.value(oscillator_of(converter))
            more_hz = value * 1e-6 * converter.nominal_lo_hz if is_in_ppm(oscillator_of(converter)) else value
            error_hz = converter.nominal_lo_hz - converter.entered_lo_hz + more_hz
        stages.append(Stage(converter.kind, converter.entered_lo_hz, error_hz, converter.name))
    boxes = [part for part in route.inner if isinstance(part, Converter)]
    isolation_db = sum(isolation_of(box).value for box in boxes)
    leaks_dbm = [leak_of(box).value for box in boxes]
    return Scene(
        tuple(strong),
        tuple(stages),
        _receiver(route, known),
        lambda hertz: _gain_db(route, hertz),
        isolation_db if boxes else None,
        max(leaks_dbm, default=None),
    )


def strong_seen(
    route: ResolvedRoute,
    span: Span,
    peaks: Sequence[Peak],
    names: Sequence[tuple[float, str]] = (),
    known_bands: Sequence[Band] = (),
) -> tuple[Strong, ...]:
    """Convert peaks seen over a route to levels at the antenna's socket.

    Each is taken to have the usual width of its band, and peaks within that width belong to it.

    Parameters
    ----------
    peaks : strongest first
    names : of known stations, by frequency
    known_bands : bands of the station's region and its own
    """
    strong_signals: list[Strong] = []
    for peak in peaks:
        segment = segment_at(peak.dial_hz, known_bands)
        width_hz = usual(demodulations_of(segment.mode, peak.dial_hz)[0], peak.dial_hz).width_hz if segment else 0.0
        if any(
            abs(strong_signal.frequency_hz - peak.dial_hz) < max(width_hz, strong_signal.width_hz) / 2
            for strong_signal in strong_signals
        ):
            continue
        socket_hz = shown_for_dial(peak.dial_hz, route.at(peak.dial_hz).stages)
        gain_db = float(_gain_db(route, np.array([socket_hz]))[0])
        near = [name for hertz, name in names if abs(hertz - peak.dial_hz) < NAMED_HZ]
        name = near[0] if near else format_frequency(round(peak.dial_hz, -3), 0)
        level_dbm = span.power_dbm(peak.dial_hz, width_hz) - gain_db
        strong_signals.append(Strong(peak.dial_hz, level_dbm, name, width_hz, route.antenna.name))
    return tuple(strong_signals)


def _receiver(route: ResolvedRoute, known: Oscillators | None) -> ReceiverModel:
    receiver = route.receiver
    # A tracking filter attenuates signals an octave or more away by this much.
    tracking_db = 0.0 if receiver.tracking_db is None else receiver.tracking_db.value
    harmonic_db = HARMONIC_DB if receiver.harmonic_db is None else receiver.harmonic_db.value
    direct = receiver.direct if receiver.samples_directly(route.port) else None
    name = crystal_of(receiver.name)
    return ReceiverModel(
        iip2_dbm=_number(iip2_of(receiver, route.port)),
        iip3_dbm=_number(iip3_of(receiver, route.port)),
        mirror_db=mirror_of(receiver).value,
        harmonic_db=harmonic_db + tracking_db,
        even_db=even_of(receiver).value + tracking_db,
        fifth_db=harmonic_db + FIFTH_MORE_DB + tracking_db,
        if_hz=receiver.if_hz,
        image_db=None if receiver.image_db is None else receiver.image_db.value + tracking_db,
        half_if_dbm=None if receiver.half_if_dbm is None else receiver.half_if_dbm.value,
        reference_hz=receiver.reference_hz,
        reference_db=_number(receiver.reference_db),
        phase_noise_dbc_hz=phase_noise_of(receiver).value,
        crystal_hz=receiver.crystal_hz,
        crystal_dbm=_number(receiver.crystal_leak_dbm, CRYSTAL_DBM),
        direct_clock_hz=0.0 if direct is None else direct.clock_hz,
        ppm=known.value(name) if known is not None and name in known.names else receiver.crystal_ppm.value,
        entered_ppm=receiver.entered_ppm,
    )


def _gain_db(route: ResolvedRoute, hertz: Floats) -> Floats:
    """Gain of the parts behind the last converter, at the frequency there; earlier parts work at the air frequency."""
    total = np.zeros(hertz.shape)
    direct = route.receiver.direct
    if direct is not None and direct.low_pass_hz is not None and route.receiver.samples_directly(route.port):
        own = TwoPort("its own low-pass", "filter", Value(0.0), 0.0, direct.low_pass_hz, shape="low-pass")
        total += np.array([_two_port_db(own, float(frequency_hz)) for frequency_hz in hertz])
    for part in reversed(route.inner):
        match part:
            case Converter() | Lnb():
                return total
            case Transceiver():
                # The antenna output passes signals unchanged; the IF output is a converter.
                if part.tap == "if":
                    return total
            case TwoPort():
                total += np.array([_two_port_db(part, float(frequency_hz)) for frequency_hz in hertz])
            case Isolator():
                total += np.array([_isolator_db(part, float(frequency_hz)) for frequency_hz in hertz])
            case _:
                assert_never(part)
    return total


def _isolator_db(part: Isolator, hertz: float) -> float:
    """Forward gain; outside its band a ferrite is not specified and is taken to fall like a plain filter."""
    beyond = max(log10(max(hertz, 1.0) / part.high_hz), log10(part.low_hz / max(hertz, 1.0)), 0.0) / log10(2)
    return part.gain_db.value - min(OCTAVE_DB * beyond, LEAKS_DB)


def _two_port_db(part: TwoPort, hertz: float) -> float:
    gain_db = part.gain_at_db(hertz)
    if part.response_db or part.what != "filter":
        return gain_db
    if part.shape == "notch":
        return gain_db - NOTCH_DB if part.low_hz < hertz < part.high_hz else gain_db
    beyond = max(log10(max(hertz, 1.0) / part.high_hz), log10(max(part.low_hz, 1.0) / max(hertz, 1.0)), 0.0) / log10(2)
    return gain_db - min(OCTAVE_DB * beyond, LEAKS_DB)


def _number(value: Value | None, usual: float | None = None) -> float | None:
    return usual if value is None else value.value
