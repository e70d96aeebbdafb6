"""Frequency conversion along a path, from the antenna to the dial and back.

Signs: an error is *dial minus true*, positive when the dial reads high. `receiver_ppm` is positive when the crystal
runs fast; `lo_error_hz` is positive when a converter's oscillator runs above the value entered.
"""

from collections.abc import Sequence
from typing import Literal

import msgspec

from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, parse_frequency
from yarddial.yard.working import WorkedValue, Working

ConverterKind = Literal["sum", "low", "high"]
KINDS: tuple[ConverterKind, ...] = ("sum", "low", "high")

_SENSE = {"sum": 1, "low": 1, "high": -1}
_LO_SIGN = {"sum": 1, "low": -1, "high": 1}
_FORMULA = {"sum": "f + L", "low": "f − L", "high": "L − f"}


class Stage(msgspec.Struct, frozen=True):
    """One converter of a path.

    kind : `sum` gives f + L, `low` gives f - L, `high` gives L - f and inverts the spectrum.
    lo_hz : the oscillator's frequency as entered, hertz.
    lo_error_hz : true minus entered, hertz.
    """

    kind: ConverterKind
    lo_hz: float
    lo_error_hz: float = 0.0
    name: str = ""

    @property
    def sense(self) -> int:
        """+1, or -1 where the stage inverts the spectrum."""
        return _SENSE[self.kind]

    @property
    def lo_sign(self) -> int:
        """The sign with which the oscillator enters the output frequency."""
        return _LO_SIGN[self.kind]

    @property
    def formula(self) -> str:
        """Output in standard symbols."""
        return _FORMULA[self.kind]

    @property
    def offset_hz(self) -> float:
        """Offset that the stage adds, with the entered oscillator."""
        return self.lo_sign * self.lo_hz

    def convert(self, in_hz: float) -> float:
        """Output frequency for an input frequency, with the true oscillator."""
        return self.sense * in_hz + self.offset_hz + self.lo_sign * self.lo_error_hz


class SamplingClock(msgspec.Struct, frozen=True):
    """The receiver's crystal: its true error and the correction entered, both positive for a fast crystal."""

    true_ppm: float = 0.0
    entered_ppm: float = 0.0


class Trace(msgspec.Struct, frozen=True):
    """A signal followed along a path. All frequencies in hertz.

    out_hz : true frequency after each stage.
    port_hz : true frequency at the receiver's socket.
    shown_hz : what the receiver shows there, with the correction typed in.
    dial_hz : what the dial shows, the entered oscillators taken off again.
    dial_error_hz : dial minus true, computed without taking the difference of two large numbers.
    sense : +1, or -1 when the spectrum arrives inverted.
    per_ppm_hz : change of the dial for a crystal one ppm faster.
    per_lo_hz : change of the dial for each oscillator one hertz higher.
    """

    antenna_hz: float
    stages: tuple[Stage, ...]
    clock: SamplingClock
    out_hz: tuple[float, ...]
    port_hz: float
    shown_hz: float
    dial_hz: float
    dial_error_hz: float
    sense: int
    per_ppm_hz: float
    per_lo_hz: tuple[float, ...]

    def working(self) -> Working:
        """Formula and values behind the dial error."""
        return _trace_working(self)


def trace(antenna_hz: float, stages: Sequence[Stage] = (), clock: SamplingClock | None = None) -> Trace:
    """Follow a signal from the antenna to the dial.

    Parameters
    ----------
    antenna_hz : float
        True frequency of the signal, hertz.
    stages : sequence of Stage
        Converters, antenna first.
    clock : SamplingClock
        The receiver's crystal; both its errors default to zero.

    Notes
    -----
    With crystal error p and correction p_e a signal at f_h is shown at f_h (1 + p_e) / (1 + p), wherever in the span
    it lies, since tuner and converter share the crystal. The chain multiplies senses.
    """
    clock = clock or SamplingClock()
    out_hz: list[float] = []
    here_hz = antenna_hz
    for stage in stages:
        here_hz = stage.convert(here_hz)
        out_hz.append(here_hz)
    sense = path_sense(stages)
    fast, entered = clock.true_ppm * 1e-6, clock.entered_ppm * 1e-6
    shown_minus_port = here_hz * (entered - fast) / (1 + fast)
    weights = lo_weights(stages)
    lo_part = sum(w * stage.lo_error_hz for w, stage in zip(weights, stages, strict=True))
    # Adding zero turns minus zero into plain zero.
    error_hz = sense * (shown_minus_port + lo_part) + 0.0
    scale = (1 + entered) / (1 + fast)
    return Trace(
        antenna_hz=antenna_hz,
        stages=tuple(stages),
        clock=clock,
        out_hz=tuple(out_hz),
        port_hz=here_hz,
        shown_hz=here_hz + shown_minus_port,
        dial_hz=antenna_hz + error_hz,
        dial_error_hz=error_hz,
        sense=sense,
        per_ppm_hz=-sense * here_hz * scale / (1 + fast) * 1e-6,
        per_lo_hz=tuple(sense * w * scale for w in weights),
    )


