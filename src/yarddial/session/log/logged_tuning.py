"""A tuning in the form of the log."""

from yarddial.engine.tuning import Tuning
from yarddial.records.log_data import LoggedTuning


def logged_tuning(tuning: Tuning) -> LoggedTuning:
    """Acknowledged settings, and the requested centre."""
    actual = tuning.actual
    return LoggedTuning(
        actual.centre_hz,
        actual.rate_hz,
        tuning.middle_hz,
        tuning.requested.centre_hz,
        dict(actual.gains_db),
        actual.port,
        tuning.route,
        tuning.is_guarded,
    )
