"""Description of the last measurement's signal model: steady, drifting, two carriers."""

from typing import TYPE_CHECKING

from yarddial.yard.frequency import format_hertz, format_number, format_sigma
from yarddial.yard.working import WorkedValue

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.dsp.carrier import Carrier
    from yarddial.yard.mark import Mark

SENTENCES = {
    "steady": "A steady carrier, and noise",
    "drifting": "It drifts",
    "fading": "It fades",
    "wandering": "Its frequency wanders",
    "warming up": "It is warming up",
    "jumping": "Its frequency jumped",
    "broken": "Its phase is broken",
    "keyed": "A keyed carrier",
    "two carriers": "Two carriers on one channel",
    "three carriers": "Three carriers on one channel",
    "several carriers": "Several carriers on one channel",
}


def model_sentence(carrier: "Carrier") -> str:
    """Name of the model as the start of a sentence, with what it measures besides."""
    sentence = SENTENCES.get(carrier.method, f"{carrier.method[:1].upper()}{carrier.method[1:]}")
    match carrier.method:
        case "drifting" | "warming up":
            return f"{sentence}: {format_number(carrier.drift_hz_per_s, carrier.drift_sigma or 0.01, signed=True)} Hz/s"
        case "fading":
            return f"{sentence}: its line is {format_sigma(carrier.spread_hz)[1:]} broad"
        case _:
            return sentence


def model_evidence(carrier: "Carrier") -> str:
    """Evidence for the model, or a caution; one or two sentences."""
    parts = []
    if carrier.others:
        other = max(carrier.others, key=lambda line: line.level_db)
        parts.append(
            f"The other one is {format_hertz(other.frequency_hz - carrier.frequency_hz, other.sigma_hz)} away "
            f"{format_sigma(other.sigma_hz)}, {format_number(other.level_db, 1.0, signed=True)} dB."
        )
    if carrier.lost:
        parts.append(f"{carrier.lost} samples were lost meanwhile.")
    if carrier.remark:
        parts.append(f"{carrier.remark[:1].upper()}{carrier.remark[1:]}.")
    return " ".join(parts)


def model_mark(carrier: "Carrier") -> "Mark":
    """Good where the model explains the record and nothing needs care."""
    return "good" if carrier.is_adequate and carrier.method in ("steady", "keyed") else "look"


def model_working(carrier: "Carrier") -> WorkedValue:
    """One line for the working."""
    return WorkedValue(
        "model",
        "how the last carrier was measured",
        model_sentence(carrier),
        model_evidence(carrier) or "models weighed by the probability of the record under each",
    )
