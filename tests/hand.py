"""A scripted hand at the table beside the computer: it obeys, forgets, or moves the wrong plug."""

import msgspec

from slow_yards import LOW_RATE_HZ, slow_station
from yarddial.session.session import Session
from yarddial.session.station.demo_table import DemoTable
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver
from yarddial.yard.shared_sockets import Move
from yarddial.yard.station import Station


def hand_station(seed: int = 1) -> Station:
    """The demo yard at a low rate with its switch as it is: a hand turns it. seed : of its receivers' oscillators."""
    station = slow_station(LOW_RATE_HZ)
    for name in ("Finch", "Heron"):
        receiver = station.part(name)
        assert isinstance(receiver, Receiver)
        station = station.with_part(msgspec.structs.replace(receiver, device=f"{receiver.device}&seed={seed}"))
    return msgspec.structs.replace(station, switching=demo_station().switching)


class Hand:
    """Does the moves that it is asked for, and says so; `moved` are those it has said are done.

    table : where the plugs really are, turned along. forgets : says so and does nothing, for the first so many moves.
    """

    def __init__(self, session: Session, table: DemoTable | None = None, *, forgets: int = 0) -> None:
        self._session, self._table, self._forgets = session, table, forgets
        self.moved: list[Move] = []

    def obey(self) -> bool:
        """Do what is asked now; False where nothing is."""
        moves = [move for move in self._session.hands.asked_moves() if move.check != "checking"]
        for move in moves[:1]:
            self.moved.append(move)
            if self._forgets:
                self._forgets -= 1
            elif self._table is not None:
                self._table.turn(move.connection.downstream)
            self._session.hands.confirm(move)
        return bool(moves)
