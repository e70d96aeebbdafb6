"""First light on another computer as a runner, with remedies addressed to that computer."""

from typing import TYPE_CHECKING

import msgspec

from yarddial.session.first_light.result import CheckResult

if TYPE_CHECKING:
    from yarddial.distance.far_check import FarCheck
    from yarddial.distance.far_engine import FarEngine


class FarRunner:
    """Returns results from the link; a final loss of the link is a result as well."""

    def __init__(self, far: "FarEngine", check: "FarCheck") -> None:
        self._far, self._check = far, check
        self._told_end = False

    @property
    def running(self) -> bool:
        """True while more results may follow."""
        return not self._told_end

    def poll(self) -> list[CheckResult]:
        """Results since the last call."""
        is_done = self._check.is_done
        results = [self._there(msgspec.convert(result, CheckResult)) for result in self._check.results()]
        if is_done and not self._told_end:
            self._told_end = True
            if self._check.why:
                results.append(CheckResult("answers", "stop", self._check.why, "look at the link, then check again"))
        return results

    def cancel(self) -> None:
        """Cancel it at once."""
        self._told_end = True
        self._far.end_check(self._check)

    def _there(self, result: CheckResult) -> CheckResult:
        """Address the remedy to the far computer."""
        where = self._far.computer.name
        return msgspec.structs.replace(result, fix=f"on {where}: {result.fix}") if result.fix else result
