"""Verdicts on received samples: clock, centre spike, mirror images, and warm-up."""

from math import hypot, log10

import msgspec

from yarddial.session.first_light.device_listening import (
    DITHERED_DB,
    ListenedBlock,
    converter_floor_db,
    image_rejection_db,
    power_db,
)
from yarddial.session.first_light.result import CheckResult
from yarddial.yard.frequency import format_hertz, format_number

# Plain crystals keep within 100 ppm, and so do computer clocks.
WRONG_RATE_PPM = 250.0
# Less sure than this, the clock says nothing about the rate.
MAX_CLOCK_SIGMA_PPM = 1_000.0
# A warm receiver drifts less in a minute; a sky wave moves by no more hertz within seconds.
WARMING_PPM_MIN, SKY_HZ = 0.1, 1.5


class Moment(msgspec.Struct, frozen=True):
    """Frequency of a line at a moment: relative to the centre with its uncertainty, and absolute."""

    at_s: float
    line_hz: float
    sigma_hz: float
    whole_hz: float


def clock_check(heard: ListenedBlock) -> CheckResult:
    """Compare the sample rate with the computer's clock: coarse, but it reveals a wrong rate."""
    sigma_ppm = heard.fast_sigma_ppm
    text = f"samples come {format_number(heard.fast_ppm, sigma_ppm, signed=True)} ± {sigma_ppm:.0f} ppm fast"
    figures = {"fast_ppm": heard.fast_ppm, "fast_sigma_ppm": sigma_ppm}
    if abs(heard.fast_ppm) > max(3 * sigma_ppm, WRONG_RATE_PPM):
        fix = "the rate is not what it says: choose another, and trust no frequency away from the centre meanwhile"
        return CheckResult("clock", "look", f"{text} by this computer's clock", fix, figures=figures)
    if sigma_ppm > MAX_CLOCK_SIGMA_PPM:
        what = f"{text}: read too unevenly for this computer's clock to tell"
        return CheckResult("clock", "unknown", what, "close other programs and check again", figures=figures)
    return CheckResult("clock", "good", f"{text} by this computer's clock; True tells it far better", figures=figures)


def warmth_check(first: Moment, last: Moment) -> CheckResult:
    """Check for a drift: a receiver that warms up moves a station by far more than the ionosphere does."""
    minutes = (last.at_s - first.at_s) / 60
    moved_hz = last.line_hz - first.line_hz
    drift_ppm = moved_hz / last.whole_hz * 1e6 / max(minutes, 1e-3)
    text = f"the station moved by {format_hertz(moved_hz, 0.1)} in {60 * minutes:.0f} s"
    figures = {"drift_ppm_per_min": drift_ppm}
    if abs(drift_ppm) > WARMING_PPM_MIN and abs(moved_hz) > 4 * hypot(first.sigma_hz, last.sigma_hz) + SKY_HZ:
        what = f"{text}, {abs(drift_ppm):.2g} ppm a minute: it is still warming up"
        return CheckResult("warm", "look", what, "let it run for a quarter of an hour, then measure", figures=figures)
    return CheckResult("warm", "good", text, figures=figures)


def spike_check(heard: ListenedBlock) -> CheckResult:
    """Report the centre spike of most tuners, which is harmless when known."""
    level_db = 20 * log10(max(abs(complex(heard.samples.mean())), 1e-9))
    level = format_number(level_db, 1.0)
    what = f"the spike at the centre stands at {level} dBFS: harmless, park the centre beside what you want"
    return CheckResult("centre spike", "good" if level_db < -20 else "look", what)


def balance_check(heard: ListenedBlock, bits: int) -> CheckResult:
    """Report mirror images, from the non-circularity of the samples."""
    if power_db(heard.samples) < converter_floor_db(bits) + DITHERED_DB:
        return CheckResult("I/Q balance", "unknown", "hardly more comes than the ADC's own steps")
    rejection_db = image_rejection_db(heard.samples)
    what = f"mirror images are {rejection_db:.0f} dB down"
    if rejection_db < 20:
        return CheckResult("I/Q balance", "look", what, "strong signals will show twice: balance it, or park them away")
    return CheckResult("I/Q balance", "good", what)
