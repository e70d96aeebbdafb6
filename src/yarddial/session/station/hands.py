"""Plugs and switches that a person moves: what a route still needs, and what the person has confirmed."""

from collections.abc import Callable

import msgspec

from yarddial.records.entry import utc_now
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.station.desk import Desk
from yarddial.yard.plugs import MoveCheck, SocketKey, Switching
from yarddial.yard.shared_sockets import (
    Connection,
    Move,
    SharedSocket,
    connected,
    connections,
    in_order_of_moves,
    moves_for,
    shared_sockets,
    with_check,
    with_move,
    with_switching,
)
from yarddial.yard.station import Station

Checker = Callable[[Move, tuple[str, ...], tuple[str, ...]], bool]


class Hands:
    """The table beside the computer, as far as the person has told the program about it."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._changed = Listeners()
        self._known: dict[str, tuple[Move, ...]] = {}
        # Parts, routes, switching and plugs that the cached moves belong to.
        self._known_of: tuple[object, ...] = ()
        # Route that an activity waits for; empty where none does.
        self._asked = ""
        self._checker: Checker | None = None
        # Why the last check said what it said.
        self.check_sentence = ""

    def on_hands_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for confirmed moves and changed statements."""
        return self._changed.add(listener)

    def moves(self, route_name: str = "") -> tuple[Move, ...]:
        """Moves that a route, the active one by default, still needs; empty when it is connected."""
        station = self._desk.station
        name = route_name or station.route
        if not any(route.name == name for route in station.routes):
            return ()
        state = (station.parts, station.routes, station.switching, station.plugged)
        if len(self._known_of) != len(state) or any(a is not b for a, b in zip(state, self._known_of, strict=True)):
            self._known, self._known_of = {}, state
        if name not in self._known:
            self._known[name] = moves_for(station, name)
        return self._known[name]

    def check_with(self, checker: "Checker") -> None:
        """Register what checks a confirmed move, given the routes that it connects and those of other plugs there.

        It returns False where it cannot begin, else calls `check` once at its end.
        """
        self._checker = checker

    def _names(self) -> tuple[str, ...]:
        return tuple(route.name for route in self._desk.station.routes)

    def _connected(self) -> set[str]:
        return {name for name in self._names() if not self.moves(name)}

    def is_antenna_certain(self, route_name: str) -> bool:
        """True where no hand plugs a route's antenna, or where a measurement has confirmed it."""
        station = self._desk.station
        first = connections(station, station.route_named(route_name))[0]
        by_hand = {shared.key for shared in self.sockets() if shared.by == "hand"} & {first.output, first.input}
        checks = {state.socket: state.check for state in station.plugged}
        return all(checks.get(key) == "confirmed" for key in by_hand)

    def _rivals(self, move: Move, joined: tuple[str, ...]) -> tuple[str, ...]:
        """Disconnected routes that need another plug in a socket of the move, or of a route that it connects."""
        station = self._desk.station
        joints = {move.connection}.union(*(connections(station, station.route_named(name)) for name in joined))
        sockets = {key for connection in joints for key in (connection.output, connection.input)}
        return tuple(
            route.name
            for route in station.routes
            if self.moves(route.name)
            and any(
                connection not in joints and (connection.output in sockets or connection.input in sockets)
                for connection in connections(station, route)
            )
        )

    def ask(self, route_name: str) -> None:
        """Ask the person for the moves of a route that an activity waits for; an empty name asks for none."""
        if route_name != self._asked:
            self._asked = route_name
            self._changed.tell()

    @property
    def is_awaited(self) -> bool:
        """True while an activity waits for the moves of a route, or for their check."""
        return bool(self._asked) and bool(self.moves(self._asked))

    def asked_moves(self) -> tuple[Move, ...]:
        """Moves to ask the person for now: those an activity waits for, else those of the active route."""
        return self.moves(self._asked)

    def needs_hand_between(self, first: str, second: str) -> bool:
        """True when a hand must move something to change over between two routes, in either direction."""
        station = self._desk.station
        return any(moves_for(connected(station, now), then) for now, then in ((first, second), (second, first)))

    def why_not(self, route_name: str) -> str:
        """Why nothing may be received over a route yet: the first move that it needs; empty when it is connected."""
        moves = self.moves(route_name) if route_name else ()
        return f"{route_name} is not connected: {moves[0].sentence}" if moves else ""

    def sockets(self) -> tuple[SharedSocket, ...]:
        """All sockets that routes share."""
        return shared_sockets(self._desk.station)

    def in_order(self, route_names: tuple[str, ...]) -> tuple[str, ...]:
        """Order routes so that plugs and knobs are moved little, from where they are now."""
        return in_order_of_moves(self._desk.station, route_names)

    def confirm(self, move: Move) -> None:
        """Take the person's word that a move is done, and have it checked where that is possible.

        Until the check has ended the route does not count as connected.
        """
        before = self._connected()
        self._set(with_move(self._desk.station, move, utc_now(), "checking"))
        after = {name for name in self._names() if all(m.check == "checking" for m in self.moves(name))}
        joined = tuple(name for name in self._names() if name in after - before)
        rivals = self._rivals(move, joined)
        former = [name for name in rivals if name in before]
        rivals = (*former, *(name for name in rivals if name not in former))
        if self._checker is None or not self._checker(move, joined, rivals):
            self.check(move, "unchecked")

    def state_plug(self, key: SocketKey, neighbour: str) -> None:
        """Take the person's statement of what a socket is joined to, unasked; an empty label when nobody knows."""
        for connection in self._connections_at(key):
            if neighbour == (connection.downstream if key == connection.output else connection.upstream):
                self._set(with_move(self._desk.station, Move(connection), utc_now()))
                return
        plugged = tuple(state for state in self._desk.station.plugged if state.socket != key)
        self._set(msgspec.structs.replace(self._desk.station, plugged=plugged))

    def _connections_at(self, key: SocketKey) -> list[Connection]:
        station = self._desk.station
        every_connection = (connection for route in station.routes for connection in connections(station, route))
        return [connection for connection in every_connection if key in (connection.output, connection.input)]

    def check(self, move: Move, result: MoveCheck, sentence: str = "") -> None:
        """Set what a measurement has said about a confirmed move, and the sentence that says why."""
        self.check_sentence = sentence
        self._set(with_check(self._desk.station, move, result))

    def state_switching(self, key: SocketKey, by: Switching) -> None:
        """Take the person's statement of who switches a socket; one step of undo."""
        self._desk.edit(f"{key.part}: switched by {by}", with_switching(self._desk.station, key, by))
        self._changed.tell()

    def _set(self, station: Station) -> None:
        self._desk.set_plugged(station.plugged)
        self._changed.tell()
