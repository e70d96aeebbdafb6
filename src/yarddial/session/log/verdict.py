"""Verdict of Log: how much is stored."""

from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.verdict import Verdict
from yarddial.session.wording import ago, capital


def log_verdict(log: LogKeeper) -> Verdict:
    """Number of entries, and whether all are stored."""
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
    return Verdict("good", f"{count}, all of them saved.", last, count)
