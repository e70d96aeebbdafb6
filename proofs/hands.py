"""Two hundred yards with one socket, and a hand that obeys, forgets or moves the wrong plug in a fifth of the moves.

The table of plugs is kept apart from the program (truth/plug_table.py); the receiver hears what is really plugged in.
Wanted: no measurement is logged over a route that a measurement could have told from what was plugged in; at least
95 % of the wrong moves that can be told are contradicted and the rest said to be unchecked; moves asked for at most 1.3
times the fewest.
"""

import random
import sys
import tempfile
from collections import Counter
from itertools import pairwise, permutations
from pathlib import Path

import msgspec
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

from job_yard import BLOCK, JobYard, PlainDevice
from plug_table import PlugTable
from slow_yards import slow_station
from yarddial.drivers.protocol import ActualSettings, Block, Device, RequestedSettings
from yarddial.records.log_data import LoggedObservation
from yarddial.yard.parts import Antenna, Converter, Part, Port, Receiver, Socket, Value
from yarddial.yard.shared_sockets import Move, connected, moves_for
from yarddial.yard.station import Reference, Route, Station

MOVES_A_YARD = 10


class TableDevice(PlainDevice):
    """Receives the lines that the table brings, each on the nearest whole bin of a block, in fresh noise."""

    table: PlugTable
    chance = np.random.default_rng(1)

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """As asked."""
        self._got = super().apply(ask)
        return self._got

    def read(self) -> Block:
        """What is plugged in now."""
        self._index += BLOCK
        noise = self.chance.standard_normal((2, BLOCK)) * 0.02
        samples = noise[0] + 1j * noise[1]
        for hertz in self.table.received_hz():
            place = round((hertz - self._got.centre_hz) / self._got.rate_hz * BLOCK)
            if abs(place) < BLOCK / 2:
                samples += 0.03 * np.exp(2j * np.pi * place * np.arange(BLOCK) / BLOCK)
        return Block(samples.astype(np.complex64), self._index - BLOCK)


class TableYard(JobYard):
    """A session whose only receiver hangs on the table."""

    def __init__(self, folder: Path, station: Station, table: PlugTable) -> None:
        self.table = table
        super().__init__(folder, station=station)

    def _open(self, address: str) -> Device:
        made = TableDevice("finch", self.applied)
        made.table = self.table
        self.devices.append(made)
        return made


def drawn(chance: random.Random) -> tuple[Station, PlugTable]:
    """Two to four antennas, none to two converters, one stick, and three to six routes over them."""
    finch = slow_station().part("Finch")
    assert isinstance(finch, Receiver)
    stick = msgspec.structs.replace(
        finch, name="Stick", ports=(Port("in", Socket("SMA"), Value(10.0)),), direct=None, tuner_low_hz=1e6,
        crystal_ppm=Value(0.0, 1.0),
    )  # fmt: skip
    # Kilohertz apart by odd steps, so that no two stations meet by chance; half of the antennas hear the same.
    common = tuple(7e6 + 1.9e6 * k + 11e3 * k**2 for k in range(3))
    stations_hz: dict[str, tuple[float, ...]] = {}
    for index in range(chance.randint(2, 4)):
        own = tuple(40e6 + 37e6 * index + 3.3e6 * k + 17e3 * k**2 for k in range(3))
        stations_hz[f"Antenna {index}"] = common if chance.random() < 0.5 else own
    lo_hz = {f"Step {k}": 120e6 + 55e6 * k for k in range(chance.randint(0, 2))}
    chains = [(antenna, *mid) for antenna in stations_hz for mid in ((), *((name,) for name in lo_hz))]
    chance.shuffle(chains)
    routes = chains[: max(3, chance.randint(3, 6))]
    parts: list[Part] = [Antenna(name, 0.9 * min(own), 1.1 * max(own)) for name, own in stations_hz.items()]
    for name, hertz in lo_hz.items():
        parts.append(Converter(name, "sum", Value(hertz, 5.0), hertz, 1e6, 200e6, gain_db=Value(0.0)))
    references = sorted({hertz for heard in stations_hz.values() for hertz in heard})
    station = Station(
        "Table", (*parts, stick), tuple(Route(" over ".join(c), (*c, "Stick"), port="in") for c in routes),
        tuple(Reference(f"Station {k}", hertz, 0.5, "steady carrier", "cw") for k, hertz in enumerate(references)),
        dial_hz=references[0], route=" over ".join(routes[0]), held=True,
    )  # fmt: skip
    table = PlugTable(stations_hz, lo_hz)
    # What only one route joins was put together once; the first route is connected at the beginning.
    every_joint = [joint for route in station.routes for joint in pairwise(route.parts)]
    for lead, into in every_joint:
        if all((lead == a) == (into == b) for a, b in every_joint):
            table.plug(lead, into)
    for lead, into in pairwise(station.routes[0].parts):
        table.plug(lead, into)
    return connected(station, station.routes[0].name), table


