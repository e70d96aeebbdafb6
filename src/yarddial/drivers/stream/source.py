"""Byte sources of streams, each read with a time limit."""

import contextlib
import os
import select
import socket
from typing import Protocol

from yarddial.drivers.stream.address import StreamAddress
from yarddial.yard.errors import DeviceLost, DeviceNotFound


class ByteSource(Protocol):
    """Source of bytes, read with a time limit."""

    def read(self, limit: int, patience_s: float) -> bytes | None:
        """Up to `limit` bytes; empty when none came in `patience_s`; None at the end. Raises DeviceLost when broken."""
        ...

    def close(self) -> None:
        """Close the source."""
        ...


def open_source(address: StreamAddress) -> ByteSource:
    """Open a stream's source; raises DeviceNotFound in one sentence."""
    if address.kind == "tcp":
        return _Client(address)
    if address.kind == "listen":
        return _Listener(address)
    return _Pipe(address)


class _Client:
    """Connects to a program that sends."""

    def __init__(self, address: StreamAddress) -> None:
        self._place = address.place
        try:
            self._socket = socket.create_connection(address.host_port, timeout=3.0)
        except (OSError, UnicodeError) as error:
            reason = _reason(error)
            raise DeviceNotFound(f"nobody sends at {address.place} ({reason}): start the sender first") from error

    def read(self, limit: int, patience_s: float) -> bytes | None:
        return _receive(self._socket, limit, patience_s, self._place)

    def close(self) -> None:
        self._socket.close()


class _Listener:
    """Waits for a program that connects and sends; a second one waits until the first has gone."""

    def __init__(self, address: StreamAddress) -> None:
        self._place = address.place
        self._sender: socket.socket | None = None
        try:
            self._server = socket.create_server(address.host_port, backlog=1)
        except (OSError, UnicodeError) as error:
            reason = _reason(error)
            raise DeviceNotFound(f"cannot listen at {address.place} ({reason}): choose another port") from error

    def read(self, limit: int, patience_s: float) -> bytes | None:
        if self._sender is None:
            if not select.select([self._server], [], [], patience_s)[0]:
                return b""
            self._sender = self._server.accept()[0]
        return _receive(self._sender, limit, patience_s, self._place)

    def close(self) -> None:
        for end in (self._sender, self._server):
            if end is not None:
                end.close()


class _Pipe:
    """A named pipe, a file that grows, or standard input."""

    def __init__(self, address: StreamAddress) -> None:
        # The engine's standard input is closed, so read the window's through its process.
        path = address.place if address.kind == "pipe" else _standard_input()
        try:
            # Non-blocking, because the writer may open its end later.
            self._handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        except (OSError, ValueError) as error:
            reason = _reason(error)
            raise DeviceNotFound(f"cannot open the pipe {address.place or 'of standard input'}: {reason}") from error
        self._begun = False

    def read(self, limit: int, patience_s: float) -> bytes | None:
        ready = select.select([self._handle], [], [], patience_s)[0]
        if not ready:
            return b""
        try:
            data = os.read(self._handle, limit)
        except BlockingIOError:
            return b""
        if data:
            self._begun = True
            return data
        if self._begun:
            return None
        # No writer has opened its end yet, which is not the end of the stream.
        select.select([], [], [], patience_s)
        return b""

    def close(self) -> None:
        with contextlib.suppress(OSError):
            os.close(self._handle)


def _reason(error: Exception) -> str:
    """The system's error text, or that the name is invalid."""
    return (error.strerror or str(error)).lower() if isinstance(error, OSError) else "that is no name"


def _receive(end: socket.socket, limit: int, patience_s: float, place: str) -> bytes | None:
    end.settimeout(max(patience_s, 1e-3))
    try:
        data = end.recv(limit)
    except TimeoutError:
        return b""
    except OSError as error:
        raise DeviceLost(f"the connection to {place} broke: {(error.strerror or str(error)).lower()}") from error
    return data or None


def _standard_input() -> str:
    import multiprocessing

    parent = multiprocessing.parent_process()
    return "/dev/stdin" if parent is None else f"/proc/{parent.pid}/fd/0"