def trace_back(dial_hz: float, stages: Sequence[Stage] = (), clock: SamplingClock | None = None) -> Trace:
    """Find the signal that gives a dial reading: the inverse of `trace`.

    In the answer `antenna_hz` is the true frequency; `dial_hz` is the given reading.
    """
    clock = clock or SamplingClock()
    shown_hz = shown_for_dial(dial_hz, stages)
    fast, entered = clock.true_ppm * 1e-6, clock.entered_ppm * 1e-6
    port_minus_shown = shown_hz * (fast - entered) / (1 + entered)
    lo_part = sum(w * s.lo_error_hz for w, s in zip(lo_weights(stages), stages, strict=True))
    return trace(dial_hz + path_sense(stages) * (port_minus_shown - lo_part), stages, clock)


def shown_for_dial(dial_hz: float, stages: Sequence[Stage]) -> float:
    """Frequency that the receiver shows for this dial reading, with the oscillators as entered, hertz."""
    here_hz = dial_hz
    for stage in stages:
        here_hz = stage.sense * here_hz + stage.offset_hz
    return here_hz


def dial_for_shown(shown_hz: float, stages: Sequence[Stage]) -> float:
    """Dial reading for a frequency shown by the receiver, with the converters as entered."""
    dial_hz = shown_hz
    for stage in reversed(stages):
        dial_hz = (dial_hz - stage.offset_hz) * stage.sense
    return dial_hz


def path_sense(stages: Sequence[Stage]) -> int:
    """Return +1, or -1 when an odd number of stages inverts."""
    sense = 1
    for stage in stages:
        sense *= stage.sense
    return sense


def lo_weights(stages: Sequence[Stage]) -> tuple[int, ...]:
    """Sign (+1 or -1) with which each oscillator enters the frequency at the receiver's socket."""
    weights: list[int] = []
    sense_after = 1
    for stage in reversed(stages):
        weights.append(stage.lo_sign * sense_after)
        sense_after *= stage.sense
    return tuple(reversed(weights))


def parse_stage(text: str) -> Stage:
    """Read `KIND:LO[@PPM]`, such as `sum:120M@3.4`; PPM is the oscillator's true error, positive when fast.

    Raises
    ------
    BadPath
        The sentence says which part of the text cannot be read.
    BadFrequency
        The oscillator's frequency cannot be read.
    """
    kind, colon, rest = text.strip().partition(":")
    if not colon or kind not in KINDS:
        raise BadPath(f"'{text}' is not a converter: write KIND:LO with KIND sum, low or high, such as sum:120M")
    lo_text, at, ppm_text = rest.partition("@")
    lo_hz = parse_frequency(lo_text)
    if lo_hz <= 0:
        raise BadPath(f"the oscillator in '{text}' is not above 0 Hz: write its frequency as a positive number")
    ppm = parse_ppm(ppm_text) if at else 0.0
    return Stage(kind=kind, lo_hz=lo_hz, lo_error_hz=lo_hz * ppm * 1e-6, name=f"{kind}:{lo_text.strip()}")


def parse_ppm(text: str) -> float:
    """Read a fractional error in parts per million.

    Raises
    ------
    BadPath
        Not a number, or at or beyond 100 000 ppm, which no oscillator is off by.
    """
    cleaned = text.strip().replace("−", "-").removesuffix("ppm").strip()
    try:
        ppm = float(cleaned)
    except ValueError:
        ppm = float("nan")
    if not abs(ppm) < 1e5:
        raise BadPath(f"'{text}' is not an error in ppm: write a number such as 3.4 or -27")
    return ppm


def _trace_working(result: Trace) -> Working:
    formulas = [f"{stage.name or 'converter'}: f′ = {stage.formula}" for stage in result.stages]
    formulas += ["f_shown = f_port (1 + p_e) / (1 + p)"]
    if result.stages:
        formulas += ["f_dial = f_shown taken back through the converters with the values entered"]
    formulas += ["error = f_dial − f"]
    values = [WorkedValue("f", "true frequency at the antenna", format_frequency(result.antenna_hz))]
    for i, (stage, out_hz) in enumerate(zip(result.stages, result.out_hz, strict=True), 1):
        values += [
            WorkedValue(f"L{i}", f"{stage.name}: entered", format_frequency(stage.lo_hz)),
            WorkedValue(f"ΔL{i}", f"{stage.name}: true minus entered", format_hertz(stage.lo_error_hz)),
            WorkedValue(f"f{i}", f"after {stage.name}", format_frequency(out_hz)),
        ]
    values += [
        WorkedValue("p", "crystal runs fast by", format_number(result.clock.true_ppm, 0.03, signed=True) + " ppm"),
        WorkedValue("p_e", "correction entered", format_number(result.clock.entered_ppm, 0.03, signed=True) + " ppm"),
        WorkedValue("f_port", "true, at the receiver's socket", format_frequency(result.port_hz)),
        WorkedValue("f_shown", "shown by the receiver", format_frequency(result.shown_hz)),
    ]
    if result.sense < 0:
        values.append(WorkedValue("s", "the spectrum arrives inverted", "−1"))
    return Working(
        title=f"The dial at {format_frequency(result.antenna_hz)}",
        formulas=tuple(formulas),
        values=tuple(values),
        result=f"f_dial = {format_frequency(result.dial_hz)}, error = {format_hertz(result.dial_error_hz)}",
        source="one crystal serves tuner and converter; exact, not first order",
    )
