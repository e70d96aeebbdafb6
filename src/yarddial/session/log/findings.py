"""What is wrong with the log."""

from yarddial.session.finding import Finding, going
from yarddial.session.log.log_keeper import LogKeeper


def log_findings(log: LogKeeper) -> list[Finding]:
    """What it could not take."""
    if not log.trouble:
        return []
    return [going("stop", f"Log: {log.trouble}", f"{log.waiting} waiting, kept in memory until then", "Log")]
