"""The correction to enter: each change, and the dial's uncertainty afterwards."""

from typing import Literal

import msgspec

from yarddial.analysis.correction.fit import CorrectionFit
from yarddial.records.entry import utc_now
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.oscillators import DialState, Oscillators, crystal_of, lo_of, oscillator_of, rig_of, spoken
from yarddial.yard.parts import Converter, Part, Receiver, Transceiver, converters_of, with_converter
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Number of decimals that listening programs accept.
PPM_DECIMALS = 3
LO_DECIMALS = 1
FIT_NOTE = "fit of known carriers"


class EnteredChange(msgspec.Struct, frozen=True):
    """A number to enter: `old` and `new` in ppm for a crystal, hertz for a converter's oscillator.

    known_only : of a transceiver, which takes no correction: the number is stored with the part.
    """

    part: str
    unit: Literal["ppm", "Hz"]
    old: float
    new: float
    known_only: bool = False

    @property
    def oscillator(self) -> str:
        """Name of the oscillator that it is about."""
        if self.known_only:
            return rig_of(self.part)
        return crystal_of(self.part) if self.unit == "ppm" else lo_of(self.part)

    @property
    def before_and_after(self) -> str:
        """The entered value before and after, for a person to agree to."""
        if self.unit == "ppm":
            old, new = (format_number(value, 0.01, signed=True) for value in (self.old, self.new))
            return f"{self.part} {'reference' if self.known_only else 'crystal'} {old} → {new} ppm"
        return f"{self.part} oscillator {format_frequency(self.old, 1)} → {format_frequency(self.new, 1)}"

    @property
    def step(self) -> float:
        """Step from the entered to the proposed value."""
        return self.new - self.old

    @property
    def text(self) -> str:
        """The correction as text."""
        if self.unit == "ppm" and self.known_only:
            return (
                f"{self.part} reference {format_number(self.new, 0.01, signed=True)} ppm, which is for nobody to enter"
            )
        if self.unit == "ppm":
            return f"{self.part} crystal {format_number(self.new, 0.01, signed=True)} ppm"
        return f"{self.part} oscillator {format_frequency(self.new, 1)} ({format_hertz(self.new - self.old, 0.1)})"

    @property
    def short(self) -> str:
        """Short form: the part and the change."""
        if self.unit == "ppm":
            return f"{self.part} {format_number(self.new, 0.01, signed=True)} ppm"
        return f"{self.part} {format_hertz(self.new - self.old, 0.3)}"


class CorrectionProposal(msgspec.Struct, frozen=True):
    """A correction that is not entered yet.

    together : groups of oscillators, by name, of which only the sum is known: entered together or not at all.
    sigma_after_hz : the dial's one-sigma uncertainty at its present frequency afterwards.
    """

    changes: tuple[EnteredChange, ...]
    station: Station
    together: tuple[tuple[str, ...], ...]
    sigma_after_hz: float

    @property
    def is_nothing(self) -> bool:
        """True where all of it is entered already."""
        return not self.changes

    @property
    def label(self) -> str:
        """Label of the undo step."""
        return "correction"

    @property
    def sentence(self) -> str:
        """Description of the correction in one line."""
        what = "; ".join(change.text for change in self.changes)
        sums = "".join(
            f"; of {' and '.join(spoken(name) for name in group)} the sum is known" for group in self.together
        )
        return f"Entered {what}{sums}: the dial is then true to {format_sigma(self.sigma_after_hz)[1:]} here"


