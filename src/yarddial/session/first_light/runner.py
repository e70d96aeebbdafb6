"""First light in a process of its own: a driver that hangs or dies takes only that with it."""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Protocol

from yarddial.session.first_light.result import CheckResult
from yarddial.yard import clock

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

# Makes the results of a run; a plain function with plain arguments, so that it can be handed to another process.
MakeResults = Callable[[], Iterator[CheckResult]]
GONE = CheckResult(
    "stays", "stop", "the check's process ended unexpectedly", "check again; if it recurs, suspect the driver"
)
HANGS = CheckResult(
    "answers", "stop", "the driver does not come back from a call", "unplug it, plug it in; then check again"
)
# No single check takes longer.
PATIENCE_S = 45.0


class Runner(Protocol):
    """Gives results as they come."""

    def poll(self) -> list[CheckResult]:
        """Results since the last call."""
        ...

    @property
    def running(self) -> bool:
        """True while there may be more."""
        ...

    def cancel(self) -> None:
        """End it at once."""
        ...


class ProcessRunner:
    """Begins a process at once."""

    def __init__(self, make: MakeResults) -> None:
        import multiprocessing

        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        self._link: Connection | None = here
        self._process: BaseProcess = context.Process(target=run_checks, args=(there, make), daemon=True)
        self._process.start()
        there.close()
        self._heard_s = clock.monotonic_s()

    @property
    def running(self) -> bool:
        """True while there may be more."""
        return self._link is not None

    def poll(self) -> list[CheckResult]:
        """Results since the last call; a process that died is one of them."""
        found: list[CheckResult] = []
        try:
            while self._link is not None and self._link.poll():
                result = self._link.recv()
                if result is None:
                    self._finish()
                    break
                found.append(result)
        except (EOFError, OSError):
            self._finish()
            found.append(GONE)
        if found:
            self._heard_s = clock.monotonic_s()
        elif self._link is not None and clock.monotonic_s() - self._heard_s > PATIENCE_S:
            self.cancel()
            found.append(HANGS)
        return found

    def cancel(self) -> None:
        """Kill it: a hung driver hears nothing else."""
        if self._process.is_alive():
            self._process.kill()
        self._finish()

    def _finish(self) -> None:
        if self._link is not None:
            self._link.close()
        self._link = None
        self._process.join(0.5)


class InlineRunner:
    """One check a poll, in this process; for tests and pictures."""

    def __init__(self, make: MakeResults) -> None:
        self._results: Iterator[CheckResult] | None = make()

    @property
    def running(self) -> bool:
        """True while there may be more."""
        return self._results is not None

    def poll(self) -> list[CheckResult]:
        """The next result."""
        if self._results is None:
            return []
        result = next(self._results, None)
        if result is None:
            self._results = None
        return [] if result is None else [result]

    def cancel(self) -> None:
        """Leave it."""
        self._results = None


def run_checks(link: "Connection", make: MakeResults) -> None:
    """The other process: results as they come, then nothing."""
    import contextlib
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(BrokenPipeError, ConnectionResetError):
        for result in make():
            link.send(result)
        link.send(None)
