"""Asking at the pace of whoever answers: in a world of its own, with a line that is long and one that is slow."""

import pytest

from yarddial.session.rig.pace import OFTEN_S, Pace


def run(takes_s: float, delay_s: float, seconds_s: float = 60.0) -> tuple[float, float]:
    """Readings a second in the end, and how long one then takes; each takes its time in turn, then its way."""
    pace, now_s, free_s = Pace(), 0.0, 0.0
    under_way: list[tuple[float, float]] = []
    came: list[tuple[float, float]] = []
    while now_s < seconds_s:
        now_s += 0.002
        for one in [one for one in under_way if one[0] <= now_s]:
            under_way.remove(one)
            pace.came(now_s, one[1], moved=True)
            came.append((now_s, now_s - one[1]))
        if pace.is_due(now_s, 8):
            pace.asked(now_s)
            free_s = max(now_s, free_s) + takes_s
            under_way.append((free_s + delay_s, now_s))
    last = [took for at, took in came if at > seconds_s - 20]
    return len(last) / 20, sum(last) / len(last)


@pytest.mark.parametrize("delay_s", [0.0, 0.2, 0.7])
def test_a_long_line_is_asked_as_often_as_a_short_one(delay_s: float) -> None:
    often, took_s = run(0.005, delay_s)
    assert often == pytest.approx(1 / OFTEN_S, rel=0.05)
    assert took_s == pytest.approx(delay_s + 0.005, abs=0.02)


@pytest.mark.parametrize("takes_s", [0.15, 0.3, 0.6])
def test_a_slow_transceiver_is_not_buried_in_questions(takes_s: float) -> None:
    often, took_s = run(takes_s, 0.0)
    assert often >= 0.7 / takes_s, "it is kept busy"
    assert took_s <= 2.6 * takes_s + 0.3, "and what is asked is answered soon"
