"""A transmitter's own accuracy in words: its error, the value for its menu, what others hear, when to repeat."""

from yarddial.session.rig.own_transmission import AGES_PPM, VOICE_HZ, TransmissionResult
from yarddial.yard.frequency import format_bound, format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.mark import Mark

# Usual frequency to which a menu's offset refers.
AGAINST_HZ = 10e6


def neighbour_words(result: TransmissionResult) -> tuple[str, str, Mark]:
    """How far a voice is shifted for others: verdict, consequence, mark."""
    if result.error_hz is None:
        if result.by_if:
            sentence = "Over its own IF its error hides itself: its dial is measured over another output or antenna."
            return f"{result.rig}'s transmission was heard; its dial was not measured.", sentence, "unknown"
        sentence = "A sideband has no carrier of its own: put the transceiver into AM or FM to measure its dial."
        return f"{result.rig}'s transmission was heard; its dial was not measured.", sentence, "unknown"
    off = format_hertz(result.error_hz, result.sigma_hz)
    uncertainty = format_sigma(result.sigma_hz)
    place = format_frequency(result.place_hz, 3)
    serves = abs(result.error_hz) + 2 * result.sigma_hz <= VOICE_HZ
    side = "high" if result.error_hz > 0 else "low"
    if serves:
        sentence = f"{off} {uncertainty}: a voice is right within {VOICE_HZ:g} Hz."
        return f"{result.rig} transmits true at {place}.", sentence, "good"
    sentence = f"{off} {uncertainty}: others hear a voice shifted by that; beyond {VOICE_HZ:g} Hz it sounds wrong."
    if abs(result.error_hz) < 2 * result.sigma_hz:
        return f"Whether {result.rig} transmits true is not settled.", f"{sentence} True the receiver first.", "unknown"
    by = format_hertz(abs(result.error_hz), result.sigma_hz, signed=False)
    return f"{result.rig} transmits {side} by {by}.", sentence, "look"


def menu_words(result: TransmissionResult) -> tuple[str, str, str]:
    """Its reference, the menu value in both conventions, and when to measure again; empty without a measurement."""
    ppm = result.ppm
    if ppm is None:
        return "", "", ""
    uncertainty = result.sigma_ppm
    reference = f"Its reference is off by {format_number(ppm, uncertainty, signed=True)} ± {uncertainty:.2g} ppm."
    hertz = ppm * 1e-6 * AGAINST_HZ
    digits = uncertainty * 1e-6 * AGAINST_HZ
    error, correction = (format_hertz(value, digits) for value in (hertz, -hertz))
    wants, takes = (f"{format_number(value, uncertainty, signed=True)} ppm" for value in (-ppm, ppm))
    menu = (
        f"Its menu: where that takes the correction, {wants}, or {correction} at 10 MHz; where it takes the error, "
        f"{takes}, or {error} at 10 MHz. If a carrier's reading moves the wrong way, it takes the other."
    )
    days = result.again_days
    span = f"{days / 365:.0f} years" if days > 700 else f"{days / 30:.0f} months" if days > 60 else f"{days:.0f} days"
    again = (
        f"Measure it again in {span}: a compensated reference ages by some {AGES_PPM:g} ppm a year, which "
        f"here shifts a voice by {VOICE_HZ:g} Hz in that time; sooner where it gets hot or cold."
    )
    return reference, menu, again


def width_words(result: TransmissionResult) -> str:
    """Its bandwidth compared with what its mode needs."""
    width = result.width
    if width is None:
        return "How wide it is was not told: nothing stood out of the noise."
    row_hz = width.row_hz
    # Narrower than the transform's resolution only a bound is known.
    held = "under " if width.width_hz < 3 * row_hz else ""
    held += f"{format_bound(_rounded(max(width.width_hz, 3 * row_hz)))} hold 99 % of its power"
    down_hz = width.down_width_hz
    edges = ""
    if down_hz is not None and down_hz >= 3 * row_hz:
        edges = f", {format_bound(_rounded(down_hz))} lie above −26 dB"
    text = f"{held[:1].upper()}{held[1:]}{edges}"
    if not result.necessary_hz:
        return f"{text}."
    judged = "within" if width.width_hz <= result.necessary_hz + 2 * row_hz else "more than"
    return f"{text}: {judged} the {format_bound(result.necessary_hz)} that {result.mode} needs."


def _rounded(hertz: float) -> float:
    return round(hertz, -1 if hertz < 3_000 else -2)
