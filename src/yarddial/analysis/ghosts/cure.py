"""Remedies against a spurious signal, with figures: how many decibels at which frequency."""

from math import ceil

from yarddial.analysis.ghosts.judging import PeakCause
from yarddial.analysis.ghosts.span import Peak, Span
from yarddial.yard.frequency import format_frequency

# Aim to bring it this far below the floor.
UNDER_FLOOR_DB = 3.0


def cures(cause: PeakCause, peak: Peak, span: Span, lo_hz: float = 0.0) -> tuple[str, ...]:
    """List remedies as sentences, the simplest first; none for a true signal.

    lo_hz : what the converters of the route add to the dial, 0 without one.
    """
    over_db = max(peak.level_dbm - span.floor_dbm, 0.0) + UNDER_FLOOR_DB
    if cause.kind == "spike":
        return (f"move the centre: it stands at {format_frequency(span.centre_hz, 0)}, wherever that is put",)
    if cause.kind == "mirror":
        twin_hz = 2 * span.centre_hz - peak.dial_hz
        return (
            "take out mirrors in Listen",
            f"move the centre: what makes it stands at {format_frequency(twin_hz, 0)}, as far beyond the centre",
        )
    if cause.kind == "alias":
        return ("choose another sample rate: it moves by whole rates", "move the centre towards what is wanted")
    if cause.kind == "harmonic mixing":
        times = round(1 - cause.moves)
        word = {2: "twice", 3: "three times", 4: "four times", 5: "five times"}.get(times, "a multiple of")
        return (
            f"a low-pass filter before the receiver that takes {over_db:.0f} dB at {word} the tuner's frequency",
            f"move the centre: it moves {max(times - 1, 1)} times as far, the other way",
        )
    if cause.kind in ("tuner image", "half-IF"):
        return (
            f"a filter before the receiver that takes {over_db:.0f} dB there: twice the tuner's IF above for an image, "
            "half of it for the half-IF",
            "move the centre: it moves as far the other way against what is true",
        )
    if cause.kind == "sideband":
        return (
            f"a filter that takes {over_db:.0f} dB off the strong signal beside it",
            "another receiver: it is its oscillator's, and stays where it is under every setting",
        )
    if cause.kind == "converter":
        return (
            f"{ceil(over_db / max(cause.falls, 1.0))} dB less gain: it is made of what is strong in the span",
            "move the centre: it does not stay where a true signal stays",
        )
    if cause.kind in ("second order", "third order", "higher order"):
        steps = max(cause.falls - 1, 1.0)
        return (
            f"{ceil(over_db / cause.falls)} dB of attenuation before the receiver, or less gain: it falls "
            f"{cause.falls:g} dB for each, true signals 1",
            f"a filter that takes {ceil(over_db / steps)} dB off the strongest signal that it is made of",
        )
    if cause.kind == "leak-through":
        at = f" at {format_frequency(peak.dial_hz + lo_hz, 0)}" if lo_hz else ""
        return (
            f"a filter before the converter that takes {over_db:.0f} dB{at}",
            "another oscillator in the converter, or a route without one: it does not follow the dial there",
        )
    if cause.kind in ("crystal", "oscillator"):
        return (
            "take the antenna off: if it stays, the receiver, a converter or the computer makes it",
            "keep the receiver away from the computer, with ferrites on its cable; nothing tuned takes it out",
        )
    return ()
