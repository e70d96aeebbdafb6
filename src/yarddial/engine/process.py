"""The engine in a process of its own, so that neither a busy interface nor a hung driver harms the other."""

import contextlib
import time
from typing import TYPE_CHECKING

from yarddial.engine.link import OpenDevice
from yarddial.engine.messages import Command, Event, Quit, Start, Started, Stopped

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

# Events taken in one go, so that a burst of columns cannot hold up the interface.
MOST_EVENTS = 64
# Opening takes a second or two; the process itself starts in about one.
OPENS_S = 20.0


class EngineProcess:
    """Begins the process when the receiver is started, and again after it died.

    Until then nothing is sent: whoever starts the receiver tells anew where to look.
    """

    def __init__(self, open_device: OpenDevice, *, in_thread: bool = True) -> None:
        """`open_device` must be a function of a module, so that the other process can find it.

        in_thread : read the receiver in a thread of its own; not for receivers that run as fast as they can.
        """
        self._open_device, self._in_thread = open_device, in_thread
        self._process: BaseProcess | None = None
        self._link: Connection | None = None
        self._asked_s: float | None = None

    @property
    def pid(self) -> int | None:
        """Process number, for tests that kill it."""
        return self._process.pid if self._process else None

    def send(self, command: Command) -> None:
        """Ask; only `Start` begins a process when there is none."""
        if isinstance(command, Start):
            self.warm()
            self._asked_s = time.monotonic()
        if self._link is not None:
            with contextlib.suppress(OSError):
                self._link.send(command)

    def warm(self) -> None:
        """Begin the process ahead of need, so that the receiver starts at once when it is wanted."""
        if self._link is None:
            self._link = self._launch()

    def poll(self) -> list[Event]:
        """Events since the last call; a dead process is reported as a stop with its reason."""
        events: list[Event] = []
        if self._link is None or self._process is None:
            return events
        try:
            while len(events) < MOST_EVENTS and self._link.poll():
                event = self._link.recv()
                events.append(event)
                if isinstance(event, Started | Stopped):
                    self._asked_s = None
                if isinstance(event, Stopped) and event.process_ends:
                    self._end()
                    return events
        except (EOFError, OSError):
            self._forget()
            events.append(Stopped("the receiver's process ended unexpectedly: press Space to start it again"))
        if self._asked_s is not None and time.monotonic() - self._asked_s > OPENS_S:
            self._end()
            events.append(Stopped("the receiver's driver does not come back from opening it: unplug it, plug it in"))
        return events

    def close(self) -> None:
        """End the process; a hung one is killed."""
        process = self._process
        if process is None:
            return
        self.send(Quit())
        process.join(1.0)
        if process.is_alive():
            process.kill()
            process.join(1.0)
        self._forget()

    def _launch(self) -> "Connection":
        import multiprocessing

        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        # A daemon dies with the window, whatever becomes of that.
        self._process = context.Process(
            target=run_engine, args=(there, self._open_device, self._in_thread), daemon=True
        )
        self._process.start()
        there.close()
        return here

    def _end(self) -> None:
        """Kill the process: whatever hangs in it hears nothing else."""
        if self._process is not None:
            self._process.kill()
        self._forget()

    def _forget(self) -> None:
        if self._link is not None:
            self._link.close()
        self._process, self._link, self._asked_s = None, None, None


def run_engine(link: "Connection", open_device: OpenDevice, in_thread: bool) -> None:
    """The other process: commands in, blocks through, events out, until told to quit or the window is gone."""
    import signal

    from yarddial.engine.engine import Engine
    from yarddial.engine.outbox import Outbox

    # Ctrl+C in the terminal is for the window, which then ends this process in good order.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    outbox = Outbox(link.send)
    engine = Engine(open_device, outbox.put, in_thread=in_thread)
    with contextlib.suppress(EOFError, BrokenPipeError, ConnectionResetError):
        while True:
            while link.poll(None if not engine.running else 0):
                command = link.recv()
                if isinstance(command, Quit):
                    engine.handle(command)
                    outbox.close()
                    return
                engine.handle(command)
            engine.step()
            if engine.hangs:
                # A thread is stuck inside the driver; only the end of the process frees what it holds.
                outbox.close()
                return
