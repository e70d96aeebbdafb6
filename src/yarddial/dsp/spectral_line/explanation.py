"""The answer of one signal model about a line, to be weighed against the others."""

import msgspec

from yarddial.dsp.carrier import OtherLine

# A model is adequate while its residual exceeds one by at most this many sigmas.
MAX_RESIDUAL_SIGMAS = 5.0


class Explanation(msgspec.Struct, frozen=True):
    """What a model makes of the blocks.

    name : of the model.
    log_evidence : log of the probability of the blocks under the model over that of noise alone, parameters integrated.
    offset_hz, variance : mean frequency over the record from where the blocks stand, and its variance.
    left : what the model leaves over, as chi-square over its degrees of freedom; 1 where it explains all.
    freedom : those degrees.
    signal : energy of the line over the noise density, all of the record.
    changes : jumps or breaks that were counted.
    """

    name: str
    log_evidence: float
    offset_hz: float
    variance: float
    left: float
    freedom: float
    drift_hz_per_s: float = 0.0
    drift_sigma: float = float("inf")
    spread_hz: float = 0.0
    others: tuple[OtherLine, ...] = ()
    changes: int = 0
    signal: float = 1.0


class WeighedLine(msgspec.Struct, frozen=True):
    """An explanation with its context: the frequency and drift removed beforehand, and the noise density used."""

    hertz: float
    drift_hz_per_s: float
    told: Explanation
    noise: float = 1.0

    @property
    def place_hz(self) -> float:
        """Mean frequency over the record, from the slice's middle."""
        return self.hertz + self.told.offset_hz

    @property
    def is_odd(self) -> bool:
        """Whether the residual exceeds what noise explains."""
        return bool(self.told.left > 1 + MAX_RESIDUAL_SIGMAS * (2 / self.told.freedom) ** 0.5)
