"""Clean-up of the stream before it is heard or shown: removes the centre spike and mirrors."""

from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import Clean, CleanUp
from yarddial.engine.events import CleanedUp, Event

Complex = NDArray[np.complex64]
# Interval between reports on the clean-up, and averaging time before a mirror counts.
EVIDENCE_S, MIRRORS_S = 0.5, 0.4
NOTHING_TOLD = "nothing here stands on one side of the centre alone, so nothing tells the mirrors"


class Cleaner:
    """Remove what the person wants removed, and keep the evidence; valid for one setting of the receiver."""

    def __init__(self, rate_hz: float, asked: Clean, report: Callable[[Event], None]) -> None:
        from yarddial.dsp.centre_spike import SpikeRemover
        from yarddial.dsp.iq_balance import Balance, BalanceEstimator

        self._rate_hz, self._asked, self._wanted, self._report = rate_hz, asked, asked.wanted, report
        self._spike = SpikeRemover(rate_hz)
        self._estimator = BalanceEstimator()
        self._balance: Balance | None = None
        self._since = self._seen = 0

    @property
    def does_something(self) -> bool:
        """Return False when samples pass unchanged."""
        return self._wanted != CleanUp()

    def push(self, samples: Complex) -> Complex:
        """Clean a block; the output has the same length."""
        if not self.does_something:
            return samples
        if self._wanted.swap:
            samples = (samples.imag + 1j * samples.real).astype(np.complex64)
        if self._wanted.spike:
            samples = self._spike.push(samples)
        if self._wanted.mirrors:
            samples = self._without_mirrors(samples)
        self._since += samples.size
        if self._since >= EVIDENCE_S * self._rate_hz:
            self._since = 0
            self._tell()
        return samples

    def _without_mirrors(self, samples: Complex) -> Complex:
        """Once the mirror is known well enough, measure only every fourth block, since it changes slowly."""
        self._seen += 1
        if self._balance is None or not self._balance.is_sure or self._seen % 4 == 0:
            self._estimator.push(samples)
        if self._estimator.spectra * 2048 >= MIRRORS_S * self._rate_hz and self._seen % 8 == 0:
            self._balance = self._estimator.estimate()
        return samples if self._balance is None else self._balance.take_out(samples)

    def _tell(self) -> None:
        event = CleanedUp(job=self._asked.job, id=self._asked.id)
        if self._wanted.spike:
            before, after = self._spike.before_dbfs, self._spike.after_dbfs
            event = msgspec.structs.replace(event, spike_before_dbfs=before, spike_after_dbfs=after)
        if self._wanted.mirrors and (balance := self._balance) is not None:
            why_not = "" if balance.is_sure else "no mirror stands out: nothing is taken out"
            event = msgspec.structs.replace(
                event, mirrors_before_db=balance.before_db, mirrors_after_db=balance.after_db, why_not=why_not
            )
        elif self._wanted.mirrors and self._estimator.spectra * 2048 >= MIRRORS_S * self._rate_hz:
            event = msgspec.structs.replace(event, why_not=NOTHING_TOLD)
        self._report(event)
