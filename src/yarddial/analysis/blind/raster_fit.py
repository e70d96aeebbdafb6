"""Likelihood fit of raster, offset, crystal, inversion and oscillator to the carriers of one band."""

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.errors import BadObservations
from yarddial.yard.plain_text import count_of

Floats = NDArray[np.float64]

# Carrier errors: share of transmitters with this multiple of their rule's error. There are no smaller multiples: two
# carriers that agree by chance would outvote the others.
SHARES = ((0.39, 1.0), (0.12, 0.3), (0.12, 0.1), (0.20, 0.03), (0.06, 5.0))
# Share of carriers off every raster: deliberate offsets, spurious signals, other services.
OFF_RASTER = 1 - sum(share for share, _ in SHARES)
# Prior probability that a spectrum is inverted although the path says otherwise. A raster is symmetric, so where the
# offset does not decide, this prior does.
INVERTED_PRIOR = 0.01
# The same prior when somebody has heard that it is upright.
HEARD_UPRIGHT = 1e-4
# Prior probability that the carriers keep to none of the tried rasters, typed ones included.
NO_RASTER = 0.1
MIN_CARRIERS, MAX_CARRIERS = 4, 400
# Maximum number of coarse peaks refined, and their maximum distance below the best in log likelihood.
MAX_PEAKS, PEAK_WINDOW_LOG = 60, 30.0
# Grid points for offset and crystal error around a peak, coarse and fine; refine peaks within this log likelihood of
# the best.
ROUGH_POINTS, FINE_POINTS, REFINED_WINDOW_LOG = (31, 13), (81, 31), 16.0
# Crystal errors evaluated together in the coarse search.
BATCH_ROWS = 64
# A hypothesis is decided from these odds on, and not listed below the second.
DECIDED_ODDS, LIKELY_ODDS, MIN_LISTED_ODDS = 0.99, 0.95, 1e-4
# To be decided, the crystal error must be inside this share of its range, and this share of carriers on the raster.
EDGE_SHARE, MIN_ON_RASTER = 0.95, 0.6
# Error of a converter's oscillator that its class does not exclude: a wrong marking, a resonator.
MAX_LO_ERROR_HZ = 40e3
# A dial known to this many standard deviations within half a cell is in that cell.
KNOWN_CELL_SIGMAS = 4.0


Assumption = Literal["cell", "sense"]


class RasterCarrier(msgspec.Struct, frozen=True):
    """A carrier as shown on the dial, hertz, with its uncertainty."""

    dial_hz: float
    sigma_hz: float


class LoHypothesis(msgspec.Struct, frozen=True):
    """A possible oscillator of the converter.

    moves_hz : correction of the dial readings under this hypothesis: entered minus this oscillator's offset.
    port_hz : the band's middle at the receiver's socket, where its crystal acts.
    lo_sigma_hz : uncertainty of the oscillators together; 0 without a converter.
    lo_classes : the same by classes, (share, sigma in hertz) each: most boxes are near their marking, some far.
    """

    name: str
    moves_hz: float
    port_hz: float
    lo_sigma_hz: float
    lo_classes: tuple[tuple[float, float], ...] = ()


class Hypothesis(msgspec.Struct, frozen=True):
    """One explanation: offset (dial minus true at the band's middle) and crystal, each with its sigma, and its odds.

    raster_hz : 0 for "no raster is kept here", which leaves offset and crystal as unknown as before.
    """

    lo: str
    raster_hz: float
    inverted: bool
    offset_hz: float
    sigma_hz: float
    ppm: float
    ppm_sigma: float
    odds: float


class BlindAnswer(msgspec.Struct, frozen=True):
    """All remaining explanations, likeliest first.

    decided : the first has 99 % by what was measured, and is a raster. on_raster : carriers on its raster.
    assumed : what no carrier tells, so that only what is usual decides it: the sense of the spectrum, or the cell of
    the raster, in which an unmeasured oscillator places the dial. Anything assumed leaves the answer undecided.
    is_likely : the first has 95 % by what is usual.
    middle_hz : frequency at which its offset applies.
    decides : the measurement that would separate the first two, in words; empty where not needed.
    """

    hypotheses: tuple[Hypothesis, ...]
    decided: bool
    carriers: int
    on_raster: int
    middle_hz: float
    decides: str
    assumed: tuple[Assumption, ...] = ()
    is_likely: bool = False


