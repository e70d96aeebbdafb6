"""Sockets that several routes share, and the moves by hand that a route needs before it is connected.

Two routes share a socket when they join it to different neighbours: one receiver input for two antennas, one switch
for two outputs, one lead for two converters. A receiver's ports and a transceiver's outputs are sockets of their own,
because the program or the transceiver chooses among them.
"""

from collections.abc import Iterable, Mapping
from itertools import pairwise

import msgspec

from yarddial.yard.parts import Antenna, Part, Receiver, Transceiver, TwoPort
from yarddial.yard.plugs import NOT_YET, MoveCheck, Plugged, SocketKey, SocketSwitching, Switching
from yarddial.yard.station import Route, Station

# Parts that join a shared socket without a hand, unless the person states otherwise.
SWITCHED_BY_ITSELF = ("splitter", "diplexer", "relay")


class Connection(msgspec.Struct, frozen=True):
    """A connection within a route: from one part's output into the next part's input, with their labels."""

    output: SocketKey
    input: SocketKey
    upstream: str
    downstream: str


class SharedSocket(msgspec.Struct, frozen=True):
    """A socket with more than one possible neighbour. neighbours : their labels, in the order of the routes."""

    key: SocketKey
    label: str
    neighbours: tuple[str, ...]
    by: Switching


class Move(msgspec.Struct, frozen=True):
    """A connection that a hand must make, or confirm.

    lead_in : label of the input that the lead was last confirmed to be in; held : label of the lead that the input was
    last confirmed to hold; empty where nobody has said, or where there is none. knob : the switch that is turned, where
    no plug is pulled. outdoors : the lead of an outdoor antenna is plugged. check : of a move that the person has
    confirmed, where a measurement is under way or contradicts it.
    """

    connection: Connection
    lead_in: str = ""
    held: str = ""
    knob: str = ""
    outdoors: bool = False
    check: MoveCheck | None = None

    @property
    def act(self) -> str:
        """What the hand does, as a command: 'turn Patch to Hearth', 'plug Discone into Finch'."""
        up, down = self.connection.upstream, self.connection.downstream
        if self.knob:
            return f"turn {self.knob} to {down if self.knob == self.connection.output.part else up}"
        return f"plug {up} into {down}"

    @property
    def sentence(self) -> str:
        """The act with what is there now, as far as it was confirmed."""
        if self.check == "checking":
            return f"{self.act}: it is being checked"
        if self.check == "contradicted":
            return f"{self.act}: by what is received, it is not done"
        before = self.lead_in or self.held
        if self.knob:
            return f"{self.act} (it stood at {before})" if before else f"{self.act}, or confirm that it stands there"
        if self.lead_in:
            return f"{self.act} (it was in {self.lead_in})"
        return f"{self.act} ({self.held} was in it)" if self.held else f"{self.act}, or confirm that it is there"


def connections(station: Station, route: Route) -> tuple[Connection, ...]:
    """Connections of a route, antenna first; raises BadStation for a part that the yard lacks."""
    parts = [station.part(name) for name in route.parts]
    taps = {tap.name: tap.output for tap in route.taps}
    return tuple(
        Connection(
            _output(before, taps), _input(after, route.port), _output_label(before, taps), _input_label(after, route)
        )
        for before, after in pairwise(parts)
    )


def shared_sockets(station: Station) -> tuple[SharedSocket, ...]:
    """All sockets with more than one neighbour over all routes, finished or not."""
    neighbours: dict[SocketKey, dict[str, None]] = {}
    labels: dict[SocketKey, str] = {}
    for route in station.routes:
        for connection in connections(station, route):
            neighbours.setdefault(connection.output, {})[connection.downstream] = None
            neighbours.setdefault(connection.input, {})[connection.upstream] = None
            labels[connection.output], labels[connection.input] = connection.upstream, connection.downstream
    stated = {switching.socket: switching.by for switching in station.switching}
    return tuple(
        SharedSocket(key, labels[key], tuple(others), stated.get(key) or _usual_switching(station.part(key.part)))
        for key, others in neighbours.items()
        if len(others) > 1
    )


def moves_for(station: Station, route_name: str) -> tuple[Move, ...]:
    """Moves by hand that connect a route, antenna first; empty when everything is confirmed or needs no hand."""
    by_hand = _by_hand(station)
    if not by_hand:
        return ()
    plugged = {state.socket: state for state in station.plugged}
    moves: list[Move] = []
    for connection in connections(station, station.route_named(route_name)):
        ends = [plugged[key] for key in (connection.output, connection.input) if key in plugged]
        lead_in, held = (_neighbour(plugged, key) for key in (connection.output, connection.input))
        is_wrong = (connection.output in by_hand and lead_in != connection.downstream) or (
            connection.input in by_hand and held != connection.upstream
        )
        check = next((end.check for end in ends if not is_wrong and end.check in NOT_YET), None)
        if is_wrong or check is not None:
            source = station.part(connection.output.part)
            outdoors = isinstance(source, Antenna) and source.outdoors
            moves.append(Move(connection, lead_in, held, _knob(station, connection, by_hand), outdoors, check))
    return tuple(moves)


