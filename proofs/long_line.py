"""A long line between a program and a daemon: answers late and in turn, some lost, some doubled. For the proofs."""

import random
import socket
import threading
import time
from contextlib import suppress
from queue import SimpleQueue


class LongLine:
    """Forwards lines both ways; each answer takes `delay_s`, a share of them never comes, a share comes twice."""

    def __init__(self, port: int, delay_s: float, lost: float, doubled: float, seed: int) -> None:
        self._port, self.delay_s, self._lost, self._doubled = port, delay_s, lost, doubled
        self._chance = random.Random(seed)
        self._server = socket.create_server(("127.0.0.1", 0))
        self.port = int(self._server.getsockname()[1])
        threading.Thread(target=self._accept, daemon=True).start()

    def close(self) -> None:
        """Cut it."""
        with suppress(OSError):
            self._server.shutdown(socket.SHUT_RDWR)
        self._server.close()

    def _accept(self) -> None:
        with suppress(OSError):
            while True:
                near, _ = self._server.accept()
                far = socket.create_connection(("127.0.0.1", self._port))
                late: SimpleQueue[tuple[float, bytes]] = SimpleQueue()
                for run, ends in ((self._ask, (near, far)), (self._read, (far, late)), (self._answer, (late, near))):
                    threading.Thread(target=run, args=ends, daemon=True).start()

    @staticmethod
    def _ask(near: socket.socket, far: socket.socket) -> None:
        with suppress(OSError):
            while came := near.recv(4096):
                far.sendall(came)
        far.close()

    def _read(self, far: socket.socket, late: "SimpleQueue[tuple[float, bytes]]") -> None:
        with suppress(OSError), far.makefile("rb") as lines:
            for line in lines:
                if self._chance.random() >= self._lost:
                    late.put((time.monotonic() + self.delay_s, line * (1 + (self._chance.random() < self._doubled))))

    @staticmethod
    def _answer(late: "SimpleQueue[tuple[float, bytes]]", near: socket.socket) -> None:
        with suppress(OSError):
            while True:
                due_s, line = late.get()
                time.sleep(max(due_s - time.monotonic(), 0.0))
                near.sendall(line)
