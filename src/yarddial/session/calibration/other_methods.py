"""Calibration without a measured carrier: manual readings, tones, pilots, rasters, files, own transmitter."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from yarddial.records.entry import utc_now
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import NEAR_HZ, Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import BadFrequency, BadObservations
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma, parse_frequency
from yarddial.yard.observation import Observation, OneCrystal, SamplingOnly, lasting_error_of, observed
from yarddial.yard.plain_text import count_of
from yarddial.yard.references import PILOT_HZ, why_no_reference
from yarddial.yard.station import Reference

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.blind.raster_fit import BlindAnswer
    from yarddial.analysis.tones.dial_error import ToneAnswer, ToneReception
    from yarddial.dsp.frequency_modulation import Pilot

# A fit of more rows would block the window.
MAX_ROWS = 2_000
# Search range for a broadcaster's carrier; the next station may be beyond it.
PILOT_WITHIN_HZ, MAX_PILOT_HZ = 5_000.0, 40_000.0
# Search range around a tone: AM gives the tone itself, a sideband is off by the dial error.
AM_WITHIN, MIN_AM_HZ, SIDEBAND_WITHIN, MAX_SIDEBAND_HZ = 0.1, 50.0, 0.45, 500.0


class OtherMethods:
    """Methods that make observations from what the person has, and add them to the calibration."""

    def __init__(self, desk: Desk, calibration: Calibration) -> None:
        self._desk, self._calibration = desk, calibration

    def read_dial(self, text: str) -> None:
        """Take a manual reading: `10.000 037 MHz`, or with its uncertainty, `10 000 037 Hz ± 2`.

        The last digit gives the sigma where none is stated. Raises BadFrequency, or BadObservations where the dial is
        on no known station.
        """
        reference = self._reference()
        dial_hz, sigma_hz = read_with_sigma(text)
        state = self._calibration.state()
        if abs(dial_hz - reference.frequency_hz) > max(NEAR_HZ, abs(state.error_hz) + 5 * state.sigma_hz):
            away = format_hertz(dial_hz - reference.frequency_hz, sigma_hz)
            raise BadObservations(f"that is {away} from {reference.name}: give the reading in hertz or with its unit")
        observation = observed(self._desk.route, reference, dial_hz, sigma_hz, utc_now())
        sentence = (
            f"{reference.name} read by hand: {format_hertz(observation.error_hz, sigma_hz)} {format_sigma(sigma_hz)}"
        )
        self._calibration.take_in((observation,), "reading by hand", sentence)

    def take_tone(self, answer: "ToneAnswer", heard_at_hz: float | None = None) -> None:
        """Take the dial error from a tone, with the dial on its station. Raises BadObservations.

        heard_at_hz : the dial; on the station's stated frequency by default.
        """
        reference = self._reference()
        dial_hz = (reference.frequency_hz if heard_at_hz is None else heard_at_hz) + answer.dial_error_hz
        observation = observed(self._desk.route, reference, dial_hz, answer.sigma_hz, utc_now())
        error = f"{format_hertz(observation.error_hz, answer.sigma_hz)} {format_sigma(answer.sigma_hz)}"
        sentence = f"{reference.name} by its tone of {answer.tone_hz:.1f} Hz: {error}"
        self._calibration.take_in((observation,), "tone", sentence, tone_hz=answer.tone_hz)

    def take_pilot(self, pilot: "Pilot", right_to_hz: float) -> None:
        """Take the sample clock's error from a stereo pilot. Raises BadObservations.

        right_to_hz : one sigma of the station's own pilot; 2 Hz at most by the rule.
        """
        if not right_to_hz > 0:
            raise BadObservations("no pilot is right to nothing: give an uncertainty above 0, such as 0.7 Hz")
        receiver, place = self._desk.route.receiver, format_frequency(self._desk.station.dial_hz)
        observation = Observation(
            receiver.name, PILOT_HZ, right_to_hz, pilot.frequency_hz, pilot.sigma_hz,
            reference_name=f"stereo pilot at {place}", route=self._desk.route.name, at_utc=utc_now(),
            tells_of=OneCrystal() if receiver.clock_ppm is None else SamplingOnly(),
            shares=lasting_error_of(f"stereo pilot at {place}", PILOT_HZ), device=receiver.device_name,
        )  # fmt: skip
        sigma_ppm = 1e6 * observation.total_sigma_hz / PILOT_HZ
        clock = f"{format_number(pilot.clock_ppm, sigma_ppm, signed=True)} ± {format_number(sigma_ppm, sigma_ppm)} ppm"
        sentence = f"Stereo pilot at {place}: the sample clock is off by {clock}"
        self._calibration.take_in((observation,), "stereo pilot", sentence, clock_ppm=pilot.clock_ppm)

    def take_raster(self, answer: "BlindAnswer") -> None:
        """Take the dial error from a band's raster, at the band's middle. Raises BadObservations while undecided.

        What the answer assumes is part of the reference's name and of the log's sentence.
        """
        best = answer.hypotheses[0]
        if not answer.is_likely:
            raise BadObservations(f"the raster has not decided ({best.odds:.0%} for the likeliest): {answer.decides}")
        cell = f", cell assumed within {best.raster_hz / 2e3:g} kHz" if "cell" in answer.assumed else ""
        sense = ", sense assumed" if "sense" in answer.assumed else ""
        name = f"raster of {best.raster_hz / 1e3:g} kHz{cell}{sense}"
        true_hz = answer.middle_hz - best.offset_hz
        reference = Reference(name, true_hz, 0.0, "raster")
        observation = observed(self._desk.route, reference, answer.middle_hz, best.sigma_hz, utc_now())
        error = f"{format_hertz(best.offset_hz, best.sigma_hz)} {format_sigma(best.sigma_hz)}"
        where = format_frequency(answer.middle_hz)
        sentence = f"{answer.on_raster} of {answer.carriers} carriers keep a {name}: {error} at {where}"
        self._calibration.take_in((observation,), "raster", sentence, carriers=answer.carriers)

    def read_file(self, path: Path) -> int:
        """Read observations from a CSV file and return their number. Raises BadObservations.

        Rows name parts of this yard, or none: the active route's converters then apply, in order.
        """
        from yarddial.records.observation_file import read_observations

        route = self._desk.route
        rows = [self._of_this_yard(seen) for seen in read_observations(path, route.receiver.name)]
        if len(rows) > MAX_ROWS:
            raise BadObservations(
                f"{path.name} has {len(rows)} rows, more than the {MAX_ROWS} that a window keeps at hand: fit them "
                "by the command 'true', or thin them"
            )
        self._calibration.take_in(rows, "file", f"{count_of(len(rows), 'observation')} from {path.name}")
        return len(rows)

    def write_file(self, path: Path) -> int:
        """Write the current observations into a CSV file, with the fit's residuals.

        Raises NotWritten.
        """
        from yarddial.records.observation_file import write_observations

        fit = self._calibration.fit
        if fit is None:
            raise BadObservations("nothing was measured yet: there is nothing to write")
        write_observations(path, fit.observations, fit.residuals_hz)
        return len(fit.observations)

    def state_own_transmitter(self, name: str, text: str) -> None:
        """Add the person's own transmitter as a reference, as accurate as its oscillator; undoable."""
        hertz, _, uncertainty = text.partition("±")
        frequency_hz = parse_frequency(hertz)
        sigma_hz = parse_frequency(uncertainty) if uncertainty.strip() else 0.0
        from yarddial.yard.references import kind_named

        kind = kind_named("own transmitter")
        assert kind is not None
        self.keep_reference(
            Reference(
                name, frequency_hz, sigma_hz or kind.sigma_hz(frequency_hz), kind.name, kind.mode, "into a dummy load"
            )
        )
        self._desk.dial(frequency_hz)

    def keep_reference(self, reference: Reference) -> None:
        """Store a reference in the station, replacing one of the same name and frequency; undoable.

        Raises BadObservations.
        """
        if why := why_no_reference(reference.kind, reference.frequency_hz):
            raise BadObservations(f"{reference.name or 'that'} trues nothing: {why}")
        if not reference.name.strip() or reference.frequency_hz <= 0 or not reference.sigma_hz > 0:
            raise BadObservations("a reference needs a name, a frequency above 0 and an uncertainty above 0")
        station = self._desk.station
        others = tuple(r for r in station.references if not _same(r, reference))
        self._desk.edit("reference", msgspec.structs.replace(station, references=(*others, reference)))

    def keep_references(self, references: Sequence[Reference]) -> int:
        """Store several references as one edit, keep existing ones, and return how many were new."""
        station = self._desk.station
        known = {(reference.name, reference.frequency_hz) for reference in station.references}
        more = tuple(reference for reference in references if (reference.name, reference.frequency_hz) not in known)
        if more:
            changed = msgspec.structs.replace(station, references=(*station.references, *more))
            self._desk.edit(f"{len(more)} known stations", changed)
        return len(more)

    def import_references(self, path: Path) -> int:
        """Import known stations from a CSV and return the number of new ones; raises BadStation."""
        from yarddial.records.reference_file import read_references

        return self.keep_references(read_references(path))

    def drop_reference(self, reference: Reference) -> None:
        """Remove a reference from the station; undoable."""
        station = self._desk.station
        others = tuple(r for r in station.references if not _same(r, reference))
        self._desk.edit("reference taken out", msgspec.structs.replace(station, references=others))

    def _reference(self) -> Reference:
        reference = self._calibration.reference()
        if reference is None:
            raise BadObservations("the dial is on no known station: press ] for the next one")
        if why := why_no_reference(reference.kind, reference.frequency_hz):
            raise BadObservations(f"{reference.name} trues nothing: {why}")
        return reference

    def _of_this_yard(self, seen: Observation) -> Observation:
        """Apply the active route's converters to a row that names no parts."""
        converters = self._desk.route.at(seen.reference_hz).converters
        by_name = {converter.name for route in self._desk.station.resolved_routes() for converter in route.converters}
        if all(stage.name in by_name for stage in seen.stages):
            return seen
        if len(converters) != len(seen.stages):
            seen_count = count_of(len(seen.stages), "converter")
            raise BadObservations(
                f"a row goes through {seen_count}, the active route through {len(converters)}: "
                "switch to the route that it was measured over"
            )
        stages = tuple(
            msgspec.structs.replace(stage, name=c.name, nominal_lo_hz=c.nominal_lo_hz, follows_dial=c.follows_dial)
            for stage, c in zip(seen.stages, converters, strict=True)
        )
        return msgspec.structs.replace(seen, stages=stages, route=seen.route or self._desk.route.name)