def rule_sigma_hz(raster_hz: float, dial_hz: float) -> float:
    """Tolerance of transmitters on a raster, one sigma (ITU-R SM.1045; rules of thumb of the services).

    Broadcasting on long, medium and short wave 10 to 20 Hz; FM broadcasting 2 kHz; narrow FM a few ppm.
    """
    if raster_hz >= 50_000:
        return 700.0
    if dial_hz > 30e6:
        return 2.5e-6 * dial_hz
    return 7.0


def usual_rasters_hz(dial_hz: float) -> tuple[float, ...]:
    """Rasters in use at a frequency."""
    if dial_hz < 1.8e6:
        return (9_000.0, 10_000.0)
    if dial_hz < 30e6:
        return (5_000.0, 9_000.0, 10_000.0)
    if 87e6 < dial_hz < 109e6:
        return (50_000.0, 100_000.0, 200_000.0)
    return (12_500.0, 25_000.0)


def fit_raster(
    carriers: Sequence[RasterCarrier],
    lo_hypotheses: Sequence[LoHypothesis],
    rasters_hz: Sequence[float],
    prior_ppm: float = 60.0,
    middle_hz: float | None = None,
    centre_hz: float | None = None,
    *,
    inverted_share: float = INVERTED_PRIOR,
) -> BlindAnswer:
    """Weigh every raster, oscillator, inversion and whole-cell shift.

    The dial's error is a straight line over a band, for D - F = e - p (F - F_m) exactly, p the crystal's error and e
    the offset at the band's middle. A carrier on raster R lies at a multiple of R but for its transmitter's own
    error, whose size is unknown: a mixture of three, and a share lies anywhere. A carrier may take any of B / R places
    of a band B, so wider rasters are preferred as long as they hold. Summed over e and p, this is each hypothesis's
    evidence [1]_.

    Parameters
    ----------
    carriers : sequence of Seen
        Four or more; deliberate offsets such as the airband's are to be left out.
    prior_ppm : float
        The crystal lies within this, any value as likely.
    middle_hz : float, optional
        Where the offset is told; the carriers' mean by default.
    centre_hz : float, optional
        Of the recording on the dial, about which a spectrum that is turned over is turned; the middle by default.
    inverted_share : float
        Chance that the spectrum is turned over against what the path says.

    Raises
    ------
    BadObservations
        Fewer than four carriers, or none of ways and rasters.

    References
    ----------
    .. [1] MacKay, Information Theory, Inference, and Learning Algorithms (2003), chapter 28: model comparison.
    """
    seen = sorted(carriers, key=lambda carrier: carrier.dial_hz)[:MAX_CARRIERS]
    if len(seen) < MIN_CARRIERS:
        raise BadObservations(
            f"{count_of(len(seen), 'carrier')}: too few to tell a raster; scan a band with {MIN_CARRIERS} or more"
        )
    if not lo_hypotheses or not rasters_hz:
        raise BadObservations("no raster or no oscillator to try: name one")
    dial_hz = np.array([carrier.dial_hz for carrier in seen])
    sigma_hz = np.array([max(carrier.sigma_hz, 1e-3) for carrier in seen])
    middle = float(np.mean(dial_hz)) if middle_hz is None else middle_hz
    centre = middle if centre_hz is None else centre_hz
    hypotheses: list[tuple[float, Hypothesis]] = []
    for lo in lo_hypotheses:
        for raster_hz in rasters_hz:
            for inverted in (False, True):
                places = (2 * centre - dial_hz if inverted else dial_hz) + lo.moves_hz
                search = _Search(places, sigma_hz, middle + lo.moves_hz, lo, raster_hz, prior_ppm)
                prior = np.log(inverted_share if inverted else 1 - inverted_share)
                hypotheses += [(prior + weight, h) for weight, h in search.explanations(inverted)]
    # All likelihoods are relative to a uniform distribution.
    hypotheses.append((float(np.log(NO_RASTER)), _nowhere(lo_hypotheses[0], prior_ppm)))
    top = max(weight for weight, _ in hypotheses)
    total = sum(np.exp(weight - top) for weight, _ in hypotheses)
    listed = [msgspec.structs.replace(h, odds=float(np.exp(weight - top) / total)) for weight, h in hypotheses]
    assumed = _assumed(listed, lo_hypotheses, inverted_share)
    listed = sorted((h for h in listed if h.odds > MIN_LISTED_ODDS), key=lambda h: -h.odds)
    best = listed[0]
    lo = next(w for w in lo_hypotheses if w.name == best.lo)
    places = (2 * centre - dial_hz if best.inverted else dial_hz) + lo.moves_hz
    true_hz = places - best.offset_hz + best.ppm * 1e-6 * (places - middle - lo.moves_hz)
    raster_hz = best.raster_hz or min(rasters_hz)
    rule_hz = rule_sigma_hz(raster_hz, middle)
    near = np.abs((true_hz / raster_hz + 0.5) % 1.0 - 0.5) * raster_hz < 3 * rule_hz + 3 * sigma_hz
    # At the edge of the crystal's range the truth may be outside; and a raster must hold most of the carriers.
    fits = abs(best.ppm) < EDGE_SHARE * prior_ppm and float(near.mean()) >= MIN_ON_RASTER
    is_likely = _is_likely(best) and fits
    decides = _needed(listed, assumed)
    if _is_likely(best) and not fits:
        decides = "too few carriers keep it, or the crystal lies at the edge of its range: scan another band"
    on_raster = int(near.sum()) if best.raster_hz else 0
    is_decided = is_likely and _is_sure(best) and not assumed
    return BlindAnswer(tuple(listed), is_decided, len(seen), on_raster, middle, decides, assumed, is_likely)


