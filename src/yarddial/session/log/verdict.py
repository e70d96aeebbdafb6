"""Over Log: how much is kept."""

from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.verdict import Verdict
from yarddial.session.wording import ago, capital, count_of


def log_verdict(log: LogKeeper) -> Verdict:
    """How much is kept, and whether all of it is."""
    entries = log.shown()
    count = count_of(len(entries), "entry", "entries")
    if log.trouble:
        what = f"{log.waiting} waiting" if log.waiting else "no log"
        return Verdict("stop", "The log cannot be written.", capital(log.trouble) + ".", what)
    if not entries:
        return Verdict(
            "unknown", "Nothing is logged yet.", "Every measurement and correction will be kept here.", "empty"
        )
    measured = [entry for entry in entries if entry.kind in ("observation", "verification")]
    last = f"Last measured {ago(measured[0].at_utc)}: {measured[0].text}." if measured else "Nothing measured yet."
    return Verdict("good", f"{count}, all of them kept.", last, count)
