"""Tunings for tests that feed taps or sessions by hand."""

from yarddial.drivers.protocol import ActualSettings, RequestedSettings
from yarddial.engine.tuning import Tuning


def tuning_of(actual: ActualSettings, middle_hz: float, slice_rate_hz: float, *, number: int = 1) -> Tuning:
    """A receiver that did what it was asked."""
    requested = RequestedSettings(actual.centre_hz, actual.rate_hz, actual.port, gains_db=actual.gains_db)
    return Tuning(number, requested, actual, middle_hz, slice_rate_hz)


SOME_TUNING = tuning_of(ActualSettings(99e6, 2e6, ""), 100e6, 2_000.0)