def weighed(answer: BlindAnswer, expected_hz: float, sigma_hz: float) -> BlindAnswer:
    """Reweigh the hypotheses with prior knowledge of the dial error; their values do not change."""
    logs = []
    for h in answer.hypotheses:
        variance = sigma_hz**2 + h.sigma_hz**2
        logs.append(np.log(h.odds) - 0.5 * (h.offset_hz - expected_hz) ** 2 / variance - 0.5 * np.log(variance))
    weights = np.exp(np.array(logs) - max(logs))
    odds = (weights / weights.sum()).tolist()
    pairs = zip(answer.hypotheses, odds, strict=True)
    listed = sorted(
        (msgspec.structs.replace(h, odds=o) for h, o in pairs if o > MIN_LISTED_ODDS), key=lambda h: -h.odds
    )
    best = listed[0]
    assumed = answer.assumed
    if np.hypot(sigma_hz, best.sigma_hz) * KNOWN_CELL_SIGMAS < best.raster_hz / 2:
        assumed = tuple(assumption for assumption in assumed if assumption != "cell")
    return _reweighed(answer, listed, assumed)


def heard_upright(answer: BlindAnswer) -> BlindAnswer:
    """Reweigh the hypotheses after somebody has heard that the spectrum is not turned over."""
    factor = HEARD_UPRIGHT / INVERTED_PRIOR
    odds = [h.odds * (factor if h.inverted else 1.0) for h in answer.hypotheses]
    listed = sorted(
        (msgspec.structs.replace(h, odds=o / sum(odds)) for h, o in zip(answer.hypotheses, odds, strict=True)),
        key=lambda h: -h.odds,
    )
    assumed = tuple(assumption for assumption in answer.assumed if assumption != "sense")
    return _reweighed(answer, listed, assumed)


def _reweighed(answer: BlindAnswer, listed: Sequence[Hypothesis], assumed: tuple[Assumption, ...]) -> BlindAnswer:
    """Answer with other odds; a raster that the carriers do not fit stays so, whatever is known of the dial."""
    is_likely = _is_likely(listed[0]) and (answer.is_likely or not _is_likely(answer.hypotheses[0]))
    return msgspec.structs.replace(
        answer, hypotheses=tuple(listed), decided=is_likely and _is_sure(listed[0]) and not assumed,
        is_likely=is_likely, assumed=assumed, decides=_needed(listed, assumed),
    )  # fmt: skip


def _assumed(
    hypotheses: Sequence[Hypothesis], lo_hypotheses: Sequence[LoHypothesis], inverted_share: float
) -> tuple[Assumption, ...]:
    """Name what only the prior decides of the likeliest hypothesis.

    The carriers fit every cell alike, so the cell rests on the oscillator; one that is known by its class alone may be
    far off. The sense is measured where the odds hold with both senses equally likely beforehand.
    """
    best = max(hypotheses, key=lambda h: h.odds)
    assumed: list[Assumption] = []
    lo = next(lo for lo in lo_hypotheses if lo.name == best.lo)
    if lo.lo_classes and best.raster_hz / 2 < MAX_LO_ERROR_HZ:
        assumed.append("cell")
    if inverted_share > HEARD_UPRIGHT:
        upright = sum(h.odds for h in hypotheses if not h.inverted) / (1 - inverted_share)
        inverted = sum(h.odds for h in hypotheses if h.inverted) / inverted_share
        if max(upright, inverted) < DECIDED_ODDS * (upright + inverted):
            assumed.append("sense")
    return tuple(assumed)


