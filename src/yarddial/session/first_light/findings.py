"""Finding from the last run of First light."""

from yarddial.session.finding import Finding, going
from yarddial.session.first_light.device_check import DeviceCheck
from yarddial.session.station.desk import Desk


def first_light_findings(device_check: DeviceCheck, desk: Desk) -> list[Finding]:
    """Report the worst result, except for rates that are not set."""
    set_hz = desk.route.receiver.rate_hz
    wrong = [] if device_check.running else [r for r in device_check.results if r.verdict in ("stop", "look")]
    wrong = [result for result in wrong if result.figures.get("rate_hz", set_hz) == set_hz]
    if not wrong:
        return []
    first = min(wrong, key=lambda result: result.verdict != "stop")
    what = f"First light: {device_check.receiver}, {first.name}: {first.detail}"
    return [going(first.verdict, what, first.fix, "First light")]
