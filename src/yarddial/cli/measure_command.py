"""`yard-dial measure FILE`."""

from pathlib import Path
from typing import Any

import click

from yarddial.cli.options import (
    FREQUENCY,
    MINUS_ALLOWED,
    answer,
    json_option,
    positive,
    recording_options,
    through_option,
)
from yarddial.yard.bands import SKY_WAVE_BELOW_HZ
from yarddial.yard.errors import BadFrequency, NoCarrier
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.frequency_conversion import Stage, dial_for_shown, path_sense, shown_for_dial
from yarddial.yard.references import PILOT_HZ

KINDS = ("carrier", "am", "nfm", "wfm", "pilot")
MIN_SEARCH_HZ = 5_000.0
MIN_WIDE_SEARCH_HZ = 20_000.0
# Another line this little below the strongest may be the intended one.
ALIKE_DB = 5.0
# A search this close to the centre asks for what is there; width for judging the strongest line of all.
AT_CENTRE_HZ, JUDGED_HZ = 20.0, 200.0


@click.command(context_settings=MINUS_ALLOWED)
@recording_options
@click.option("--near", "near_hz", type=FREQUENCY, help="Where to search; the whole span by default.")
@click.option("--within", "within_hz", type=FREQUENCY, callback=positive, help="Half width of the search.")
@click.option("--kind", default="carrier", type=click.Choice(KINDS), help="What is measured.")
@click.option("--known", "known_hz", type=FREQUENCY, multiple=True, help="A line known to stand there; repeat.")
@click.option(
    "--centre-at",
    default="dial",
    type=click.Choice(("dial", "receiver")),
    help="Whether the centre is a dial frequency, or the receiver's behind the path given with --through.",
)
@through_option
@click.option("--reference", "reference_hz", type=FREQUENCY, help="The true frequency, to tell the error.")
@json_option
def command(
    file: Path,
    sample_format: str,
    rate_hz: float | None,
    centre_hz: float | None,
    near_hz: float | None,
    within_hz: float | None,
    kind: str,
    known_hz: tuple[float, ...],
    centre_at: str,
    stages: tuple[Stage, ...],
    reference_hz: float | None,
    as_json: bool,
) -> None:
    """Print the frequency as shown, its uncertainty, and the error against a reference."""
    from yarddial.records.recordings import open_recording

    recording = open_recording(file, sample_format, rate_hz, centre_hz)
    path = _Path(recording.centre_hz, stages if centre_at == "receiver" else ())
    near_hz = reference_hz if near_hz is None else near_hz
    offset_hz = 0.0 if near_hz is None else path.offset_hz(near_hz)
    if near_hz is not None and abs(offset_hz) > recording.rate_hz / 2:
        half = recording.rate_hz / 2
        other = "dial" if centre_at == "receiver" else "receiver"
        otherwise = _Path(recording.centre_hz, stages if other == "receiver" else ())
        hint = ""
        if stages and abs(otherwise.offset_hz(near_hz)) <= half:
            whose = "what the receiver was tuned to" if other == "receiver" else "what the dial showed"
            hint = f"; if its centre is {whose}, add --centre-at {other}"
        raise BadFrequency(
            f"{format_frequency(near_hz)} is not in {file.name}, which covers "
            f"{format_frequency(path.centre_dial_hz - half)} to {format_frequency(path.centre_dial_hz + half)}{hint}"
        )
    if near_hz is not None and within_hz is None:
        # Tolerance of a plain crystal at the receiver's own frequency, and of a converter's oscillator.
        tuner_hz = near_hz if recording.tuner_hz is None else recording.tuner_hz
        within_hz = max(MIN_SEARCH_HZ, abs(tuner_hz) * 60e-6)
    samples = recording.read()
    known = tuple(path.offset_hz(hertz) for hertz in known_hz)
    may_fade = (path.centre_dial_hz if near_hz is None else near_hz) < SKY_WAVE_BELOW_HZ
    estimate = _estimate(kind, samples, recording.rate_hz, offset_hz, within_hz, known, may_fade)
    if kind == "pilot":
        frequency_hz, reference_hz = estimate.frequency_hz, PILOT_HZ
    else:
        frequency_hz = path.dial_hz(estimate.frequency_hz)
    values: dict[str, Any] = {
        "kind": kind,
        "frequency_hz": frequency_hz,
        "sigma_hz": estimate.sigma_hz,
        "cn0_dbhz": estimate.cn0_dbhz,
        "duration_s": estimate.duration_s,
        "drift_hz_per_s": estimate.drift_hz_per_s,
        "at_utc": recording.at_utc,
    }
    sentence = (
        f"{format_frequency(frequency_hz)} {format_sigma(estimate.sigma_hz)} "
        f"(C/N0 {estimate.cn0_dbhz:.0f} dB-Hz, {estimate.duration_s:.3g} s{_how(estimate)})"
    )
    if recording.count > samples.size:
        used_s = samples.size / recording.rate_hz
        sentence += f"\nof {recording.duration_s:.0f} s the first {used_s:.1f} s were used"
    if kind not in ("carrier", "am"):
        values["remark"] = estimate.remark
        sentence += f"\n{estimate.remark}" if estimate.remark else ""
    if kind in ("carrier", "am"):
        other = _rival(samples, recording.rate_hz, estimate, offset_hz, within_hz)
        values |= {
            "method": estimate.method,
            "spread_hz": estimate.spread_hz,
            "drift_hz_per_s": path.sense * estimate.drift_hz_per_s,
        }
        values |= {
            "model": estimate.method,
            "adequate": estimate.is_adequate,
            "remark": estimate.remark,
            "others": [
                {
                    "frequency_hz": path.dial_hz(other.frequency_hz),
                    "sigma_hz": other.sigma_hz,
                    "level_db": other.level_db,
                }
                for other in estimate.others
            ],
            "lost": _lost(samples, recording.rate_hz),
        }
        if values["lost"]:
            sentence += f"\n{values['lost']} samples are missing from the recording: phases step there"
        if estimate.remark:
            sentence += f"\n{estimate.remark}"
        for other in estimate.others:
            sentence += (
                f"\nanother line at {format_frequency(path.dial_hz(other.frequency_hz))} "
                f"{format_sigma(other.sigma_hz)}, {format_number(other.level_db, 1.0, signed=True)} dB"
            )
        values |= {"rival_hz": None, "rival_below_db": None}
        if other is not None:
            values |= {"rival_hz": path.dial_hz(other.frequency_hz), "rival_below_db": other.below_db}
            if other.below_db < ALIKE_DB:
                place = format_frequency(path.dial_hz(other.frequency_hz))
                sentence += f"\nanother carrier stands at {place}, as strong as this one: which is meant? give --near"
    if kind == "pilot":
        values["clock_ppm"] = estimate.clock_ppm
        sentence += f"\nthe sample clock runs fast by {format_number(estimate.clock_ppm, 0.01, signed=True)} ppm"
    if reference_hz is not None:
        error_hz = frequency_hz - reference_hz
        values |= {"error_hz": error_hz, "error_ppm": error_hz / reference_hz * 1e6 if reference_hz else None}
        ppm = format_number(error_hz / reference_hz * 1e6, 0.01, signed=True) if reference_hz else "?"
        sentence += f"\nreads {format_hertz(error_hz, estimate.sigma_hz)} against the reference ({ppm} ppm)"
    answer(as_json, values, sentence)