def _needed(listed: Sequence[Hypothesis], assumed: Sequence[Assumption]) -> str:
    """Name what is still to be measured, in words; empty where everything is."""
    if not _is_likely(listed[0]) or not (assumed or _is_sure(listed[0])):
        return _decides(listed)
    raster_khz = listed[0].raster_hz / 1e3
    needs = {
        "cell": f"this holds if the oscillators are within {raster_khz / 2:g} kHz of what is entered, for every "
        f"{raster_khz:g} kHz look alike: measure one known station",
        "sense": "listen to a single-sideband signal of known side: it tells whether the spectrum is turned over",
    }
    return "; ".join(needs[assumption] for assumption in assumed)


def _is_likely(best: Hypothesis) -> bool:
    return best.odds >= LIKELY_ODDS and bool(best.raster_hz)


def _is_sure(best: Hypothesis) -> bool:
    return best.odds >= DECIDED_ODDS and bool(best.raster_hz)


def _nowhere(lo: LoHypothesis, prior_ppm: float) -> Hypothesis:
    """Hypothesis without a raster: the dial error is as uncertain as crystal and oscillators."""
    ppm_sigma = prior_ppm / 3**0.5
    sigma_hz = float(np.hypot(ppm_sigma * 1e-6 * lo.port_hz, lo.lo_sigma_hz))
    return Hypothesis(lo.name, 0.0, False, 0.0, sigma_hz, 0.0, ppm_sigma, 0.0)


class _Room(msgspec.Struct, frozen=True):
    """Log likelihood on a grid, crystal errors by offsets; its mean position and the extent worth refining."""

    log: Floats
    offsets: Floats
    ppms: Floats
    offset_hz: float
    ppm: float
    offset_room: float
    ppm_room: float

    @property
    def top(self) -> float:
        """Maximum of the grid."""
        return float(self.log.max())


