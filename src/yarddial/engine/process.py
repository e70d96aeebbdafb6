"""The engine in a process of its own, so that neither a busy interface nor a hung driver harms the other."""

import contextlib
import threading
import time
from typing import TYPE_CHECKING

from yarddial.engine.commands import Command, Quit, Start, Stop
from yarddial.engine.events import Alive, Event, Started, Stopped
from yarddial.engine.link import OpenDevice
from yarddial.engine.patience import USUAL_PATIENCE, Patience

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

    from yarddial.engine.engine import Engine

# Events taken at once, so that a burst of columns cannot block the interface.
MAX_EVENTS = 64
# Events that may wait in a window that does not poll; the engine then drops pictures.
MAX_WAITING = 256
# Time to wait for a process whose window is gone; a driver may take part of it.
ALONE_S = 5.0
HANGING_REASONS = {
    "opening": "the receiver's driver does not come back from opening it: unplug it, plug it in, then start",
    "applying": "the receiver's driver does not come back from being set: unplug it, plug it in, then start",
    "reading": "the receiver's driver does not come back from a read: unplug it, plug it in, then start",
    "closing": "the receiver's driver does not come back from being closed: unplug it, plug it in, then start",
    "": "the receiver's process does not answer any more: it was stopped, or its driver holds it; Space starts it anew",
}
UNSTARTED_REASON = "the receiver's process does not start: free some memory or close other programs, then start"
DIED_REASON = "the receiver's process ended unexpectedly: press Space to start it again"


class EngineProcess:
    """Starts the process with the receiver, and again after it died.

    Until then nothing is sent: whoever starts the receiver requests the tuning again. No method waits.
    """

    def __init__(self, open_device: OpenDevice, *, in_thread: bool = True, patience: Patience = USUAL_PATIENCE) -> None:
        """`open_device` must be a module-level function, so that the other process can import it.

        in_thread : read the receiver in a thread of its own; not for receivers that run as fast as they can.
        """
        self._open_device, self._in_thread, self._patience = open_device, in_thread, patience
        self._running: _Running | None = None

    @property
    def pid(self) -> int | None:
        """Process id, for tests that kill it."""
        return self._running.process.pid if self._running else None

    def send(self, command: Command) -> None:
        """Send a command; only `Start` starts a process."""
        if isinstance(command, Start):
            self.warm()
        if self._running is not None:
            self._running.put(command)

    def warm(self) -> None:
        """Start the process in advance, so that the receiver starts at once."""
        if self._running is None:
            self._running = _Running(self._open_device, self._in_thread, self._patience)

    def poll(self) -> list[Event]:
        """Events since the last call; a dead, hung or silent process is reported as a stop with its reason."""
        running = self._running
        if running is None:
            return []
        events = running.take()
        why = next((event.reason for event in events if isinstance(event, Stopped) and event.process_ends), None)
        if why is not None:
            self._end(running)
        elif why_lost := running.why_lost():
            self._end(running)
            if running.wanted:
                events.append(Stopped(why_lost))
        return events

    def close(self) -> None:
        """End the process; a hung one is killed."""
        if self._running is None:
            return
        self._running.put(Quit())
        self._running.process.join(1.0)
        self._end(self._running)

    def _end(self, running: "_Running") -> None:
        """Kill the process: a hung one hears nothing else."""
        running.end()
        self._running = None


class _Running:
    """A process with a thread for each direction."""

    def __init__(self, open_device: OpenDevice, in_thread: bool, patience: Patience) -> None:
        import multiprocessing
        import queue

        from yarddial.engine.command_queue import CommandQueue

        self._patience = patience
        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        # A daemon process dies with the window.
        self.process: BaseProcess = context.Process(
            target=run_engine, args=(there, open_device, in_thread, patience), daemon=True
        )
        self.process.start()
        there.close()
        self._link: Connection = here
        self._commands = CommandQueue(here.send)
        # None: the other end is gone.
        self._events: queue.Queue[Event | None] = queue.Queue(MAX_WAITING)
        self._ended = self._is_gone = False
        self._begun_s = time.monotonic()
        self._heard_s: float | None = None
        self._alive = Alive()
        # True when a start waits for it, or it runs.
        self.wanted = False
        threading.Thread(target=self._receive_on, name="events", daemon=True).start()

    def put(self, command: Command) -> None:
        """Send a command to the process."""
        self.wanted = self.wanted or isinstance(command, Start)
        self._commands.put(command)

    def take(self) -> list[Event]:
        """Events that arrived from the process."""
        events: list[Event] = []
        while len(events) < MAX_EVENTS and not self._events.empty():
            event = self._events.get_nowait()
            self._heard_s = time.monotonic()
            match event:
                case None:
                    self._is_gone = True
                    break
                case Alive():
                    self._alive = event
                    continue
                case Started():
                    self._alive = Alive()
                case Stopped() if not event.replaced:
                    self.wanted = False
                case _:
                    pass
            events.append(event)
        return events

    def why_lost(self) -> str:
        """Reason to give the process up; empty without one. Call it after taking all its events."""
        if self._is_gone:
            return DIED_REASON
        if not self._events.empty():
            return ""
        now_s = time.monotonic()
        if self._heard_s is None:
            return UNSTARTED_REASON if now_s - self._begun_s > self._patience.starts_s else ""
        patience = self._patience
        if now_s - self._heard_s > patience.silent_s:
            return HANGING_REASONS[self._alive.doing]
        if self._alive.still_s >= patience.silent_s - patience.beat_s or self._alive.lasts_s > patience.lasts_s:
            return HANGING_REASONS[self._alive.doing]
        return ""

    def end(self) -> None:
        """Kill the process; the threads end with it."""
        self._ended = True
        self._commands.end()
        self.process.kill()

    def _receive_on(self) -> None:
        from queue import Full

        event: Event | None = None
        while not self._ended:
            try:
                event = self._link.recv()
            except (EOFError, OSError):
                event = None
            while not self._ended:
                with contextlib.suppress(Full):
                    self._events.put(event, timeout=0.5)
                    break
            if event is None:
                return


def run_engine(link: "Connection", open_device: OpenDevice, in_thread: bool, patience: Patience) -> None:
    """Main function of the engine process: commands in, events out, until told to quit or the window is gone."""
    import signal

    from yarddial.engine.engine import Engine
    from yarddial.engine.heartbeat import Heartbeat
    from yarddial.engine.outbox import Outbox

    # Ctrl+C in the terminal is for the window, which then ends this process in order.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    outbox = Outbox(link.send)
    engine = Engine(open_device, outbox.put, in_thread=in_thread, patience=patience)
    Heartbeat(engine, outbox, patience.beat_s)
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
    _end_alone(engine)


def _end_alone(engine: "Engine") -> None:
    """The window is gone: complete recordings, then end the process whatever its threads do."""
    import os

    late = threading.Timer(ALONE_S, os._exit, (1,))
    late.daemon = True
    late.start()
    with contextlib.suppress(Exception):
        engine.handle(Stop())
    os._exit(0)
