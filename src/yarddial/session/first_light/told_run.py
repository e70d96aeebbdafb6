"""A run of First light for another computer, with results field by field."""

from typing import Any

import msgspec

from yarddial.session.first_light.runner import Runner


class ToldRun:
    """A run of checks on a far computer, as `distance` provides it."""

    def __init__(self, runner: Runner) -> None:
        self._runner = runner

    @property
    def running(self) -> bool:
        """True while more results may follow."""
        return self._runner.running

    def poll(self) -> list[dict[str, Any]]:
        """Results since the last call."""
        return [msgspec.to_builtins(result) for result in self._runner.poll()]

    def cancel(self) -> None:
        """Cancel it at once."""
        self._runner.cancel()