def propose(
    station: Station, route: ResolvedRoute, fit: CorrectionFit, oscillators: Oscillators, state: DialState
) -> CorrectionProposal:
    """Propose the most likely values of all oscillators that the fit involves, to be entered together.

    The most likely values together leave each route with its own least sigma, whether the measurements tell two of them
    apart or know only their sum; one of them alone could throw another route off by what the other still holds.
    Nothing is entered while every step lies well inside its uncertainty, as that would only chase noise.
    """
    changed, changes, steps = station, list[EnteredChange](), dict[str, float]()
    for part in station.parts:
        edits: list[tuple[Part, EnteredChange]] = []
        if isinstance(part, Receiver) and (name := crystal_of(part.name)) in oscillators.names and fit.estimate(name):
            edits.append(_true_receiver(part, oscillators, known=_is_separate(fit, name)))
            steps[name] = edits[-1][1].step
        for converter in converters_of(part):
            name = oscillator_of(converter)
            if fit.estimate(name) is None:
                continue
            if isinstance(part, Transceiver):
                edits.append(_true_transceiver(part, oscillators.value(name), oscillators))
            else:
                true, change = _true_converter(converter, oscillators, known=_is_separate(fit, name))
                edits.append((with_converter(changed.part(part.name), true), change))
            steps[name] = edits[-1][1].step
        for edited, change in edits:
            if change.new != change.old:
                changes.append(change)
            changed = changed.with_part(edited)
    if not changes or not _is_worth(fit, oscillators, steps):
        return CorrectionProposal((), station, fit.together, state.sigma_hz)
    return CorrectionProposal(tuple(changes), changed, fit.together, state.sigma_hz)


def _is_separate(fit: CorrectionFit, name: str) -> bool:
    estimate = fit.estimate(name)
    return estimate is not None and estimate.separate


def _is_worth(fit: CorrectionFit, oscillators: Oscillators, steps: dict[str, float]) -> bool:
    """Return True when a step exceeds half its sigma, or all steps of a sum together do; smaller steps chase noise."""
    import numpy as np

    grouped = {name for group in fit.together for name in group}
    if any(abs(step) > 0.5 * oscillators.sigma(name) for name, step in steps.items() if name not in grouped):
        return True
    for group in fit.together:
        at = [oscillators.names.index(name) for name in group]
        step = np.array([steps.get(name, 0.0) for name in group])
        uncertainty = np.array([oscillators.sigma(name) for name in group])
        # A crystal's and a converter's units differ widely, so count each in its own uncertainty.
        correlation = np.array(oscillators.covariance)[np.ix_(at, at)] / np.outer(uncertainty, uncertainty)
        if float(
            (step / uncertainty) @ np.linalg.pinv(correlation, hermitian=True) @ (step / uncertainty)
        ) > 0.25 * len(group):
            return True
    return False


def _true_receiver(part: Receiver, oscillators: Oscillators, *, known: bool) -> tuple[Receiver, EnteredChange]:
    value, sigma = oscillators.value(crystal_of(part.name)), oscillators.sigma(crystal_of(part.name))
    entered = round(value, PPM_DECIMALS)
    crystal = part.crystal_ppm.measured(value, sigma, utc_now(), FIT_NOTE) if known else part.crystal_ppm
    replaced = msgspec.structs.replace(part, crystal_ppm=crystal, entered_ppm=entered)
    return replaced, EnteredChange(part.name, "ppm", part.entered_ppm, entered)


def _true_converter(part: Converter, oscillators: Oscillators, *, known: bool) -> tuple[Converter, EnteredChange]:
    value = part.nominal_lo_hz + oscillators.value(oscillator_of(part))
    sigma = oscillators.sigma(oscillator_of(part))
    entered = round(value, LO_DECIMALS)
    lo_hz = part.lo_hz.measured(value, sigma, utc_now(), FIT_NOTE) if known else part.lo_hz
    replaced = msgspec.structs.replace(part, lo_hz=lo_hz, entered_lo_hz=entered)
    return replaced, EnteredChange(part.name, "Hz", part.entered_lo_hz, entered)


def _true_transceiver(part: Transceiver, value: float, oscillators: Oscillators) -> tuple[Transceiver, EnteredChange]:
    """Store a transceiver's error, for which nothing can be entered."""
    (converter,) = converters_of(part)
    sigma = oscillators.sigma(oscillator_of(converter))
    known = round(value, PPM_DECIMALS)
    measured = part.rig_ppm.measured(known, sigma, utc_now(), FIT_NOTE)
    return msgspec.structs.replace(part, rig_ppm=measured), EnteredChange(
        part.name, "ppm", part.rig_ppm.value, known, True
    )
