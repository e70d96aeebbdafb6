"""Identification of a converter's real oscillator among stated values, from one known station."""

from collections.abc import Sequence
from math import exp

import msgspec

from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.frequency_conversion import ConverterKind
from yarddial.yard.oscillator_classes import classes_at
from yarddial.yard.working import WorkedValue, Working

# A rival to the stated values: an oscillator that no leaflet names, anywhere within this of the value found.
UNSTATED_SPREAD_HZ, UNSTATED_SHARE = 1e6, 0.01
# Its prior is a tenth of a stated one's: leaflets are wrong about a box more often than all at once.
UNSTATED_PRIOR = 0.1
# Odds beyond which one hypothesis is called decided.
DECIDED_ODDS = 0.99


class Candidate(msgspec.Struct, frozen=True):
    """A stated oscillator, its distance from the measured one, and its odds; `stated_hz` 0 is "none of these"."""

    stated_hz: float
    apart_hz: float
    odds: float


class LoAnswer(msgspec.Struct, frozen=True):
    """The oscillator found with its one-sigma uncertainty, and the stated values in order of their odds."""

    kind: ConverterKind
    lo_hz: float
    sigma_hz: float
    candidates: tuple[Candidate, ...]
    decided: bool
    reference_hz: float
    shown_hz: float
    crystal_ppm: float

    def working(self) -> Working:
        """Source of the oscillator's value."""
        return Working(
            title="Which oscillator is it?",
            formulas=(
                "f_port = r (1 + p)",
                {"sum": "L = f_port − f", "low": "L = f − f_port", "high": "L = f_port + f"}[self.kind],
            ),
            values=(
                WorkedValue("f", "the known station", format_frequency(self.reference_hz)),
                WorkedValue("r", "where the receiver showed it", format_frequency(self.shown_hz)),
                WorkedValue("p", "crystal fast by", f"{self.crystal_ppm:+.3f} ppm"),
            ),
            result=f"L = {format_frequency(self.lo_hz)} {format_sigma(self.sigma_hz)}",
        )

    def sentence(self) -> str:
        """The answer as a sentence."""
        best = self.candidates[0]
        oscillator_words = f"the oscillator is at {format_frequency(self.lo_hz)} {format_sigma(self.sigma_hz)}"
        if best.stated_hz == 0:
            return f"{oscillator_words}: none of the stated values fits"
        fits = f"it fits {format_frequency(best.stated_hz)} ({format_hertz(best.apart_hz, self.sigma_hz)} apart)"
        return (
            f"{oscillator_words}: {fits}"
            if self.decided
            else f"undecided: {oscillator_words}, perhaps {fits}; true the crystal first"
        )


def which_lo(
    kind: ConverterKind,
    reference_hz: float,
    shown_hz: float,
    stated_hz: Sequence[float],
    crystal_ppm: float = 0.0,
    crystal_sigma_ppm: float = 25.0,
    sigma_hz: float = 100.0,
    tolerance_ppm: float | None = None,
) -> LoAnswer:
    """Find a converter's oscillator from one known station and weigh the stated values.

    Parameters
    ----------
    kind : {"sum", "low", "high"}
        What the converter does.
    reference_hz : float
        The station's true frequency.
    shown_hz, sigma_hz : float
        Where the receiver, no correction and no offset entered, showed it, and how well that was read.
    stated_hz : sequence of float
        What the leaflets and the box say.
    crystal_ppm, crystal_sigma_ppm : float
        The receiver's crystal as far as known, positive when fast.
    tolerance_ppm : float
        One-sigma spread of oscillators around what is marked on them; by default that of all classes at the frequency.

    Raises
    ------
    BadObservations
        The readings would need an oscillator at or below zero: the kind or a frequency is wrong.

    Notes
    -----
    Gaussian likelihoods, one for each class of oscillator, with equal priors for every stated value; and a flat one,
    ten times rarer, over 1 MHz or a hundredth to either side for an oscillator that nobody stated.
    """
    port_hz = shown_hz * (1 + crystal_ppm * 1e-6)
    lo_hz = {"sum": port_hz - reference_hz, "low": reference_hz - port_hz, "high": port_hz + reference_hz}[kind]
    if not lo_hz > 0:
        raise BadObservations(
            f"a '{kind}' converter cannot bring {format_frequency(reference_hz)} to {format_frequency(shown_hz)}: "
            "check the kind and where the station was seen"
        )
    sigma_hz = ((shown_hz * crystal_sigma_ppm * 1e-6) ** 2 + sigma_hz**2) ** 0.5
    weights = [(0.0, 0.0, UNSTATED_PRIOR / (2 * max(UNSTATED_SPREAD_HZ, UNSTATED_SHARE * lo_hz)))]
    for stated in stated_hz:
        apart_hz = lo_hz - stated
        spreads = [(oscillator_class.share, oscillator_class.sigma_ppm) for oscillator_class in classes_at(stated)]
        if tolerance_ppm is not None:
            spreads = [(1.0, tolerance_ppm)]
        weight = 0.0
        for share, ppm in spreads:
            spread_hz = (sigma_hz**2 + (stated * ppm * 1e-6) ** 2) ** 0.5
            weight += share * exp(-0.5 * (apart_hz / spread_hz) ** 2) / (spread_hz * 2.5066)
        weights.append((stated, apart_hz, weight))
    total = sum(weight for *_, weight in weights)
    ranked = sorted((Candidate(s, a, w / total) for s, a, w in weights), key=lambda c: -c.odds)
    return LoAnswer(
        kind, lo_hz, sigma_hz, tuple(ranked), ranked[0].odds >= DECIDED_ODDS, reference_hz, shown_hz, crystal_ppm
    )