def pilot_in_recording(path: Path, shown_hz: float, sigma_hz: float) -> "Pilot":
    """Measure a broadcaster's stereo pilot in a recording. Raises BadRecording, BadSamples, NoCarrier."""
    from yarddial.dsp.frequency_modulation import estimate_pilot
    from yarddial.records.recordings import open_recording

    recording = open_recording(path)
    near_hz = shown_hz - recording.centre_hz
    within_hz = min(max(sigma_hz, PILOT_WITHIN_HZ), MAX_PILOT_HZ)
    return estimate_pilot(recording.read(), recording.rate_hz, near_hz, within_hz)


def tone_in_files(files: "Mapping[ToneReception, Path]", near_hz: float) -> "ToneAnswer":
    """Dial error from a tone in audio files. Raises BadObservations, BadRecording, BadSamples, NoCarrier."""
    from yarddial.records.sounds import read_sound

    return tone_in_sounds({mode: read_sound(path) for mode, path in files.items()}, near_hz)


def tone_in_sounds(sounds: "Mapping[ToneReception, tuple[object, float]]", near_hz: float) -> "ToneAnswer":
    """Dial error from a tone in audio, each with its rate. Raises as `tone_in_files`."""
    from yarddial.analysis.tones.dial_error import dial_error
    from yarddial.dsp.sound_tone import sound_tone

    if len(sounds) < 2:
        raise BadObservations("one tone alone tells nothing: give two of AM, USB and LSB")
    tones: dict[ToneReception, tuple[float, float]] = {}
    for mode, (sound, rate_hz) in sounds.items():
        within_hz = (
            max(AM_WITHIN * near_hz, MIN_AM_HZ) if mode == "am" else min(SIDEBAND_WITHIN * near_hz, MAX_SIDEBAND_HZ)
        )
        tone = sound_tone(sound, rate_hz, near_hz, within_hz)  # type: ignore[arg-type]
        tones[mode] = (tone.frequency_hz, tone.sigma_hz)
    return dial_error(tones)


