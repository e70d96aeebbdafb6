"""Work with intermediate answers in a process of its own, so that a hang or crash affects only that."""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Generic, Literal, Protocol, TypeVar

from yarddial.yard import clock

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

Given = TypeVar("Given")
Ended = Literal["", "done", "gone", "hangs", "cancelled"]


class Helper(Protocol[Given]):
    """A worker whose answers are polled. `ended` : why no more will come; empty while more may."""

    ended: Ended

    def poll(self) -> list[Given]:
        """Answers since the last call."""
        ...

    def cancel(self) -> None:
        """Cancel it at once."""
        ...


class HelperProcess(Generic[Given]):
    """Starts a process at once.

    make : yields the answers; a plain function with plain arguments, so that another process can call it.
    patience_s : the longest time between two answers.
    """

    def __init__(self, make: Callable[[], Iterator[Given]], patience_s: float) -> None:
        import multiprocessing

        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        self._link: Connection | None = here
        self._process: BaseProcess = context.Process(target=answer_on, args=(there, make), daemon=True)
        self._process.start()
        there.close()
        self._patience_s, self._heard_s = patience_s, clock.monotonic_s()
        self.ended: Ended = ""

    def poll(self) -> list[Given]:
        """Answers since the last call; a process that died or hangs has ended afterwards."""
        messages: list[Given] = []
        try:
            while self._link is not None and self._link.poll():
                answer = self._link.recv()
                if answer is None:
                    self._finish("done")
                    break
                messages.append(answer)
        except (EOFError, OSError):
            self._finish("gone")
        if messages:
            self._heard_s = clock.monotonic_s()
        elif self._link is not None and clock.monotonic_s() - self._heard_s > self._patience_s:
            self._kill("hangs")
        return messages

    def cancel(self) -> None:
        """Kill it, since a hung process hears nothing else."""
        if not self.ended:
            self._kill("cancelled")

    def _kill(self, why: Ended) -> None:
        if self._process.is_alive():
            self._process.kill()
        self._finish(why)

    def _finish(self, why: Ended) -> None:
        self.ended = why
        if self._link is not None:
            self._link.close()
        self._link = None
        self._process.join(0.5)


class HelperInline(Generic[Given]):
    """One answer per poll, in this process; for tests and pictures."""

    def __init__(self, make: Callable[[], Iterator[Given]]) -> None:
        self._answers: Iterator[Given] | None = make()
        self.ended: Ended = ""

    def poll(self) -> list[Given]:
        """Next answer of the helper, or None."""
        if self._answers is None:
            return []
        answer = next(self._answers, None)
        if answer is None:
            self._answers, self.ended = None, "done"
        return [] if answer is None else [answer]

    def cancel(self) -> None:
        """Stop waiting for the helper."""
        self._answers, self.ended = None, self.ended or "cancelled"


def answer_on(link: "Connection", make: Callable[[], Iterator[object]]) -> None:
    """Main function of the process: send answers as they come, then the end."""
    import contextlib
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(BrokenPipeError, ConnectionResetError):
        for answer in make():
            link.send(answer)
        link.send(None)