class _Search:
    """Search for one oscillator, raster and sense."""

    def __init__(
        self, places: Floats, sigma_hz: Floats, middle_hz: float, lo: LoHypothesis, raster_hz: float, prior_ppm: float
    ) -> None:
        self._away_hz, self._sigma_hz = places - middle_hz, sigma_hz
        self._places, self._lo, self._raster_hz, self._prior_ppm = places, lo, raster_hz, prior_ppm
        self._rule_hz = rule_sigma_hz(raster_hz, middle_hz)
        self._reach_hz = max(float(np.abs(self._away_hz).max()), 1.0)

    def explanations(self, inverted: bool) -> list[tuple[float, Hypothesis]]:
        """Each peak with its log evidence."""
        coarse_hz = 0.4 * self._rule_hz
        ppm_step = min(max(coarse_hz / self._reach_hz * 1e6, 0.05), self._prior_ppm / 4)
        ppms = np.arange(-self._prior_ppm, self._prior_ppm + ppm_step / 2, ppm_step)
        offsets = np.arange(0.0, self._raster_hz, coarse_hz)
        offsets, height = self._coarsely(ppms, offsets.size)
        rooms = [
            self._narrowed(offset_hz, ppm, 2.5 * coarse_hz, 2.5 * ppm_step, ROUGH_POINTS)
            for offset_hz, ppm in self._peaks(height, offsets, ppms)
        ]
        best = max(room.top for room in rooms)
        hypotheses = []
        for room in rooms:
            if room.top > best - REFINED_WINDOW_LOG:
                hypotheses += self._closely(room, inverted)
        return _merged(hypotheses)

    def _coarsely(self, ppms: Floats, points: int) -> tuple[Floats, Floats]:
        """Log likelihood over a whole cell of offsets, crystal errors by offsets, blurred by one step.

        It sums one shifted curve per carrier: each carrier is split between its two grid neighbours and convolved with
        the curve by a transform over the cell.
        """
        from scipy import fft

        points = fft.next_fast_len(points, real=True)
        offsets = np.arange(points) * self._raster_hz / points
        rest = np.minimum(offsets, self._raster_hz - offsets)
        blur_hz, sigma = self._raster_hz / points, float(np.median(self._sigma_hz))
        density = np.full(points, OFF_RASTER / self._raster_hz)
        for share, part in SHARES:
            variance = (part * self._rule_hz) ** 2 + sigma**2 + blur_hz**2
            density += share * np.exp(-0.5 * rest**2 / variance) / np.sqrt(2 * np.pi * variance)
        curve = fft.rfft(np.log(density * self._raster_hz))
        height = np.empty((ppms.size, points))
        for first in range(0, ppms.size, BATCH_ROWS):
            rows = ppms[first : first + BATCH_ROWS]
            true_hz = self._places + rows[:, None] * 1e-6 * self._away_hz
            places = (true_hz / self._raster_hz) % 1.0 * points
            whole = np.floor(places).astype(np.int64)
            beyond = places - whole
            held = np.zeros((rows.size, points))
            at = np.arange(rows.size)[:, None]
            np.add.at(held, (at, whole % points), 1 - beyond)
            np.add.at(held, (at, (whole + 1) % points), beyond)
            height[first : first + BATCH_ROWS] = fft.irfft(fft.rfft(held) * curve, points)
        return offsets, height

    def _likelihood(self, offsets_hz: Floats, ppms: Floats, blur_hz: float) -> Floats:
        """Log likelihood, crystal errors by offsets of one cell; blurred for a coarse search."""
        true_hz = self._places + ppms[:, None] * 1e-6 * self._away_hz
        rest = (true_hz[:, None, :] - offsets_hz[:, None]) / self._raster_hz
        rest -= np.round(rest)
        rest *= self._raster_hz
        squared = np.square(rest, out=rest)
        density = np.full(squared.shape, OFF_RASTER / self._raster_hz)
        for share, part in SHARES:
            variance = (part * self._rule_hz) ** 2 + self._sigma_hz**2 + blur_hz**2
            bell = squared * (-0.5 / variance)
            np.exp(bell, out=bell)
            bell *= share / np.sqrt(2 * np.pi * variance)
            density += bell
        # Each carrier takes one of B / R places: a factor R for each.
        return np.asarray(np.log(density, out=density).sum(axis=2) + self._places.size * np.log(self._raster_hz))

    def _peaks(self, height: Floats, offsets: Floats, ppms: Floats) -> list[tuple[float, float]]:
        """Peaks of the coarse search, highest first, none adjacent to another."""
        order = np.argsort(height, axis=None)[::-1]
        top = height.flat[order[0]]
        taken: list[tuple[float, float]] = []
        blocked = np.zeros(height.shape, bool)
        for flat in order.tolist():
            row, column = divmod(flat, height.shape[1])
            if height[row, column] < top - PEAK_WINDOW_LOG or len(taken) >= MAX_PEAKS:
                break
            if blocked[row, column]:
                continue
            taken.append((float(offsets[column]), float(ppms[row])))
            rows = slice(max(row - 2, 0), row + 3)
            columns = np.arange(column - 3, column + 4) % height.shape[1]
            blocked[rows, columns] = True
        return taken

    def _closely(self, room: "_Room", inverted: bool) -> list[tuple[float, Hypothesis]]:
        """Refine a peak on two successively finer grids, then consider every whole-cell shift."""
        for _ in range(2):
            room = self._narrowed(room.offset_hz, room.ppm, room.offset_room, room.ppm_room, FINE_POINTS)
        return self._cells(room.log, room.offsets, room.ppms, inverted)

    def _narrowed(
        self, offset_hz: float, ppm: float, offset_room: float, ppm_room: float, points: tuple[int, int]
    ) -> "_Room":
        """Likelihood on a grid around a point, and the extent of its peak there."""
        offsets = offset_hz + np.linspace(-offset_room, offset_room, points[0])
        ppms = ppm + np.linspace(-ppm_room, ppm_room, points[1])
        log = self._likelihood(offsets, ppms, 0.0)
        weight = np.exp(log - log.max())
        total = float(weight.sum())
        at_offset, at_ppm = weight.sum(axis=0) / total, weight.sum(axis=1) / total
        offset_hz, ppm = float(at_offset @ offsets), float(at_ppm @ ppms)
        offset_sigma = float(np.sqrt(at_offset @ (offsets - offset_hz) ** 2))
        ppm_sigma = float(np.sqrt(at_ppm @ (ppms - ppm) ** 2))
        return _Room(
            log, offsets, ppms, offset_hz, ppm,
            min(max(6 * offset_sigma, 3 * (offsets[1] - offsets[0])), offset_room),
            min(max(6 * ppm_sigma, 3 * (ppms[1] - ppms[0])), ppm_room),
        )  # fmt: skip

    def _cells(self, log: Floats, offsets: Floats, ppms: Floats, inverted: bool) -> list[tuple[float, Hypothesis]]:
        """Offsets that differ by whole cells are equivalent except for the priors of crystal and oscillator."""
        hypotheses = []
        classes = self._lo.lo_classes or ((1.0, self._lo.lo_sigma_hz),)
        widest_hz = max(sigma_hz for _, sigma_hz in classes)
        span_hz = self._prior_ppm * 1e-6 * self._lo.port_hz + 4 * widest_hz + self._rule_hz
        cell = (offsets[1] - offsets[0]) * (ppms[1] - ppms[0]) / (2 * self._prior_ppm)
        first = int(np.floor((-span_hz - offsets[0]) / self._raster_hz))
        last = int(np.ceil((span_hz - offsets[-1]) / self._raster_hz))
        for k in range(first, last + 1):
            moved = offsets + k * self._raster_hz
            # Oscillator error: e + p F_port.
            lo_hz = moved[None, :] + ppms[:, None] * 1e-6 * self._lo.port_hz
            density = np.zeros(lo_hz.shape)
            for share, sigma_hz in classes:
                scale = float(np.hypot(sigma_hz, 1e-3 + 0.25 * (offsets[1] - offsets[0])))
                if not sigma_hz:
                    scale = max(scale, 0.5e-6 * (ppms[1] - ppms[0]) * self._lo.port_hz)
                density += share * np.exp(-0.5 * (lo_hz / scale) ** 2) / (scale * np.sqrt(2 * np.pi))
            prior = np.log(density + 1e-300)
            prior = np.where(np.abs(ppms)[:, None] <= self._prior_ppm, prior, -np.inf)
            joint = log + prior
            top = float(joint.max())
            if not np.isfinite(top) or top < log.max() - 60:
                continue
            weight = np.exp(joint - top)
            total = float(weight.sum())
            at_offset, at_ppm = weight.sum(axis=0) / total, weight.sum(axis=1) / total
            offset_hz, ppm = float(at_offset @ moved), float(at_ppm @ ppms)
            offset_sigma_hz = float(np.sqrt(at_offset @ (moved - offset_hz) ** 2 + (moved[1] - moved[0]) ** 2 / 12))
            ppm_sigma = float(np.sqrt(at_ppm @ (ppms - ppm) ** 2))
            name = self._lo.name
            hypotheses.append(
                (
                    top + float(np.log(total * cell)),
                    Hypothesis(name, self._raster_hz, inverted, offset_hz, offset_sigma_hz, ppm, ppm_sigma, 0.0),
                )
            )
        return hypotheses


