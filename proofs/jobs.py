"""Every job against every other, whatever happens to them; and random walks of 20,000 actions.

Each is done with a receiver that does what it is asked, and with one that goes elsewhere, refuses every tenth
tuning and answers late: nothing may rest on a tuning that was not acknowledged.
"""

import logging
import random
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from job_yard import JobYard

ACTIONS, EVERY, SEED = 20_000, 40, 12
# Polls in which everything that ends by itself has ended, at this receiver's lowest rate.
PATIENCE = 12_000


def prove() -> bool:
    """Counts what is not as it should be."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    faults = _Faults()
    logging.getLogger("yarddial").addHandler(faults)
    with tempfile.TemporaryDirectory() as folder:
        good = True
        for is_stubborn in (False, True):
            print("a receiver that does otherwise than asked:" if is_stubborn else "a receiver that does as asked:")
            good &= _pairs(Path(folder), is_stubborn=is_stubborn)
            good &= _walk(Path(folder), is_stubborn=is_stubborn)
    logging.getLogger("yarddial").removeHandler(faults)
    print(f"faults logged: {faults.count}")
    return good and not faults.count


class _Faults(logging.Handler):
    """Counts what the program itself had to say of faults."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.count = 0

    def emit(self, record: logging.LogRecord) -> None:
        self.count += 1
        print(f"  fault: {record.getMessage()} {record.exc_info[1]!r}" if record.exc_info else record.getMessage())


def _pairs(folder: Path, *, is_stubborn: bool) -> bool:
    from job_yard import HAPPENINGS, KINDS, run_case

    cases = failures = 0
    for first in KINDS:
        for second in KINDS:
            for happening in HAPPENINGS:
                cases += 1
                found = run_case(folder, first, second, happening, is_stubborn=is_stubborn)
                failures += bool(found)
                if found:
                    print(f"  {first}, {second}, {happening}: {found[0]}")
    print(f"pairs {len(KINDS) ** 2}, cases {cases}, failures {failures}")
    return not failures


def _walk(folder: Path, *, is_stubborn: bool) -> bool:
    from job_yard import BEGIN, JobYard, cancel

    yard, chance = JobYard(folder, is_stubborn=is_stubborn), random.Random(SEED)
    session, names = yard.session, list(BEGIN)
    begun = wrong = hangs = measured = 0
    stations = [reference.frequency_hz for reference in session.desk.station.references]

    def begin() -> None:
        yard.begin(chance.choice(names))

    def edit_gain() -> None:
        stages = session.levels.stages
        if stages:
            stage = chance.choice(stages)
            session.levels.set_gain(stage.name, chance.choice(stage.steps_db))

    def let_end() -> None:
        """Whatever ends by itself must; what goes on for hours is stopped."""
        nonlocal hangs
        for name in ("carrier_watch", "band_run", "strong_scan", "tone", "reception_check", "device_check"):
            cancel(yard, name)
        for _ in range(PATIENCE):
            if not any(lease.kind.nature in ("work", "glance", "device") for lease in session.jobs.leases):
                return
            session.poll()
        hangs += 1
        print(f"  hang: {[lease.kind.name for lease in session.jobs.leases]}")

    actions: list[tuple[int, Callable[[], object]]] = [
        (40, begin),
        (6, lambda: cancel(yard, chance.choice(names))),
        (2, session.jobs.cancel_all),
        (5, session.toggle_receiver),
        (2, yard.engine.kill),
        (4, session.listening.close),
        (4, session.listening.open),
        (2, lambda: session.crystal_follower.follow(chance.random() < 0.5)),
        (6, lambda: session.desk.dial(chance.choice(stations))),
        (3, lambda: session.desk.dial(chance.uniform(1e5, 1.6e9))),
        (3, lambda: session.desk.choose_route(chance.choice(session.desk.station.routes).name)),
        (2, edit_gain),
        (2, session.undo),
        (1, lambda: [setattr(device, "fails", chance.random() < 0.3) for device in yard.devices[-1:]]),
        (20, lambda: yard.polls(chance.randrange(1, 12))),
        # Long enough that what was begun may come to its result.
        (3, lambda: yard.polls(60)),
    ]
    weights = [weight for weight, _ in actions]
    for number in range(1, ACTIONS + 1):
        _, act = chance.choices(actions, weights)[0]
        begun -= len(yard.granted)
        act()
        begun += len(yard.granted)
        owners = [one for one in session.jobs.leases if one.kind.tunes and not one.waits and not one.is_released]
        outside = [one for one in owners if not any(one in other.ancestors() for other in owners)]
        wrong += len({one.id for one in outside}) > 1
        if number % EVERY == 0:
            if number % (EVERY * 20) == 0:
                let_end()
            yard.let_go()
            found = [*yard.faults(), *yard.not_acknowledged()]
            measured += _measured(yard)
            wrong += len(found)
            if found:
                print(f"  after {number} actions: {found[0]}")
            yard.granted.clear()
            yard.endings.clear()
    print(
        f"actions {ACTIONS}, jobs begun {begun}, entries that rest on a tuning {measured}, "
        f"not as they should be {wrong}, hangs {hangs}"
    )
    return not wrong and not hangs


def _measured(yard: "JobYard") -> int:
    """Log entries so far that rest on a tuning; the log is emptied, so that each is checked once."""
    count = sum(getattr(entry.data, "tuning", None) is not None for entry in yard.session.log.entries())
    yard.book.kept.clear()
    return count