def with_move(station: Station, move: Move, date_utc: str, check: MoveCheck = "unchecked") -> Station:
    """Return the station with a move done: both sockets are joined, and what they were joined to before is not."""
    connection, by_hand = move.connection, _by_hand(station)
    joined = {connection.output: connection.downstream, connection.input: connection.upstream}
    others: list[Plugged] = []
    for state in station.plugged:
        other_input = (
            state.socket.side == "input" and state.neighbour == connection.upstream and connection.output in by_hand
        )
        other_lead = (
            state.socket.side == "output" and state.neighbour == connection.downstream and connection.input in by_hand
        )
        if state.socket not in joined:
            others.append(msgspec.structs.replace(state, neighbour="") if other_input or other_lead else state)
    new = [Plugged(key, neighbour, date_utc, check) for key, neighbour in joined.items() if key in by_hand]
    return msgspec.structs.replace(station, plugged=(*others, *new))


def with_check(station: Station, move: Move, check: MoveCheck) -> Station:
    """Return the station with the result of checking a confirmed move."""
    keys = (move.connection.output, move.connection.input)
    return msgspec.structs.replace(
        station,
        plugged=tuple(
            msgspec.structs.replace(state, check=check) if state.socket in keys else state for state in station.plugged
        ),
    )


def with_switching(station: Station, key: SocketKey, by: Switching) -> Station:
    """Return the station with a statement of who switches a shared socket."""
    others = tuple(switching for switching in station.switching if switching.socket != key)
    return msgspec.structs.replace(station, switching=(*others, SocketSwitching(key, by)))


def in_order_of_moves(station: Station, route_names: Iterable[str]) -> tuple[str, ...]:
    """Order routes so that hands move little: next always the route that needs the fewest moves from there."""
    left, order = list(dict.fromkeys(route_names)), []
    while left:
        nearest = min(left, key=lambda name: (len(moves_for(station, name)), left.index(name)))
        left.remove(nearest)
        order.append(nearest)
        station = connected(station, nearest)
    return tuple(order)


def connected(station: Station, route_name: str) -> Station:
    """Return the station as it is when every move for a route is done."""
    for move in moves_for(station, route_name):
        station = with_move(station, move, "")
    return station


def renamed(station: Station, old: str, new: str) -> Station:
    """Return the station with a renamed part carried into the states of its sockets."""

    def key(socket: SocketKey) -> SocketKey:
        return msgspec.structs.replace(socket, part=new) if socket.part == old else socket

    def label(text: str) -> str:
        return new + text[len(old) :] if text == old or text.startswith((f"{old}, ", f"{old}'s ")) else text

    switching = tuple(SocketSwitching(key(stated.socket), stated.by) for stated in station.switching)
    plugged = tuple(
        msgspec.structs.replace(state, socket=key(state.socket), neighbour=label(state.neighbour))
        for state in station.plugged
    )
    return msgspec.structs.replace(station, switching=switching, plugged=plugged)


def _neighbour(plugged: Mapping[SocketKey, Plugged], key: SocketKey) -> str:
    return plugged[key].neighbour if key in plugged else ""


def _by_hand(station: Station) -> frozenset[SocketKey]:
    return frozenset(shared.key for shared in shared_sockets(station) if shared.by == "hand")


def _knob(station: Station, connection: Connection, by_hand: frozenset[SocketKey]) -> str:
    """Name of the switch that makes a connection; empty where a plug does."""
    for key in (connection.output, connection.input):
        part = station.part(key.part)
        if key in by_hand and isinstance(part, TwoPort) and part.what == "switch":
            return part.name
    return ""


def _usual_switching(part: Part) -> Switching:
    return "itself" if isinstance(part, TwoPort) and part.what in SWITCHED_BY_ITSELF else "hand"


def _output(part: Part, taps: Mapping[str, str]) -> SocketKey:
    port = taps.get(part.name, part.tap) if isinstance(part, Transceiver) else ""
    return SocketKey(part.name, "output", port)


def _input(part: Part, port: str) -> SocketKey:
    return SocketKey(part.name, "input", port if isinstance(part, Receiver) else "")


def _output_label(part: Part, taps: Mapping[str, str]) -> str:
    if not isinstance(part, Transceiver):
        return part.name
    return f"{part.name}'s {'IF' if taps.get(part.name, part.tap) == 'if' else 'antenna'} output"


def _input_label(part: Part, route: Route) -> str:
    many = isinstance(part, Receiver) and len(part.ports) > 1
    return f"{part.name}, port {route.port}" if many and route.port else part.name