class Score:
    """What came of all moves."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self.asked = self.fewest = 0


def hand_over(yard: TableYard, move: Move, chance: random.Random) -> bool:
    """Do the move, forget it or take another plug; then say that it is done. True where it was done."""
    lead, into = move.connection.output.part, move.connection.input.part
    dice = chance.random()
    if dice < 0.1:
        pass
    elif dice < 0.2:
        others = [name for name in (*yard.table.stations_hz, *yard.table.lo_hz) if name not in (lead, into)]
        yard.table.plug(chance.choice(others or [lead]), into)
    else:
        yard.table.plug(lead, into)
    yard.session.hands.confirm(move)
    return yard.table.socket.get(into) == lead


def run_yard(seed: int, score: Score) -> None:
    """Ten moves and measurements on one yard."""
    chance = random.Random(seed)
    station, table = drawn(chance)
    with tempfile.TemporaryDirectory() as folder:
        yard = TableYard(Path(folder), station, table)
        session = yard.session
        for _ in range(MOVES_A_YARD):
            route = chance.choice(station.routes)
            chain = route.parts[:-1]
            session.desk.choose_route(route.name)
            for _ in range(6):
                moves = [move for move in session.hands.moves() if move.check != "checking"]
                if not moves:
                    break
                hand_over(yard, moves[0], chance)
                for _ in range(4_000):
                    session.poll()
                    if not session.plug_check.running:
                        break
                if not session.hands.moves() or moves[-1] is moves[0]:
                    judge(yard, chain, score)
            measure(yard, chain, chance, score)
        session.close()


def judge(yard: TableYard, chain: tuple[str, ...], score: Score) -> None:
    """Hold what the check says to the table."""
    result, is_right = yard.session.plug_check.result, yard.table.is_joined(chain)
    can_tell = can_be_told(yard, chain)
    kind = "right" if is_right else "wrong, can be told" if can_tell else "wrong, cannot be told"
    score.counts[f"{kind}: {result}"] += 1


def can_be_told(yard: TableYard, chain: tuple[str, ...]) -> bool:
    """True when a station that is received now would not be at its place over the chain, but over another route."""
    table, station = yard.table, yard.session.desk.station
    mine = table.stations_hz[chain[0]]
    if any(table.shows_the_same(chain, hertz) for hertz in mine):
        return False
    return any(table.is_joined(route.parts[:-1]) for route in station.routes)


def measure(yard: TableYard, chain: tuple[str, ...], chance: random.Random, score: Score) -> None:
    """A known station of the route's antenna, as a person would; hold what is logged to the table."""
    session = yard.session
    session.desk.dial(chance.choice(yard.table.stations_hz[chain[0]]))
    entries = len(yard.book.kept)
    session.calibration.measure(0.3)
    for _ in range(4_000):
        session.poll()
        if session.calibration.measuring is None:
            break
    for entry in yard.book.kept[: len(yard.book.kept) - entries]:
        if not isinstance(entry.data, LoggedObservation):
            continue
        is_right = yard.table.is_joined(chain)
        same = any(yard.table.shows_the_same(chain, hertz) for hertz in yard.table.stations_hz[chain[0]])
        words = "connected" if is_right else "another antenna, same place" if same else "WRONG"
        score.counts[f"measured: {words}"] += 1


def order_costs(seed: int, score: Score) -> None:
    """Moves over all routes in the program's order, against the best of all orders."""
    station, _ = drawn(random.Random(seed))
    names = tuple(route.name for route in station.routes)
    station = connected(station, names[0])

    def cost(order: tuple[str, ...]) -> int:
        present, total = station, 0
        for name in order:
            total += len(moves_for(present, name))
            present = connected(present, name)
        return total

    from yarddial.yard.shared_sockets import in_order_of_moves

    score.asked += cost(in_order_of_moves(station, names))
    score.fewest += min(cost(order) for order in permutations(names))


def prove() -> bool:
    """The figures on standard output; False where a wanted one is missed."""
    count = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else 200
    score = Score()
    for seed in range(count):
        run_yard(seed, score)
        order_costs(seed, score)
    for words, times in sorted(score.counts.items()):
        print(f"{times:6d} {words}")
    contradicted = score.counts["wrong, can be told: contradicted"]
    tellable = sum(times for words, times in score.counts.items() if words.startswith("wrong, can be told"))
    ratio = score.asked / max(score.fewest, 1)
    print(f"{count} yards: {contradicted} of {tellable} wrong moves that can be told are contradicted")
    print(f"right moves contradicted: {score.counts['right: contradicted']}")
    print(f"moves over all routes: {score.asked}, fewest {score.fewest}: {ratio:.2f} times")
    wrong = score.counts["measured: WRONG"] + score.counts["wrong, can be told: confirmed"]
    print(f"measured or confirmed over a route that was not connected and could have been told: {wrong}")
    return not (wrong or contradicted < 0.95 * tellable or score.asked > 1.3 * score.fewest)
