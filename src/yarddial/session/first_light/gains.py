"""Check of gain steps: the level must follow each step, until the ADC's limits hide it."""

from collections.abc import Iterator
from math import log10

import msgspec
import numpy as np

from yarddial.drivers.protocol import Capabilities, Device, GainCapability, RequestedSettings, TimeSource
from yarddial.session.first_light.device_listening import (
    DITHERED_DB,
    ListenedBlock,
    converter_floor_db,
    listen,
    power_db,
)
from yarddial.session.first_light.result import CheckResult

# Duration at each step; noise at two million samples a second is then known to 0.01 dB.
STEP_S = 0.08
# A step within this of its stated value is as stated.
AS_REPORTED_DB = 1.0
# Use a line this far above the local noise; a peak this close to full scale is clipped.
LINE_DB, CLIPPED_PEAK = 15.0, 0.97


def gain_checks(
    device: Device,
    time: TimeSource,
    able: Capabilities,
    ask: RequestedSettings,
    place_hz: float | None,
    reach_hz: float,
) -> Iterator[CheckResult]:
    """Check every step of every stage, with the others unchanged.

    place_hz : expected offset of a station from the centre; reach_hz : its uncertainty.
    """
    for stage in able.gains:
        seen: list[tuple[float, float]] = []
        for gain_db in stage.steps_db:
            got = device.apply(msgspec.structs.replace(ask, gains_db=((stage.name, gain_db),)))
            heard = listen(device, time, got.rate_hz, STEP_S)
            if (level_db := _level_db(heard, able.bits, place_hz, reach_hz)) is not None:
                seen.append((gain_db, level_db))
        device.apply(ask)
        yield _judged(stage, seen)


def _judged(stage: GainCapability, seen: list[tuple[float, float]]) -> CheckResult:
    name, steps = f"gain '{stage.name}'", f"{len(stage.steps_db)} steps"
    if len(seen) < 2:
        return CheckResult(name, "unknown", f"{steps}, all but {len(seen)} hidden by the ADC's own limits")
    gains, levels = np.array(seen).T
    # The median is the signal; the remainder is a step's deviation.
    off = levels - gains - np.median(levels - gains)
    worst_db, wanted_db = float(np.abs(off).max()), float(gains[-1] - gains[0])
    moved_db = float(levels[-1] - levels[0])
    figures = {"worst_db": worst_db, "from_db": float(gains[0]), "to_db": float(gains[-1])}
    if moved_db < 0.3 * wanted_db:
        what = f"{steps}; {wanted_db:.1f} dB more moved the level by {abs(moved_db):.1f} dB"
        fix = "the gain does not follow: update its driver, or do without it"
        return CheckResult(name, "look", what, fix, figures=figures)
    hidden = len(stage.steps_db) - len(seen)
    rest = f"; {hidden} more are hidden by the ADC's own limits" if hidden else ""
    what = f"{steps}; {len(seen)} measured, from {gains[0]:g} to {gains[-1]:g} dB, at most {worst_db:.1f} dB off{rest}"
    if worst_db > AS_REPORTED_DB:
        return CheckResult(name, "good", f"{what}: uneven, and harmless", figures=figures)
    return CheckResult(name, "good", what, figures=figures)


def _level_db(heard: ListenedBlock, bits: int, place_hz: float | None, reach_hz: float) -> float | None:
    """Level of the station's carrier, or of the whole span without one; None when clipped or hidden."""
    samples = heard.samples
    if samples.size == 0 or max(np.abs(samples.real).max(), np.abs(samples.imag).max()) > CLIPPED_PEAK:
        return None
    over_db = power_db(samples) - converter_floor_db(bits)
    if over_db < DITHERED_DB:
        return None
    if place_hz is not None and (line_db := _line_db(heard, place_hz, reach_hz)) is not None:
        return line_db
    return power_db(samples) if over_db > 12.0 else None


def _line_db(heard: ListenedBlock, place_hz: float, reach_hz: float) -> float | None:
    size = 1 << (heard.samples.size.bit_length() - 1)
    window = np.hanning(size).astype(np.float32)
    power = np.abs(np.fft.fft(heard.samples[:size] * window)) ** 2
    place = np.fft.fftfreq(size, 1 / heard.rate_hz)
    near = power[np.abs(place - place_hz) < max(reach_hz, 5_000.0)]
    best = int(np.argmax(near))
    line = float(near[max(best - 3, 0) : best + 4].sum())
    noise = float(np.median(near)) * 7 / 0.69
    return 10 * log10(line / size**2) if line > 10 ** (LINE_DB / 10) * noise else None
