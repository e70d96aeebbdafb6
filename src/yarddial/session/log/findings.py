"""Findings about the log."""

from yarddial.session.finding import Act, Finding, going
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.yard.plain_text import count_of


def log_findings(log: LogKeeper) -> list[Finding]:
    """Report unsaved entries, unreadable rows and repairs."""
    findings: list[Finding] = []
    if log.is_damaged:
        why = f"{log.waiting} waiting in memory until then"
        findings.append(Finding("stop", f"Log: {log.trouble}", why, Act("restore the log"), "Restore a copy"))
    elif log.trouble:
        findings.append(going("stop", f"Log: {log.trouble}", f"{log.waiting} waiting in memory until then", "Log"))
    if log.unreadable:
        what = f"Log: {len(log.unreadable):,} of {log.count:,} entries cannot be read"
        first = min(log.unreadable)
        why = f"number {first}: {log.unreadable[first].why}; they are left out, and stay in the log"
        findings.append(Finding("look", what, why, Act("export unreadable"), "Export them"))
    if log.remark:
        findings.append(going("look", f"Log: {log.remark}", "look whether another program did that", "Log"))
    if log.added_late:
        what = f"Log: {count_of(log.added_late, 'entry', 'entries')} of an earlier session added"
        findings.append(going("look", what, "the log could not take them then; they are in it now", "Log"))
    if log.copy_trouble:
        findings.append(going("look", f"Log: {log.copy_trouble}", "the log itself is as it was", "Log"))
    return findings
