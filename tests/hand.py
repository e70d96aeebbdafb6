"""A scripted hand at the table beside the computer: it obeys, forgets, or moves the wrong plug."""

import msgspec

from slow_yards import LOW_RATE_HZ, slow_station
from yarddial.session.session import Session
from yarddial.yard.demo import demo_station
from yarddial.yard.shared_sockets import Move
from yarddial.yard.station import Station


def hand_station() -> Station:
    """The demo yard at a low rate with its switch as it is: a hand turns it."""
    station = slow_station(LOW_RATE_HZ)
    return msgspec.structs.replace(station, switching=demo_station().switching)


class Hand:
    """Does the moves that it is asked for, once told to look; `moved` are those it has said are done."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.moved: list[Move] = []

    def obey(self) -> bool:
        """Do what is asked now; False where nothing is."""
        moves = self._session.hands.asked_moves()
        for move in moves:
            self.moved.append(move)
            self._session.hands.confirm(move)
        return bool(moves)
