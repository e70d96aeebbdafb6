"""Verdict of Log: how much is stored."""

from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.verdict import Verdict
from yarddial.session.wording import ago, capital

KEEPS_DEMO = "To keep it, choose Menu, Yard, Make the demo yard mine."


def log_verdict(log: LogKeeper, *, is_temporary: bool = False) -> Verdict:
    """Number of entries, and whether all are stored; those of a demo yard go with its window."""
    count = f"{log.count:,} {'entry' if log.count == 1 else 'entries'}".replace(",", "\u202f")
    if log.trouble:
        what = f"{log.waiting} waiting" if log.waiting else "no log"
        return Verdict("stop", "The log cannot be written.", capital(log.trouble) + ".", what)
    if not log.count:
        return Verdict(
            "unknown", "Nothing is logged yet.", "Every measurement and correction will stand here.", "empty"
        )
    measured = log.last_measured
    last = f"Last measured {ago(measured.at_utc)}: {measured.text}." if measured else "Nothing measured yet."
    if log.unreadable:
        bad = f"{len(log.unreadable):,}".replace(",", "\u202f")
        return Verdict("look", f"{bad} of {count} cannot be read.", last, f"{bad} unreadable")
    if is_temporary:
        return Verdict("good", f"{count}, until this demo yard is closed.", f"{last} {KEEPS_DEMO}", count)
    return Verdict("good", f"{count}, all of them saved.", last, count)
