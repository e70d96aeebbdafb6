"""First light in a process of its own, so that a driver that hangs or dies takes only that with it."""

from collections.abc import Callable, Iterator
from typing import Protocol

from yarddial.session.first_light.result import CheckResult
from yarddial.session.helper_process import Ended, Helper, HelperInline, HelperProcess

# Makes the results of a run; a plain function with plain arguments, so that another process can call it.
MakeResults = Callable[[], Iterator[CheckResult]]
ENDING_RESULTS: dict[Ended, CheckResult] = {
    "gone": CheckResult(
        "stays", "stop", "the check's process ended unexpectedly", "check again; if it recurs, suspect the driver"
    ),
    "hangs": CheckResult(
        "answers", "stop", "the driver does not come back from a call", "unplug it, plug it in; then check again"
    ),
}
# Longest duration of a single check.
PATIENCE_S = 45.0


class Runner(Protocol):
    """A run of checks whose results are polled."""

    def poll(self) -> list[CheckResult]:
        """Results since the last call."""
        ...

    @property
    def running(self) -> bool:
        """True while more results may follow."""
        ...

    def cancel(self) -> None:
        """Cancel it at once."""
        ...


class HelpedRunner:
    """A run in a helper process; a helper that dies or hangs gives a result as well."""

    def __init__(self, helper: Helper[CheckResult]) -> None:
        self._helper = helper

    @property
    def running(self) -> bool:
        """True while more results may follow."""
        return not self._helper.ended

    def poll(self) -> list[CheckResult]:
        """Results since the last call."""
        was_running = self.running
        messages = self._helper.poll()
        if was_running and self._helper.ended in ENDING_RESULTS:
            messages.append(ENDING_RESULTS[self._helper.ended])
        return messages

    def cancel(self) -> None:
        """Cancel it at once."""
        self._helper.cancel()


def process_runner(make: MakeResults) -> Runner:
    """Make a run in a process of its own."""
    return HelpedRunner(HelperProcess(make, PATIENCE_S))


def inline_runner(make: MakeResults) -> Runner:
    """Make a run in this process, one check per poll."""
    return HelpedRunner(HelperInline(make))