def _rival(samples: Any, rate_hz: float, estimate: Any, offset_hz: float, within_hz: float | None) -> Any:
    """Next strongest line of the search; a search of the whole span has too many."""
    if within_hz is None:
        return None
    from yarddial.dsp.rival import rival_of

    return rival_of(samples, rate_hz, estimate, offset_hz, within_hz)


def _how(estimate: Any) -> str:
    """Signal model in words; empty for a steady line."""
    method = getattr(estimate, "method", "steady")
    return "" if method == "steady" else f", {method}"


class _Path:
    """Conversion from a recording to the dial: directly, or back through converters."""

    def __init__(self, centre_hz: float, stages: tuple[Stage, ...]) -> None:
        self._centre_hz, self._stages = centre_hz, stages
        self.sense = path_sense(stages)
        self.centre_dial_hz = self.dial_hz(0.0)

    def dial_hz(self, offset_hz: float) -> float:
        """Dial frequency there, with the oscillators as entered."""
        return dial_for_shown(self._centre_hz + offset_hz, self._stages)

    def offset_hz(self, dial_hz: float) -> float:
        """Offset of a dial frequency in the recording."""
        return shown_for_dial(dial_hz, self._stages) - self._centre_hz


def _lost(samples: Any, rate_hz: float) -> int | None:
    """Missing samples by the phases of lines; None with too few lines."""
    from yarddial.dsp.unreported_gaps import BLOCK_SAMPLES, LossWatch, steady_lines

    if samples.size < 64 * BLOCK_SAMPLES:
        return None
    watch = LossWatch(rate_hz, steady_lines(samples[: 256 * BLOCK_SAMPLES], rate_hz))
    if not watch.can_see:
        return None
    return sum(loss.count for loss in (*watch.push(samples), *watch.finish()))


def _estimate(
    kind: str,
    samples: Any,
    rate_hz: float,
    offset_hz: float,
    within_hz: float | None,
    known_hz: tuple[float, ...],
    may_fade: bool,
) -> Any:
    """A carrier by maximum likelihood; a modulated signal by its mean frequency; the pilot from the multiplex."""
    from yarddial.dsp.carrier import estimate_carrier
    from yarddial.dsp.frequency_modulation import estimate_centre, estimate_pilot
    from yarddial.dsp.spectral_line import measure_line

    if kind in ("carrier", "am"):
        if within_hz is None:
            # Judge the strongest line of the span at its frequency.
            offset_hz = estimate_carrier(samples, rate_hz, offset_hz, None).frequency_hz
            within_hz = JUDGED_HZ
        if abs(offset_hz) < AT_CENTRE_HZ:
            return measure_line(samples, rate_hz, offset_hz, within_hz, known_hz, may_fade=may_fade)
        try:
            # Most recordings have the receiver's own spike at the centre, which is never the wanted signal.
            return measure_line(samples, rate_hz, offset_hz, within_hz, (0.0, *known_hz), may_fade=may_fade)
        except NoCarrier:
            return measure_line(samples, rate_hz, offset_hz, within_hz, known_hz, may_fade=may_fade)
    if kind == "nfm":
        return estimate_centre(samples, rate_hz, offset_hz, within_hz or MIN_SEARCH_HZ, "narrow")
    if kind == "wfm":
        return estimate_centre(samples, rate_hz, offset_hz, within_hz or MIN_WIDE_SEARCH_HZ, "wide")
    return estimate_pilot(samples, rate_hz, offset_hz, within_hz or MIN_WIDE_SEARCH_HZ)