def _same(reference: Reference, other: Reference) -> bool:
    return (reference.name, reference.frequency_hz) == (other.name, other.frequency_hz)


def read_with_sigma(text: str) -> tuple[float, float]:
    """Read a dial reading with its uncertainty after `±` or `+-`; without one the last digit gives it.

    Raises BadFrequency.
    """
    value, sign, uncertainty = text.replace("+-", "±").replace("+/-", "±").partition("±")
    dial_hz = parse_frequency(value)
    if sign:
        sigma_hz = parse_frequency(uncertainty)
        if sigma_hz <= 0:
            raise BadFrequency(f"an uncertainty of {sigma_hz:g} Hz is none: give one above 0, or none at all")
        return dial_hz, sigma_hz
    # The value of the last digit is the difference made by one more in it.
    places = [i for i, letter in enumerate(value) if letter.isdigit()]
    mantissa = value[: places[-1] + 1] if places else value
    exponent = mantissa.lower().rfind("e")
    last = [i for i in places if exponent < 0 or i < exponent][-1]
    other = value[:last] + str((int(value[last]) + 1) % 10) + value[last + 1 :]
    step_hz = abs(parse_frequency(other) - dial_hz)
    return dial_hz, step_hz if value[last] != "9" else step_hz / 9


def _make(of: CalibrationTopics) -> OtherMethods:
    return OtherMethods(of.desk, of.calibration)


DECLARATION = Declaration(make=_make)
