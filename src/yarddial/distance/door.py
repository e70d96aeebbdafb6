"""The serving computer's entrance: TLS 1.3 only, and no information before authentication."""

import asyncio
import contextlib
import socket
import ssl
import time
from collections import Counter, deque
from collections.abc import Awaitable, Callable

from yarddial.distance import wire
from yarddial.distance.guest import Guest
from yarddial.distance.identity import Identity, PairedComputer, Role
from yarddial.distance.pairing_code import PairingCode, new_code
from yarddial.yard.fault_log import log_fault

# A caller that has not identified itself by then is disconnected.
DOOR_S = 5.0
# Callers before their handshake, and after it, that wait at a time; the oldest of the most crowded address makes room.
MAX_UNKNOWN, MAX_AT_DOOR = 32, 20
# Connections are taken at this interval, so that a flood leaves the guests their share of the processor.
ACCEPTS_S = 0.001
# The first record of TLS: its kind and version, its head, its size at most; and how often it is looked for.
TLS_HANDSHAKE, RECORD_HEAD_BYTES, MAX_GREETING_BYTES, PEEKS_S = b"\x16\x03", 5, 4_096, 0.005
# Each wrong code from an address doubles the time until another one from there is looked at, up to a maximum.
WRONG_S, MAX_WRONG_S, CODE_LASTS_S = 0.5, 8.0, 600.0
# Codes that are looked at in a second, from all addresses; and addresses whose wrong codes are remembered.
CODES_A_SECOND, MAX_PLACES = 10, 1_000
Greet = Callable[[PairedComputer, wire.Hello, asyncio.StreamWriter], Awaitable[Guest]]
Entertain = Callable[[Guest, asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


class _Caller:
    """Somebody at the door: address, task, and whether its handshake is over."""

    def __init__(self, connection: socket.socket, place: str) -> None:
        self.connection, self.place = connection, place
        self.task: asyncio.Task[None] | None = None
        # From its handshake on the connection belongs to the event loop, which closes it.
        self.is_greeting = self.is_secured = False


class OpenDoor:
    """The listening sockets; closing them lets nobody new in."""

    def __init__(self, sockets: tuple[socket.socket, ...], tasks: tuple[asyncio.Task[None], ...]) -> None:
        self.sockets, self._tasks = sockets, tasks

    def close(self) -> None:
        """Stop listening."""
        for task in self._tasks:
            task.cancel()
        for listener in self.sockets:
            listener.close()

    async def __aenter__(self) -> "OpenDoor":
        return self

    async def __aexit__(self, *_: object) -> None:
        self.close()


class Door:
    """Admit paired computers, and pair callers that know the code.

    welcome : greets a known one; entertain : serves it as long as its link lasts.
    """

    def __init__(self, identity: Identity, name: str, welcome: Greet, entertain: Entertain) -> None:
        self._identity, self._name, self._welcome, self._entertain = identity, name, welcome, entertain
        self._callers: list[_Caller] = []
        # Wrong codes of an address, and when another one from there is looked at.
        self._wrong: dict[str, tuple[int, float]] = {}
        self._code: tuple[PairingCode, Role, float] | None = None
        self._codes_at_s: deque[float] = deque(maxlen=CODES_A_SECOND)
        self.accepted = self.refused = 0
        self.on_paired: Callable[[PairedComputer], None] = lambda who: None

    def offer_pairing(self, role: Role) -> str:
        """Offer a code with which one computer may pair, once, for ten minutes."""
        code = new_code(self._identity.certificate)
        self._code = (code, role, time.monotonic())
        return code.text

    def context(self) -> ssl.SSLContext:
        """TLS 1.3 and nothing below it."""
        tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        tls.minimum_version = ssl.TLSVersion.TLSv1_3
        tls.load_cert_chain(self._identity.certificate_path, self._identity.key_path)
        tls.num_tickets = 0
        return tls

    async def listen(self, host: str, port: int) -> OpenDoor:
        """Open the door; raises OSError."""
        loop, tls = asyncio.get_running_loop(), self.context()
        places = await loop.getaddrinfo(host or None, port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)
        listeners: list[socket.socket] = []
        try:
            for family, kind, protocol, _, address in dict.fromkeys(places):
                listener = socket.socket(family, kind, protocol)
                listeners.append(listener)
                listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                if family == socket.AF_INET6:
                    listener.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
                listener.bind(address)
                listener.listen(128)
                listener.setblocking(False)
        except OSError:
            for listener in listeners:
                listener.close()
            raise
        tasks = tuple(loop.create_task(self._accept(listener, tls)) for listener in listeners)
        return OpenDoor(tuple(listeners), tasks)

    async def _accept(self, listener: socket.socket, tls: ssl.SSLContext) -> None:
        loop = asyncio.get_running_loop()
        while True:
            try:
                connection, address = await loop.sock_accept(listener)
            except OSError:
                # No descriptor is free, or the caller has gone again.
                await asyncio.sleep(0.1)
                continue
            connection.setblocking(False)
            caller = _Caller(connection, str(address[0]))
            self._callers.append(caller)
            caller.task = loop.create_task(self._come(caller, tls))
            self._make_room(MAX_UNKNOWN, is_secured=False)
            await asyncio.sleep(ACCEPTS_S)

    def _make_room(self, limit: int, *, is_secured: bool) -> None:
        """Send the oldest caller of the most crowded address away when more than some wait."""
        waiting = [caller for caller in self._callers if caller.is_secured is is_secured]
        if len(waiting) <= limit:
            return
        crowds = Counter(caller.place for caller in waiting)
        oldest = max(waiting, key=lambda caller: crowds[caller.place])
        self._callers.remove(oldest)
        if oldest.task is not None:
            oldest.task.cancel()

    async def _come(self, caller: _Caller, tls: ssl.SSLContext) -> None:
        """Somebody stands at the door."""
        loop = asyncio.get_running_loop()
        reader = asyncio.StreamReader(limit=1 << 16, loop=loop)
        protocol = asyncio.StreamReaderProtocol(reader, loop=loop)
        writer: asyncio.StreamWriter | None = None
        try:
            await asyncio.wait_for(_greeting_has_come(caller.connection), DOOR_S)
            caller.is_greeting = True
            transport, _ = await loop.connect_accepted_socket(
                lambda: protocol, caller.connection, ssl=tls, ssl_handshake_timeout=DOOR_S
            )
            writer = asyncio.StreamWriter(transport, protocol, reader, loop)
            caller.is_secured = True
            self._make_room(MAX_AT_DOOR, is_secured=True)
            guest = await asyncio.wait_for(self._greet(reader, writer, caller.place), DOOR_S + MAX_WRONG_S)
            self._leave(caller)
            if guest is not None:
                await self._entertain(guest, reader, writer)
        except (TimeoutError, wire.BadFrame, ValueError, OSError, asyncio.IncompleteReadError, ssl.SSLError):
            pass
        except Exception as fault:
            log_fault("serving a guest failed", fault)
        finally:
            self._leave(caller)
            if writer is not None:
                writer.transport.abort()
            if not caller.is_greeting:
                caller.connection.close()

    def _leave(self, caller: _Caller) -> None:
        if caller in self._callers:
            self._callers.remove(caller)

    async def _greet(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, place: str) -> Guest | None:
        """Who is it? Nothing is told before that is known; a wrong code costs time."""
        hello = wire.read_near(await asyncio.wait_for(read_body(reader, wire.MAX_HELLO), DOOR_S))
        if not isinstance(hello, wire.Hello):
            return None
        if hello.version != wire.WIRE_VERSION:
            older = "older" if hello.version < wire.WIRE_VERSION else "newer"
            sentence = f"your program is {older} than the one on the far computer: bring both to the same version"
            await self._refuse(writer, sentence)
            return None
        who = self._identity.who_comes_with(hello.word) if hello.word else None
        word = ""
        if not hello.word and hello.secret >= 0:
            if (wait_s := self._wait_s(place)) > 0:
                await self._refuse(writer, f"too many codes were tried: wait {wait_s:.0f} s, then try again")
                return None
            who, word = self._pair(hello)
            if who is None:
                self._slow_down(place)
        if who is None:
            self.refused += 1
            await asyncio.sleep(min(WRONG_S, MAX_WRONG_S))
            await self._refuse(writer, "not known here, or the code is wrong, used or too old: ask for a new one")
            return None
        self._wrong.pop(place, None)
        self.accepted += 1
        if word:
            # The caller is paired now and connects again by itself.
            writer.write(wire.frame(wire.Welcome(wire.WIRE_VERSION, self._name, who.role, "", False, 0, (), word)))
            await writer.drain()
            return None
        return await self._welcome(who, hello, writer)

    def _wait_s(self, place: str) -> float:
        """Time until a code from an address is looked at; 0 for at once. No number of tries voids the code itself."""
        now_s = time.monotonic()
        _, until_s = self._wrong.get(place, (0, 0.0))
        if until_s > now_s:
            return max(until_s - now_s, 1.0)
        crowded = len(self._codes_at_s) == CODES_A_SECOND and now_s - self._codes_at_s[0] < 1.0
        if crowded:
            return 1.0
        self._codes_at_s.append(now_s)
        return 0.0

    def _slow_down(self, place: str) -> None:
        wrong, _ = self._wrong.pop(place, (0, 0.0))
        wrong = min(wrong + 1, 10)
        self._wrong[place] = (wrong, time.monotonic() + min(WRONG_S * 2.0 ** (wrong - 1), MAX_WRONG_S))
        while len(self._wrong) > MAX_PLACES:
            self._wrong.pop(next(iter(self._wrong)))

    def _pair(self, hello: wire.Hello) -> tuple[PairedComputer | None, str]:
        """Pair a caller that knows the code; with its new password."""
        if self._code is None:
            return None, ""
        code, role, made_s = self._code
        if hello.secret != code.secret or time.monotonic() - made_s > CODE_LASTS_S:
            return None, ""
        self._code = None
        word = self._identity.pair(_plain_name(hello.name), role)
        who = self._identity.who_comes_with(word)
        if who is not None:
            self.on_paired(who)
        return who, word

    async def _refuse(self, writer: asyncio.StreamWriter, sentence: str) -> None:
        with contextlib.suppress(OSError):
            writer.write(wire.frame(wire.Refused(sentence)))
            await writer.drain()


async def _greeting_has_come(connection: socket.socket) -> None:
    """Wait until the first record of TLS lies in the kernel's buffer: nothing is built for who says nothing.

    Raises OSError for a caller that is gone, or says something else.
    """
    while True:
        try:
            head = connection.recv(MAX_GREETING_BYTES, socket.MSG_PEEK)
        except BlockingIOError:
            head = None
        if head is not None:
            needed = RECORD_HEAD_BYTES + int.from_bytes(head[3:5])
            if not TLS_HANDSHAKE.startswith(head[:2]) or not head or needed > MAX_GREETING_BYTES:
                raise ConnectionError("no greeting of TLS")
            if len(head) >= RECORD_HEAD_BYTES and len(head) >= needed:
                return
        await asyncio.sleep(PEEKS_S)


async def read_body(reader: asyncio.StreamReader, limit: int) -> bytes:
    """One frame's; raises BadFrame for one that is too long, before any of it is taken."""
    return await reader.readexactly(wire.length_of(await reader.readexactly(4), limit))


def _plain_name(name: str) -> str:
    """Shorten a guest's name and make it visible."""
    plain = "".join(sign for sign in name if sign.isprintable()).strip()[:40]
    return plain or "a computer"