def _merged(hypotheses: list[tuple[float, Hypothesis]]) -> list[tuple[float, Hypothesis]]:
    """Merge coarse peaks that were refined to the same point."""
    distinct: list[tuple[float, Hypothesis]] = []
    for weight, h in sorted(hypotheses, key=lambda pair: -pair[0]):
        if not any(
            abs(h.offset_hz - other.offset_hz) < 4 * (h.sigma_hz + other.sigma_hz)
            and abs(h.ppm - other.ppm) < 4 * (h.ppm_sigma + other.ppm_sigma) + 1e-6
            for _, other in distinct
        ):
            distinct.append((weight, h))
    return distinct


def _decides(listed: Sequence[Hypothesis]) -> str:
    """Name the measurement that would separate the two best hypotheses."""
    if not listed[0].raster_hz:
        return "the carriers keep none of the rasters tried: scan another band, or name the raster kept here"
    if len(listed) < 2:
        return ""
    best, other = listed[:2]
    if best.lo != other.lo:
        return f"look for the oscillator's own leak, at {best.lo} or at {other.lo}"
    if best.inverted != other.inverted:
        return "listen to a single-sideband signal of known side: it tells whether the spectrum is turned over"
    if not other.raster_hz:
        return "scan more of the band, or another one: so few carriers keep a raster by chance too"
    if best.raster_hz != other.raster_hz:
        return "scan more of the band: further carriers tell the rasters apart"
    if abs(best.ppm - other.ppm) > 4 * (best.ppm_sigma + other.ppm_sigma):
        return "measure one carrier without the converter: the two differ in the receiver's crystal"
    return "measure one known station: the two differ by whole cells of the raster"
