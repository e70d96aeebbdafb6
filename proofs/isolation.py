"""The isolation measured in 200 shacks drawn at random: within its stated uncertainty, and no socket over its rating.

The shacks are reckoned in milliwatts (truth/shack.py). Power, attenuator and level calibration are off by as much as
the program says that they may be; in a fifth of the shacks the hand does not do what it was asked: the attenuator stays
out, another one goes in, the plug comes off with it, or it is taken out before the key.
"""

import contextlib
import itertools
import random
import sys
import tempfile
from collections import Counter
from math import ceil
from pathlib import Path

import msgspec

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from shack_yard import ShackYard, shack
from yarddial.analysis.audit.isolation import Isolation, Protection
from yarddial.yard import clock
from yarddial.yard.parts import Receiver, Value

HANDS = ("out", "other", "plug", "taken out")


def main() -> None:
    """The figures on standard output; exit status 1 when a socket got too much or the uncertainty is wrong."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    seconds = itertools.count()
    clock.monotonic_s = lambda: next(seconds) * 0.02  # type: ignore[assignment]
    within, too_much, refused = Counter[bool](), [], Counter[str]()
    worst_margin_db, misled = 1e9, 0
    for seed in range(count):
        chance = random.Random(seed)
        lowest_w = chance.choice((1.0, 2.0, 5.0, 10.0))
        limit_dbm = chance.choice((0.0, 10.0, 10.0, 20.0))
        # The smallest pad of a set in steps of 5 dB that does, as a person would take it; in a tenth one too small.
        needed_db = Protection(lowest_w, 60.0, 50.0, limit_dbm).needed_db
        attenuator_db = float(5 * ceil(needed_db / 5) - (10 if chance.random() < 0.1 else 0))
        here = shack(
            through_db=chance.uniform(30, 80), air_db=chance.choice((300.0, chance.uniform(20, 80))),
            lowest_w=lowest_w * 10 ** (chance.gauss(0, 1.0) / 10), attenuator_db=attenuator_db + chance.gauss(0, 0.5),
            station_dbm=chance.uniform(-72, -55), noise_dbm_hz=chance.uniform(-152, -143),
        )  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            yard = ShackYard(Path(folder), here, calibration_error_db=chance.gauss(0, 1.0))
            with_limit(yard, limit_dbm)
            hand = chance.choice(HANDS) if chance.random() < 0.2 else ""
            trouble = procedure(yard, lowest_w, attenuator_db, hand)
            measurement = yard.session.isolation
            if trouble:
                refused[hand or trouble.split(":")[0][:60]] += 1
            elif hand:
                misled += 1
            if measurement.through is not None:
                within[holds(measurement.through, here.through_db)] += 1
            if measurement.air is not None and here.air_db < 200:
                within[holds(measurement.air, here.air_db)] += 1
            worst_margin_db = min(worst_margin_db, limit_dbm - here.worst_dbm)
            if here.worst_dbm > limit_dbm:
                too_much.append(seed)
            yard.session.close()
    share = within[True] / max(sum(within.values()), 1)
    print(f"{count} shacks: {sum(within.values())} isolations, {100 * share:.1f} % within two sigma (95 wanted)")
    print(f"sockets over their rating: {len(too_much)} {too_much}; least margin {worst_margin_db:.1f} dB")
    print(f"hands that did something else and were not found: {misled}")
    for words, times in refused.most_common():
        print(f"  ended {times} times: {words}")
    sys.exit(1 if too_much or share < 0.95 or misled else 0)


def holds(measured: Isolation, true_db: float) -> bool:
    """Within two sigma; a bound only has to be one."""
    if measured.is_bound:
        return true_db >= measured.value_db - 2 * measured.sigma_db
    return abs(measured.value_db - true_db) <= 2 * measured.sigma_db


def with_limit(yard: ShackYard, limit_dbm: float) -> None:
    """The socket takes this."""
    desk = yard.session.desk
    receiver = desk.route.receiver
    assert isinstance(receiver, Receiver)
    ports = tuple(
        msgspec.structs.replace(port, largest_dbm=Value(limit_dbm)) if port.name == desk.route.port else port
        for port in receiver.ports
    )
    desk.edit("limit", desk.station.with_part(msgspec.structs.replace(receiver, ports=ports)))
    yard.settle()


def procedure(yard: ShackYard, lowest_w: float, attenuator_db: float, hand: str) -> str:
    """As the sheet leads a person; why it ended before its end, or an empty text."""
    measurement = yard.session.isolation
    if why := measurement.state(lowest_w, attenuator_db, 50.0):
        return why
    measurement.record()
    yard.until_idle()
    if measurement.without is None:
        return measurement.trouble
    yard.shack.is_attenuated = hand != "out"
    if hand == "other":
        yard.shack.attenuator_db -= 15.0
    yard.shack.is_plugged = hand != "plug"
    measurement.record()
    yard.until_idle()
    if measurement.attenuated is None:
        return measurement.trouble
    yard.link()
    if hand == "taken out":
        yard.shack.is_attenuated = False
    for on in ("dummy load", "antenna"):
        with contextlib.suppress(AssertionError):
            yard.transmit(on)
        if (measurement.through if on == "dummy load" else measurement.total) is None:
            return measurement.trouble or "no result"
    return ""


main()
