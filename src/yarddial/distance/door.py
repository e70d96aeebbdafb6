"""The serving computer's entrance: TLS 1.3 only, and no information before authentication."""

import asyncio
import contextlib
import ssl
import time
from collections.abc import Awaitable, Callable

from yarddial.distance import wire
from yarddial.distance.guest import Guest
from yarddial.distance.identity import Identity, PairedComputer, Role
from yarddial.distance.pairing_code import PairingCode, new_code
from yarddial.yard.fault_log import log_fault

# A caller that has not identified itself by then is disconnected; at most this many wait at a time.
DOOR_S, MAX_AT_DOOR = 5.0, 20
# Each wrong code doubles the delay up to a maximum; a code expires after this many tries or this time.
WRONG_S, MAX_WRONG_S, CODE_TRIES, CODE_LASTS_S = 0.5, 8.0, 20, 600.0
Greet = Callable[[PairedComputer, wire.Hello, asyncio.StreamWriter], Awaitable[Guest]]
Entertain = Callable[[Guest, asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


class Door:
    """Admit paired computers, and pair callers that know the code.

    welcome : greets a known one; entertain : serves it as long as its link lasts.
    """

    def __init__(self, identity: Identity, name: str, welcome: Greet, entertain: Entertain) -> None:
        self._identity, self._name, self._welcome, self._entertain = identity, name, welcome, entertain
        self._at_door = 0
        self._wrong: dict[str, int] = {}
        self._code: tuple[PairingCode, Role, float] | None = None
        self._code_tries = 0
        self.accepted = self.refused = 0
        self.on_paired: Callable[[str], None] = lambda name: None

    def offer_pairing(self, role: Role) -> str:
        """Offer a code with which one computer may pair, once, for ten minutes."""
        code = new_code(self._identity.certificate)
        self._code, self._code_tries = (code, role, time.monotonic()), 0
        return code.text

    def context(self) -> ssl.SSLContext:
        """TLS 1.3 and nothing below it."""
        tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        tls.minimum_version = ssl.TLSVersion.TLSv1_3
        tls.load_cert_chain(self._identity.certificate_path, self._identity.key_path)
        tls.num_tickets = 0
        return tls

    async def listen(self, host: str, port: int) -> asyncio.Server:
        """Open the door."""
        return await asyncio.start_server(
            self._come, host, port, ssl=self.context(), ssl_handshake_timeout=DOOR_S, limit=1 << 16
        )

    async def _come(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Somebody stands at the door."""
        if self._at_door >= MAX_AT_DOOR:
            writer.transport.abort()
            return
        self._at_door += 1
        guest: Guest | None = None
        try:
            try:
                guest = await asyncio.wait_for(self._greet(reader, writer), DOOR_S + MAX_WRONG_S)
            finally:
                self._at_door -= 1
            if guest is not None:
                await self._entertain(guest, reader, writer)
        except (TimeoutError, wire.BadFrame, ValueError, OSError, asyncio.IncompleteReadError, ssl.SSLError):
            pass
        except asyncio.CancelledError:
            raise
        except Exception as fault:
            log_fault("serving a guest failed", fault)
        finally:
            writer.transport.abort()

    async def _greet(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> Guest | None:
        """Who is it? Nothing is told before that is known; a wrong word or code costs time."""
        hello = wire.read_near(await asyncio.wait_for(read_body(reader, wire.MAX_HELLO), DOOR_S))
        if not isinstance(hello, wire.Hello):
            return None
        place = str((writer.get_extra_info("peername") or ("",))[0])
        if hello.version != wire.WIRE_VERSION:
            older = "older" if hello.version < wire.WIRE_VERSION else "newer"
            sentence = f"your program is {older} than the one on the far computer: bring both to the same version"
            await self._refuse(writer, sentence)
            return None
        who, word = self._known(hello)
        if who is None:
            self.refused += 1
            self._wrong[place] = wrong = min(self._wrong.get(place, 0) + 1, 10)
            await asyncio.sleep(min(WRONG_S * 2.0 ** (wrong - 1), MAX_WRONG_S))
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

    def _known(self, hello: wire.Hello) -> tuple[PairedComputer | None, str]:
        """Find the paired computer, with its password if it was paired just now."""
        if hello.word:
            return self._identity.who_comes_with(hello.word), ""
        if self._code is None or hello.secret < 0:
            return None, ""
        code, role, made_s = self._code
        self._code_tries += 1
        if hello.secret != code.secret or time.monotonic() - made_s > CODE_LASTS_S:
            if self._code_tries >= CODE_TRIES:
                self._code = None
            return None, ""
        self._code = None
        name = _plain_name(hello.name)
        word = self._identity.pair(name, role)
        self.on_paired(name)
        return self._identity.who_comes_with(word), word

    async def _refuse(self, writer: asyncio.StreamWriter, sentence: str) -> None:
        with contextlib.suppress(OSError):
            writer.write(wire.frame(wire.Refused(sentence)))
            await writer.drain()


async def read_body(reader: asyncio.StreamReader, limit: int) -> bytes:
    """One frame's; raises BadFrame for one that is too long, before any of it is taken."""
    return await reader.readexactly(wire.length_of(await reader.readexactly(4), limit))


def _plain_name(name: str) -> str:
    """Shorten a guest's name and make it visible."""
    plain = "".join(sign for sign in name if sign.isprintable()).strip()[:40]
    return plain or "a computer"
