"""How cold a receiver is: against when it was measured, over stops and starts."""

from datetime import UTC, datetime, timedelta

import pytest

from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.calibration.warmth import TAU_S, Warmth
from yarddial.yard import clock


class Running:
    """A receiver that is on or off."""

    running = False


def test_it_warms_while_it_runs_and_what_was_measured_in_one_run_is_not_doubted() -> None:
    moment = [datetime(2026, 11, 27, 12, 0, tzinfo=UTC)]
    clock.set_source(lambda: moment[0])
    try:
        receiver = Running()
        warmth = Warmth(receiver)  # type: ignore[arg-type]
        yesterday_s, born_s = seconds_of("") - 86_400.0, seconds_of("")
        receiver.running = True
        warmth.update("Finch")
        # Measured warm, yesterday; now just started, and after one time constant.
        assert warmth.colder_than("Finch", yesterday_s) == 1.0
        moment[0] += timedelta(seconds=TAU_S)
        warmth.update("Finch")
        assert warmth.colder_than("Finch", yesterday_s) == pytest.approx(1 / 2.71828, abs=1e-3)
        assert warmth.colder_than("Finch", born_s + 10) == 0.0
        measured_s = seconds_of("")
        # Off for a moment: it is as warm as it was.
        receiver.running = False
        moment[0] += timedelta(seconds=5)
        warmth.update("Finch")
        receiver.running = True
        warmth.update("Finch")
        assert warmth.colder_than("Finch", measured_s) < 0.02
        # Off for an hour: cold again.
        receiver.running = False
        moment[0] += timedelta(hours=1)
        warmth.update("Finch")
        receiver.running = True
        warmth.update("Finch")
        assert warmth.colder_than("Finch", measured_s) == pytest.approx(1 - 1 / 2.71828, abs=0.01)
    finally:
        clock.set_source(None)
