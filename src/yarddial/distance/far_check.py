"""First light on a far computer, reported here check by check."""

from typing import Any, Protocol

import msgspec

# Larger than any station file.
MAX_STATION = 60_000


class CheckReceiver(msgspec.Struct, frozen=True):
    """Run all checks on an offered receiver. station : contents of its file; route : one of its routes."""

    number: int
    address: str
    station: str
    route: str


class EndCheck(msgspec.Struct, frozen=True):
    """Stop listening to the run."""

    number: int


class CheckTold(msgspec.Struct, frozen=True):
    """New results, field by field; whether more will follow, or why not."""

    number: int
    results: tuple[dict[str, Any], ...]
    is_done: bool = False
    why: str = ""


class CheckRun(Protocol):
    """A run on this computer, as the server sees it."""

    def poll(self) -> list[dict[str, Any]]:
        """Results since the last call."""
        ...

    @property
    def running(self) -> bool:
        """True while more results may follow."""
        ...

    def cancel(self) -> None:
        """Cancel it at once."""
        ...


class FarCheck:
    """A run on another computer, as its requester sees it. Ends once.

    why : why it ended early; empty otherwise.
    """

    def __init__(self, number: int) -> None:
        self.number = number
        self.is_done = False
        self.why = ""
        self._results: list[dict[str, Any]] = []

    def take(self, message: CheckTold) -> None:
        """Process a report."""
        if message.number == self.number and not self.is_done:
            self._results += message.results
            self.is_done, self.why = message.is_done, message.why

    def end(self, why: str) -> None:
        """End the run with a reason."""
        if not self.is_done:
            self.is_done, self.why = True, why

    def results(self) -> list[dict[str, Any]]:
        """Results that arrived since the last call."""
        new_results, self._results = self._results, []
        return new_results
