"""Identify a converter's oscillator by its own leak, a weak carrier at the oscillator's frequency."""

from collections.abc import Sequence
from math import exp, sqrt, tau

import msgspec

from yarddial.analysis.correction.which_lo import DECIDED_ODDS, Candidate
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.oscillator_classes import classes_at
from yarddial.yard.working import WorkedValue, Working

# Probability of seeing the converter's real oscillator, and of another carrier at a wrong place. With the antenna off
# only the receiver's own lines remain, about one per megahertz.
SEEN_SHARE, OTHER_SHARE, OTHER_SHARE_OFF = 0.9, 0.2, 0.02
# Prior odds of "none of these" against one stated value.
NONE_PRIOR = 0.1


class Glimpse(msgspec.Struct, frozen=True):
    """Result of a search around one stated oscillator.

    shown_hz : where the receiver showed the strongest carrier, or None where nothing stood out.
    within_hz : half width of the search.
    """

    stated_hz: float
    within_hz: float
    shown_hz: float | None = None
    sigma_hz: float = 0.0
    cn0_dbhz: float = 0.0


class LeakAnswer(msgspec.Struct, frozen=True):
    """Stated values by odds; the oscillator found with its sigma, if the best one was seen."""

    candidates: tuple[Candidate, ...]
    decided: bool
    lo_hz: float | None
    sigma_hz: float
    glimpses: tuple[Glimpse, ...]
    crystal_ppm: float

    def sentence(self) -> str:
        """The answer as a sentence."""
        best = self.candidates[0]
        if self.lo_hz is None or best.stated_hz == 0:
            return "no carrier stands where a stated oscillator would leak: the leak may be too weak, or none is right"
        carrier_words = f"a carrier stands at {format_frequency(self.lo_hz)} {format_sigma(self.sigma_hz)}"
        fits = f"it fits {format_frequency(best.stated_hz)} ({format_hertz(best.apart_hz, self.sigma_hz)} apart)"
        if self.decided:
            return f"{carrier_words}: {fits}; it stays when the antenna is taken off, if it is the leak"
        advice = "take the antenna off and look again, or true the crystal first"
        return f"undecided: {carrier_words}, perhaps {fits}; {advice}"

    def working(self) -> Working:
        """Result at each stated value."""
        values = tuple(
            WorkedValue(
                f"L{i}",
                f"around {format_frequency(glimpse.stated_hz)}",
                "nothing stands out"
                if glimpse.shown_hz is None
                else f"{format_frequency(glimpse.shown_hz)}, {glimpse.cn0_dbhz:.0f} dB-Hz",
                f"searched {format_sigma(glimpse.within_hz)}",
            )
            for i, glimpse in enumerate(self.glimpses, 1)
        )
        return Working(
            title="Which oscillator leaks?",
            formulas=("L = r (1 + p)", "odds: a carrier near the stated value, against one there by chance"),
            values=(*values, WorkedValue("p", "crystal fast by", f"{self.crystal_ppm:+.3f} ppm")),
            result=self.sentence(),
        )


def weigh_leaks(
    glimpses: Sequence[Glimpse],
    crystal_ppm: float,
    crystal_sigma_ppm: float,
    tolerance_ppm: float | None = None,
    *,
    antenna_off: bool = False,
) -> LeakAnswer:
    """Weigh the stated oscillators by the carriers found around each.

    Parameters
    ----------
    glimpses : sequence of Glimpse
        What was found around each stated value, with no correction entered.
    crystal_ppm, crystal_sigma_ppm : float
        The receiver's crystal as far as known, positive when fast.
    tolerance_ppm : float
        One-sigma spread of oscillators around what is marked on them; by default that of all classes at the frequency.
    antenna_off : bool
        Nothing from outside came in while it was looked.

    Raises
    ------
    BadObservations
        Nothing was looked at.

    Notes
    -----
    Each stated value in turn is taken for the true one: it is then seen in nine of ten cases, Gaussian around what is
    stated; some other carrier stands by chance, anywhere in the width searched, in one of five. Only the ratio of the
    two at its own place counts, since all other places then hold what chance brings.
    """
    if not glimpses:
        raise BadObservations("no stated oscillator lies where the receiver can look: state others, or use a station")
    weighed_glimpses: list[tuple[Glimpse, float, float]] = []
    other_share = OTHER_SHARE_OFF if antenna_off else OTHER_SHARE
    for glimpse in glimpses:
        chance = other_share / (2 * glimpse.within_hz)
        if glimpse.shown_hz is None:
            weighed_glimpses.append((glimpse, 0.0, (1 - SEEN_SHARE) / (1 - other_share)))
            continue
        there_hz = glimpse.shown_hz * (1 + crystal_ppm * 1e-6)
        apart_hz, density = there_hz - glimpse.stated_hz, 0.0
        spreads = [
            (oscillator_class.share, oscillator_class.sigma_ppm) for oscillator_class in classes_at(glimpse.stated_hz)
        ]
        for share, ppm in spreads if tolerance_ppm is None else [(1.0, tolerance_ppm)]:
            spread_hz = sqrt((glimpse.stated_hz * ppm * 1e-6) ** 2 + (glimpse.shown_hz * crystal_sigma_ppm * 1e-6) ** 2)
            density += share * exp(-0.5 * (apart_hz / spread_hz) ** 2) / (spread_hz * sqrt(tau))
        weighed_glimpses.append((glimpse, apart_hz, (SEEN_SHARE * density + (1 - SEEN_SHARE) * chance) / chance))
    total = sum(weight for *_, weight in weighed_glimpses) + NONE_PRIOR
    ranked = [(Candidate(g.stated_hz, apart, weight / total), g) for g, apart, weight in weighed_glimpses]
    ranked.sort(key=lambda item: -item[0].odds)
    best, seen = ranked[0]
    candidates = sorted((*(c for c, _ in ranked), Candidate(0.0, 0.0, NONE_PRIOR / total)), key=lambda c: -c.odds)
    lo_hz: float | None = None
    sigma_hz = 0.0
    if seen.shown_hz is not None and candidates[0] == best:
        lo_hz = seen.shown_hz * (1 + crystal_ppm * 1e-6)
        sigma_hz = sqrt((seen.shown_hz * crystal_sigma_ppm * 1e-6) ** 2 + seen.sigma_hz**2)
    decided = lo_hz is not None and best.odds >= DECIDED_ODDS
    return LeakAnswer(tuple(candidates), decided, lo_hz, sigma_hz, tuple(glimpses), crystal_ppm)
