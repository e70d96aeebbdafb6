"""Least-squares fit of all oscillators to the observations."""

from collections.abc import Mapping, Sequence
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.correction.design import Matrix, equations, unknowns_of, whiten
from yarddial.analysis.correction.outliers import chi_square, outlying, unchecked
from yarddial.analysis.correction.separability import known_alone, tied, unseen_clocks, weakly_known
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import spoken, value_text
from yarddial.yard.working import WorkedValue, Working


class Estimate(msgspec.Struct, frozen=True):
    """One oscillator: ppm for a crystal, hertz above nominal for a converter.

    `separate` is false where the observations determine only a sum; value and sigma then depend on the priors.
    """

    name: str
    value: float
    sigma: float
    separate: bool


class FitRemark(msgspec.Struct, frozen=True):
    """A remark on a fit: its kind and the sentence."""

    kind: Literal["unchecked", "contradiction", "left out"]
    sentence: str


class CorrectionFit(msgspec.Struct, frozen=True):
    """Solution of `fit`: estimates, outliers, residuals.

    covariance : k by k, in the units of `estimates`.
    residuals_hz : observed minus fitted dial, one for each observation, outliers too.
    outliers : indices of observations left out.
    inseparable : sentences, one for each group of oscillators that cannot be told apart; together : those groups.
    remarks : what could not be checked, what contradicts, what was left out.
    prior_misfit : chi-square that the priors cost; large where the observations contradict them.
    """

    estimates: tuple[Estimate, ...]
    covariance: tuple[tuple[float, ...], ...]
    residuals_hz: tuple[float, ...]
    outliers: tuple[int, ...]
    inseparable: tuple[str, ...]
    remarks: tuple[FitRemark, ...]
    chi2: float
    dof: int
    observations: tuple[Observation, ...]
    prior_misfit: float = 0.0
    together: tuple[tuple[str, ...], ...] = ()

    def estimate(self, name: str) -> Estimate | None:
        """Estimate of one oscillator, if the observations involve it."""
        return next((estimate for estimate in self.estimates if estimate.name == name), None)

    @property
    def kept(self) -> tuple[Observation, ...]:
        """Observations without the outliers."""
        return tuple(seen for i, seen in enumerate(self.observations) if i not in self.outliers)

    def working(self) -> Working:
        """Equations solved and the values put in."""
        return _fit_working(self)


def fit(observations: Sequence[Observation], priors: Mapping[str, tuple[float, float]] | None = None) -> CorrectionFit:
    """Fit the error of every oscillator that the observations involve.

    Parameters
    ----------
    observations : sequence of Observation
        At least one.
    priors : mapping of oscillator name to (value, sigma), optional
        What the parts' sheets say, in ppm for crystals and hertz above nominal for converters. They steady the
        values and covariance where the observations alone do not decide; they never make two unknowns "separate".

    Raises
    ------
    BadObservations
        None given, or one with an uncertainty that is not positive.

    Notes
    -----
    Weighted linear least squares on exact equations (see `design`); outliers by exhaustive subsets (see `outliers`).
    """
    seen = tuple(observations)
    if not seen:
        raise BadObservations("there is nothing to fit: measure a known carrier first")
    names = unknowns_of(seen)
    rows, right, noise = equations(seen, names)
    if not (np.all(noise.sigma > 0) and all(np.all(np.isfinite(part)) for part in (rows, right, *noise))):
        raise BadObservations("an observation has no positive, finite uncertainty: give reference_sigma_hz or sigma_hz")
    dropped = outlying(rows, right, noise)
    used_rows = np.setdiff1d(np.arange(len(seen)), dropped)
    # An observation that no other checks includes the possibility that it was of another carrier.
    alone = unchecked(rows[used_rows], noise.group[used_rows])
    lies_hz = np.array([seen[i].lie_sigma_hz for i in used_rows]) * alone
    white = whiten(rows[used_rows], right[used_rows], noise.take(used_rows).with_lies(lies_hz))
    chi2, dof = chi_square(*white), len(used_rows) - int(np.linalg.matrix_rank(white[0]))
    value, covariance = _solve(*white, names, priors or {})
    pulled = white[1] - white[0] @ value
    misfit = float(pulled @ pulled) - chi2
    misfit += sum(
        ((value[j] - priors[n][0]) / priors[n][1]) ** 2 for j, n in enumerate(names) if priors and n in priors
    )
    alone_covariance = _solve(*white, names, {})[1]
    sure = known_alone(rows[used_rows], noise.take(used_rows).with_lies(lies_hz).total_hz, names, priors or {})
    others = [j for j in range(len(names)) if j not in sure]
    groups = (
        [tuple(others[j] for j in group) for group in tied(rows[np.ix_(used_rows, np.array(others))])] if others else []
    )
    groups = groups or [g for g in weakly_known(alone_covariance, names) if not set(g) & set(sure)]
    groups = groups or unseen_clocks(alone_covariance, names, priors or {})
    loose = {j for group in groups for j in group}
    estimates = tuple(
        Estimate(name, float(value[j]), float(covariance[j, j] ** 0.5), j not in loose) for j, name in enumerate(names)
    )
    senses = np.array([observation.sense for observation in seen])
    return CorrectionFit(
        estimates=estimates,
        covariance=tuple(tuple(float(c) for c in row) for row in covariance),
        residuals_hz=tuple(float(r) for r in -senses * (right - rows @ value)),
        outliers=dropped,
        inseparable=tuple(_advice(group, names, seen) for group in groups if len(group) > 1),
        remarks=_remarks(chi2, dof, [seen[i] for i in used_rows[alone]], seen, dropped),
        chi2=chi2,
        dof=dof,
        observations=seen,
        prior_misfit=misfit,
        together=tuple(tuple(names[j] for j in group) for group in groups if len(group) > 1),
    )


