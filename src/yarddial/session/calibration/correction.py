"""The correction to enter: what changes, by how much, and what the dial will then be worth."""

from typing import Literal

import msgspec

from yarddial.analysis.correction.fit import CorrectionFit
from yarddial.records.entry import utc_now
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.line import Line
from yarddial.yard.oscillators import DialState, Oscillators, crystal_of, oscillator_of
from yarddial.yard.parts import Converter, Part, Receiver, Transceiver, converters_of, with_converter
from yarddial.yard.path import lo_weights
from yarddial.yard.station import Station

# Entered values are kept to the last digit that a listening program takes.
PPM_DECIMALS = 3
LO_DECIMALS = 1


class EnteredChange(msgspec.Struct, frozen=True):
    """One number to enter: `old` and `new` in ppm for a crystal, hertz for a converter's oscillator.

    known_only : of a transceiver, which takes no correction: the number is kept with the part.
    """

    part: str
    unit: Literal["ppm", "Hz"]
    old: float
    new: float
    known_only: bool = False

    @property
    def text(self) -> str:
        """As people say it."""
        if self.unit == "ppm" and self.known_only:
            return (
                f"{self.part} reference {format_number(self.new, 0.01, signed=True)} ppm, which is for nobody to enter"
            )
        if self.unit == "ppm":
            return f"{self.part} crystal {format_number(self.new, 0.01, signed=True)} ppm"
        return f"{self.part} oscillator {format_frequency(self.new, 1)} ({format_hertz(self.new - self.old, 0.1)})"

    @property
    def short(self) -> str:
        """In a few words: the part and how much."""
        if self.unit == "ppm":
            return f"{self.part} {format_number(self.new, 0.01, signed=True)} ppm"
        return f"{self.part} {format_hertz(self.new - self.old, 0.3)}"


class CorrectionProposal(msgspec.Struct, frozen=True):
    """A correction, not yet entered.

    shift_only : right at this place only, since crystal and converter cannot be told apart yet.
    sigma_after_hz : the dial's one-sigma doubt at its present place once it is entered.
    """

    changes: tuple[EnteredChange, ...]
    station: Station
    shift_only: bool
    sigma_after_hz: float

    @property
    def is_nothing(self) -> bool:
        """True where all of it is entered already."""
        return not self.changes

    @property
    def label(self) -> str:
        """Name of the step for undo."""
        return "shift for this place" if self.shift_only else "correction"

    @property
    def sentence(self) -> str:
        """What is entered, in one line."""
        what = "; ".join(change.text for change in self.changes)
        return f"Entered {what}: the dial is then true to {format_sigma(self.sigma_after_hz)[1:]} here"


def propose(
    station: Station, line: Line, fit: CorrectionFit, oscillators: Oscillators, state: DialState
) -> CorrectionProposal:
    """Work out what to enter for everything that the fit can tell apart, or a shift for this place."""
    crystal = fit.estimate(crystal_of(line.receiver.name))
    loose = [c for c in line.converters if not _is_separate(fit, oscillator_of(c)) and not c.follows_dial]
    if loose and (crystal is None or not crystal.separate):
        return _shift(station, line, loose[0], state)
    changed, changes = station, list[EnteredChange]()
    for part in station.parts:
        edits: list[tuple[Part, EnteredChange]] = []
        if isinstance(part, Receiver) and _is_separate(fit, crystal_of(part.name)):
            edits.append(_true_receiver(part, oscillators))
        for converter in converters_of(part):
            if not _is_separate(fit, oscillator_of(converter)):
                continue
            if isinstance(part, Transceiver):
                edits.append(_true_transceiver(part, oscillators.value(oscillator_of(converter)), oscillators))
            else:
                true, change = _true_converter(converter, oscillators)
                edits.append((with_converter(changed.part(part.name), true), change))
        for edited, change in edits:
            if change.new != change.old:
                changes.append(change)
                changed = changed.with_part(edited)
    return CorrectionProposal(tuple(changes), changed, False, state.sigma_hz)


def _is_separate(fit: CorrectionFit, name: str) -> bool:
    estimate = fit.estimate(name)
    return estimate is not None and estimate.separate


def _true_receiver(part: Receiver, oscillators: Oscillators) -> tuple[Receiver, EnteredChange]:
    value, sigma = oscillators.value(crystal_of(part.name)), oscillators.sigma(crystal_of(part.name))
    entered = round(value, PPM_DECIMALS)
    if not _worth(part.entered_ppm, entered, sigma):
        entered = part.entered_ppm
    measured = part.crystal_ppm.measured(value, sigma, utc_now(), "fit of known carriers")
    replaced = msgspec.structs.replace(part, crystal_ppm=measured, entered_ppm=entered)
    return replaced, EnteredChange(part.name, "ppm", part.entered_ppm, entered)


def _true_converter(part: Converter, oscillators: Oscillators) -> tuple[Converter, EnteredChange]:
    value = part.nominal_lo_hz + oscillators.value(oscillator_of(part))
    sigma = oscillators.sigma(oscillator_of(part))
    entered = round(value, LO_DECIMALS)
    if not _worth(part.entered_lo_hz, entered, sigma):
        entered = part.entered_lo_hz
    measured = part.lo_hz.measured(value, sigma, utc_now(), "fit of known carriers")
    replaced = msgspec.structs.replace(part, lo_hz=measured, entered_lo_hz=entered)
    return replaced, EnteredChange(part.name, "Hz", part.entered_lo_hz, entered)


def _true_transceiver(part: Transceiver, value: float, oscillators: Oscillators) -> tuple[Transceiver, EnteredChange]:
    """Nothing of it is for us to enter; it is known from now on."""
    (converter,) = converters_of(part)
    sigma = oscillators.sigma(oscillator_of(converter))
    known = round(value, PPM_DECIMALS) if _worth(part.rig_ppm.value, value, sigma) else part.rig_ppm.value
    measured = part.rig_ppm.measured(known, sigma, utc_now(), "fit of known carriers")
    return msgspec.structs.replace(part, rig_ppm=measured), EnteredChange(
        part.name, "ppm", part.rig_ppm.value, known, True
    )


def _worth(old: float, new: float, sigma: float) -> bool:
    """A step well inside the doubt only chases noise."""
    return abs(new - old) > 0.5 * sigma


def _shift(station: Station, line: Line, part: Converter, state: DialState) -> CorrectionProposal:
    """Put the whole error of this place into one converter's entered oscillator."""
    weight = lo_weights(line.stages)[line.converters.index(part)]
    entered = round(part.entered_lo_hz + state.trace.sense * weight * state.error_hz, LO_DECIMALS)
    if not _worth(part.entered_lo_hz, entered, state.sigma_hz):
        return CorrectionProposal((), station, True, state.sigma_hz)
    owner = next(p for p in station.parts if any(c.name == part.name for c in converters_of(p)))
    changed = station.with_part(with_converter(owner, msgspec.structs.replace(part, entered_lo_hz=entered)))
    return CorrectionProposal(
        (EnteredChange(part.name, "Hz", part.entered_lo_hz, entered),), changed, True, state.sigma_hz
    )
