"""Assessment of one band: route, reach, dial error against its modes, spurious signals, last proof."""

from collections.abc import Sequence
from typing import Literal

import msgspec

from yarddial.analysis.ghosts.scene import Ghost
from yarddial.yard.bands import Band
from yarddial.yard.frequency import format_bound, format_hertz, format_sigma
from yarddial.yard.mark import Mark
from yarddial.yard.modes import Mode, mode_named
from yarddial.yard.oscillators import DialState, Oscillators, dial_state
from yarddial.yard.reach import Reaches, best_route, why_out_of_reach
from yarddial.yard.resolved_route import ReachState, ResolvedRoute
from yarddial.yard.station import Station

# Number of frequencies examined in a band.
PLACES_A_BAND = 9
# A route serves a place in these states.
REACHED_STATES: tuple[ReachState, ...] = ("reached", "weak")
Todo = Literal["", "bench", "measure", "apply", "ghosts", "listen"]


class Proof(msgspec.Struct, frozen=True):
    """A moment at which something was heard or measured in a band, and over which route, if known.

    found : frequency and level, in a few words.
    """

    at_utc: str
    text: str
    route: str = ""
    found: str = ""


class BandRow(msgspec.Struct, frozen=True):
    """A band's state; the verdict is one sentence, `todo` the one thing to do next.

    reached : share of the band that the route serves. state : the dial at the band's middle, the worst of its ends in
    `error_hz` and `sigma_hz`. ghosts : known to stand in it. gains : kept for it, or None.
    """

    band: Band
    route: str
    reached: float
    mode: Mode
    state: DialState | None
    error_hz: float
    sigma_hz: float
    is_measured: bool
    ghosts: tuple[Ghost, ...]
    gains: bool
    proof: Proof | None
    mark: Mark
    verdict: str
    todo: Todo

    @property
    def trouble(self) -> int:
        """Sort key, the worst first."""
        return ("stop", "look", "unknown", "good").index(self.mark)


def row_of(
    station: Station,
    band: Band,
    known: Oscillators,
    measured: frozenset[str],
    ghosts: Sequence[Ghost] = (),
    proofs: Sequence[Proof] = (),
    attempts: Sequence[Proof] = (),
    reaches: Reaches | None = None,
) -> BandRow:
    """Assess a band: best route, dial error, spurious signals, proof and the next step.

    measured : oscillators that were measured, today or earlier. ghosts : known ones, with their place on the dial.
    proofs : of the band, the latest first; one over another route proves nothing of the best one. looks : at its span.
    reaches : of the station, for whoever judges many bands of it.
    """
    places = [band.low_hz + (band.high_hz - band.low_hz) * i / (PLACES_A_BAND - 1) for i in range(PLACES_A_BAND)]
    route, share = _covering_route(station, band, places, reaches or Reaches(station))
    mode = mode_named(band.mode_key)
    gains = any(k.band == band.name and route is not None and k.route == route.name for k in station.kept_gains)
    inside = tuple(g for g in ghosts if band.low_hz <= g.dial_hz <= band.high_hz)
    if route is None:
        why = why_out_of_reach(station, band.middle_hz)
        return BandRow(
            band, "", 0.0, mode, None, 0.0, 0.0, False, (), gains, None, "stop", f"Out of reach: {why}.", "bench"
        )
    states = [dial_state(route, place, known) for place in places if route.reach(place).is_reached]
    worst = max(states, key=lambda state: abs(state.error_hz) + 2 * state.sigma_hz)
    is_measured = {name for name, _ in worst.slopes} <= measured
    proof = next((candidate for candidate in proofs if candidate.route in ("", route.name)), None)
    silent = "" if proof is not None else _silent(route, proofs, attempts)
    mark, verdict, todo = _judged(route, share, mode, worst, inside, proof, silent, is_measured=is_measured)
    return BandRow(
        band, route.name, share, mode, states[len(states) // 2], worst.error_hz, worst.sigma_hz, is_measured, inside,
        gains, proof, mark, verdict, todo,
    )  # fmt: skip


def _covering_route(
    station: Station, band: Band, places: Sequence[float], reaches: Reaches
) -> tuple[ResolvedRoute | None, float]:
    """Return the route that covers most of a band; the preferred one wins a tie."""
    indices = range(len(reaches.routes))
    shares = [sum(reaches.state(i, place) in REACHED_STATES for place in places) / len(places) for i in indices]
    best = max(shares, default=0.0)
    if not best:
        return None, 0.0
    equals = [i for i, share in enumerate(shares) if share == best]
    chosen = equals[0]
    if len(equals) > 1:
        now = next((i for i in equals if reaches.routes[i].name == station.route), None)
        if now is not None and reaches.state(now, band.middle_hz) == "reached":
            # The active route stays when nothing reaches the band better.
            chosen = now
        else:
            first = best_route(msgspec.structs.replace(station, held=False), band.middle_hz)
            chosen = next((i for i in equals if reaches.routes[i].name == first), chosen)
    return reaches.routes[chosen], best


def _silent(route: ResolvedRoute, proofs: Sequence[Proof], attempts: Sequence[Proof]) -> str:
    """State what is known of a band where nothing was proven over its route."""
    if attempted := next((attempt for attempt in attempts if attempt.route in ("", route.name)), None):
        return f"nothing stood out on {attempted.at_utc[:10]} at {attempted.at_utc[11:16]} UTC: look at another hour"
    if proofs:
        return f"heard over {proofs[0].route}, not yet over this route"
    return "nothing was heard or measured here yet"


def _judged(
    route: ResolvedRoute, share: float, mode: Mode, worst: DialState, ghosts: Sequence[Ghost],
    proof: Proof | None, silent: str, *, is_measured: bool,
) -> tuple[Mark, str, Todo]:  # fmt: skip
    served = abs(worst.error_hz) + 2 * worst.sigma_hz <= mode.tolerance_hz
    uncertainty = format_sigma(worst.sigma_hz)[1:]
    if share < 1.0:
        return "look", f"{route.name} reaches {share:.0%} of it.", "bench"
    if not is_measured and not served:
        return "unknown", f"Not measured: the dial may be off by some {uncertainty}.", "measure"
    if not served and abs(worst.error_hz) > 2 * worst.sigma_hz:
        off = format_hertz(worst.error_hz, worst.sigma_hz)
        return "look", f"The dial is off by {off}; {mode.name} allows {format_bound(mode.tolerance_hz)}.", "apply"
    if not served:
        return "look", f"Known to {uncertainty}, too little for {mode.name}: measure again.", "measure"
    if ghosts:
        count = f"{len(ghosts)} ghosts stand" if len(ghosts) > 1 else "a ghost stands"
        return "look", f"True to {uncertainty}, but {count} in it.", "ghosts"
    if proof is None:
        return "unknown", f"True to {uncertainty}; {silent}.", "listen"
    proof_words = f", {proof.found}" if proof.found else ""
    return "good", f"Reachable and true to {uncertainty}; proven {proof.at_utc[:10]}{proof_words}.", ""