def _solve(
    rows: Matrix, right: Matrix, names: Sequence[str], priors: Mapping[str, tuple[float, float]]
) -> tuple[Matrix, Matrix]:
    """Solve by SVD on scaled columns; priors are additional rows."""
    for j, name in enumerate(names):
        if name in priors and priors[name][1] > 0:
            value, sigma = priors[name]
            row = np.zeros(len(names))
            row[j] = 1 / sigma
            rows, right = np.vstack([rows, row]), np.append(right, value / sigma)
    norms = np.linalg.norm(rows, axis=0)
    norms[norms == 0] = 1.0
    inverse = np.linalg.pinv(rows / norms, rcond=1e-12)
    return inverse @ right / norms, inverse @ inverse.T / np.outer(norms, norms)


def _advice(group: Sequence[int], names: Sequence[str], seen: Sequence[Observation]) -> str:
    who = " and ".join(spoken(names[j]) for j in group)
    crystals = [names[j] for j in group if names[j].startswith("crystal:")]
    if any(names[j].startswith("clock:") for j in group):
        far, near = "far from the centre, which tells the sampling clock", "near it, which tells the tuner"
        return f"{who} cannot yet be separated: measure a carrier {far}, and one {near}"
    if crystals:
        receiver = crystals[0].partition(":")[2]
        if not any(not o.stages and o.receiver == receiver for o in seen):
            return f"{who} cannot yet be separated: measure a carrier with {receiver} without the converter"
        return f"{who} cannot yet be separated: measure a better-known carrier with {receiver} without the converter"
    return f"{who} cannot yet be separated: measure a carrier that passes only one of them"


def _remarks(
    chi2: float, dof: int, alone: Sequence[Observation], seen: Sequence[Observation], dropped: Sequence[int]
) -> tuple[FitRemark, ...]:
    remarks: list[FitRemark] = []
    count = len(seen)
    if alone:
        who = " and ".join(dict.fromkeys(_observation_name(oscillator) for oscillator in alone[:3]))
        rests = (
            "are unchecked, and what each tells rests" if len(alone) > 1 else "is unchecked, and what it tells rests"
        )
        sentence = f"{who} {rests} on one measurement alone: measure another carrier over the same route"
        if dof == 0 and count == 1:
            sentence = "one measurement cannot be checked against anything: measure another carrier to check it"
        remarks.append(FitRemark("unchecked", sentence))
    # 3.5 sigma for one degree of freedom, and about as rare for more.
    if dof and chi2 > dof + 3.5 * (2 * dof) ** 0.5 + 8:
        sentence = (
            "the measurements contradict each other by more than their uncertainties, and there are too few to say "
            "which is wrong: measure another carrier"
        )
        remarks.append(FitRemark("contradiction", sentence))
    if dropped:
        sentence = f"{len(dropped)} of {count} measurements left out, since the others agree without them"
        remarks.append(FitRemark("left out", sentence))
    return tuple(remarks)


def _observation_name(observation: Observation) -> str:
    """Name an observation in a sentence."""
    name = observation.reference_name or format_frequency(observation.reference_hz)
    through = ", ".join(stage.name for stage in observation.stages)
    return f"{name} {'through ' + through if through else 'with ' + observation.receiver}"


def _fit_working(result: CorrectionFit) -> Working:
    values: list[WorkedValue] = []
    for i, seen in enumerate(result.observations, 1):
        where = f"{seen.reference_name or 'reference'} {format_frequency(seen.reference_hz)}"
        left_out = ", left out" if i - 1 in result.outliers else ""
        values.append(
            WorkedValue(
                f"D{i} − F{i}",
                f"{where}{left_out}",
                f"{format_hertz(seen.error_hz, seen.sigma_hz)} {format_sigma(seen.total_sigma_hz)}",
                f"residual {format_hertz(result.residuals_hz[i - 1], seen.total_sigma_hz)}",
            )
        )
    estimate_words = "; ".join(f"{spoken(e.name)} {value_text(e.name, e.value, e.sigma)}" for e in result.estimates)
    return Working(
        title="The error of each oscillator",
        formulas=(
            "r p − Σ wᵢ dᵢ = s (F − D) + Σ wᵢ (Nᵢ − Eᵢ) + r p_e   for every observation",
            "r: shown, uncorrected; p: crystal; d: oscillator above nominal N; E: entered; w = ±1; s: sense",
            "weights 1/σ², σ² = measurement² + reference²; an observation may be dropped at a price of 12.25 in χ²",
        ),
        values=tuple(values),
        result=f"{estimate_words}; χ² = {result.chi2:.2f} with {result.dof} to spare",
        source="weighted linear least squares, exact equations",
    )
