"""Client side of the connection: TLS to the intended computer only, and the first messages."""

import asyncio
import ssl

from yarddial.distance import wire
from yarddial.distance.identity import KnownComputer
from yarddial.distance.pairing_code import fingerprint_of, read_code
from yarddial.yard.errors import YardDialError

CONNECTS_S, WELCOMES_S = 6.0, 20.0


class FarRefused(YardDialError):
    """The far computer refused; the sentence is its own."""


class FarUnreachable(YardDialError):
    """No answer, or an answer from another computer."""


def context() -> ssl.SSLContext:
    """TLS 1.3 context; the peer is identified by its certificate's fingerprint, not by a signer."""
    tls = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    tls.minimum_version = ssl.TLSVersion.TLSv1_3
    tls.check_hostname = False
    tls.verify_mode = ssl.CERT_NONE
    return tls


async def knock(
    computer: KnownComputer, hello: wire.Hello
) -> tuple[wire.Welcome, asyncio.StreamReader, asyncio.StreamWriter]:
    """Come in with a word; raises FarUnreachable or FarRefused."""
    reader, writer = await _connected(computer.host, computer.port)
    if fingerprint_of(_certificate(writer)) != computer.fingerprint:
        writer.transport.abort()
        raise FarUnreachable(
            f"another computer than {computer.name} answers at {computer.host}: nothing was told to it; pair anew if "
            "its certificate was made anew"
        )
    return await _welcomed(hello, reader, writer), reader, writer


async def pair_with(host: str, port: int, code_text: str, own_name: str, name: str) -> KnownComputer:
    """Get to know a computer by its code; raises BadPairingCode, FarUnreachable or FarRefused."""
    code = read_code(code_text)
    reader, writer = await _connected(host, port)
    try:
        certificate = _certificate(writer)
        if not code.fits(certificate):
            raise FarUnreachable(
                f"another computer than the one that shows the code answers at {host}: check its address"
            )
        hello = wire.Hello(wire.WIRE_VERSION, own_name, secret=code.secret)
        welcome = await _welcomed(hello, reader, writer)
        return KnownComputer(name or welcome.name, host, port, fingerprint_of(certificate), welcome.word)
    finally:
        writer.transport.abort()


async def _connected(host: str, port: int) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
    try:
        return await asyncio.wait_for(asyncio.open_connection(host, port, ssl=context()), CONNECTS_S)
    except (TimeoutError, OSError, ssl.SSLError) as error:
        why = getattr(error, "strerror", None) or str(error) or "it does not answer in time"
        raise FarUnreachable(f"{host}:{port} is not reached ({why}): is 'yard-dial serve' running there?") from error


async def _welcomed(hello: wire.Hello, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> wire.Welcome:
    try:
        writer.write(wire.frame(hello))
        await writer.drain()
        head = await asyncio.wait_for(reader.readexactly(4), WELCOMES_S)
        body = await asyncio.wait_for(reader.readexactly(wire.length_of(head, wire.MAX_TOLD)), WELCOMES_S)
        answer = wire.read_far(body)
    except (TimeoutError, OSError, asyncio.IncompleteReadError) as error:
        raise FarUnreachable("the far computer says nothing") from error
    if isinstance(answer, wire.Refused):
        writer.transport.abort()
        raise FarRefused(f"the far computer refuses: {answer.sentence}")
    if not isinstance(answer, wire.Welcome):
        writer.transport.abort()
        raise FarUnreachable("whoever answers is not a Yard Dial that serves")
    return answer


def _certificate(writer: asyncio.StreamWriter) -> bytes:
    tls = writer.get_extra_info("ssl_object")
    return bytes(tls.getpeercert(binary_form=True) or b"")
