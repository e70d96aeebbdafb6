"""Every job of the table against every other, with what may happen meanwhile: each ends once, all is set back."""

from pathlib import Path

import pytest

from job_yard import HAPPENINGS, KINDS, JobYard, run_case
from slow_yards import wide_station
from yarddial.engine.jobs.table import RULES

NAMES = list(KINDS)


@pytest.mark.parametrize("first", NAMES)
def test_whatever_happens_every_job_ends_once_and_the_receiver_is_as_before(first: str, tmp_path: Path) -> None:
    """Each pair with two happenings in turn: in one order with a plain receiver, in the other with a stubborn one.

    That one goes where its synthesizer can, refuses every tenth tuning, and answers late; nothing may rest on what was
    asked of it. All happenings for all pairs in both orders are tried with both receivers by `./yard proof jobs`.
    """
    at, happenings = NAMES.index(first), list(HAPPENINGS)
    wrong = {}
    for number, second in enumerate(NAMES):
        # Of every two jobs one order is plain and the other is stubborn; a job against itself takes turns.
        is_stubborn = (at + number) % 2 == (at < number) if at != number else at % 2 == 0
        turn = at + (len(HAPPENINGS) // 2 if is_stubborn else 0)
        happening = happenings[(turn + number) % len(happenings)]
        if found := run_case(tmp_path, first, second, happening, is_stubborn=is_stubborn):
            wrong[second, happening] = found
    assert wrong == {}


@pytest.mark.parametrize("first", [name for name, kind in KINDS.items() if kind.nature in ("work", "device", "record")])
def test_two_go_together_as_the_table_says(first: str, tmp_path: Path) -> None:
    for second, kind in KINDS.items():
        yard = JobYard(tmp_path)
        yard.begin(first)
        running = [lease for lease in yard.session.jobs.leases if lease.kind.name == first]
        assert running, first
        yard.begin(second)
        begun = [lease for lease in yard.session.jobs.leases if lease.kind.name == second and lease not in running]
        outcome = RULES[KINDS[first].nature, kind.nature]
        # Where nothing known stands in the span, or Listen is open already, nothing more is begun.
        may_be_none = kind.nature == "along" or "reception_check" in (first, second)
        if outcome in ("beside", "waits"):
            assert begun or may_be_none, (first, second)
            assert may_be_none or begun[0].waits == (outcome == "waits")
        elif outcome == "refused":
            assert not begun, (first, second)
            assert running[0].is_alive
        yard.let_go()
        assert yard.faults() == []
        yard.session.close()


@pytest.mark.parametrize("name", KINDS)
def test_every_job_can_be_begun_alone_and_says_who_has_the_receiver(name: str, tmp_path: Path) -> None:
    yard = JobYard(tmp_path)
    yard.begin(name)
    yard.polls(1)
    lease = next(lease for lease in yard.session.jobs.leases if lease.kind.name == name)
    if lease.kind.nature not in ("along", "glance", "recurring"):
        assert yard.session.overview.state.owner.label == lease.kind.label
        assert yard.session.overview.state.owner.can_be_stopped == (lease.kind.nature != "listen")
    yard.session.stop_job(lease)
    yard.polls(3)
    assert not lease.is_alive


@pytest.mark.parametrize(
    "name",
    ["measurement", "gain_sweep", "attenuation_test", "span_test", "remedy_trial", "raster", "lo_leak_scan"],
)
def test_what_is_begun_and_left_alone_ends_by_itself(tmp_path: Path, name: str) -> None:
    yard = JobYard(tmp_path, station=wide_station())
    # A measurement of two seconds ends as one of forty does.
    yard.session.calibration.chosen_s = 2.0
    yard.begin(name)
    for _ in range(6_000):
        if not yard.session.jobs.leases:
            break
        yard.session.poll()
    assert [(kind.name, ending.how) for kind, ending in yard.session.jobs.history] == [(name, "done")]
    assert yard.has_come_back() == []
    yard.session.close()
