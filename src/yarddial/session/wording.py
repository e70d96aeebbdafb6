"""Phrases shared by several verdicts."""

from datetime import UTC, datetime

from yarddial.yard import clock


def joined(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Merge rising spans that touch or overlap."""
    stretches: list[tuple[float, float]] = []
    for low, high in spans:
        if stretches and low <= stretches[-1][1]:
            stretches[-1] = (stretches[-1][0], max(high, stretches[-1][1]))
        else:
            stretches.append((low, high))
    return stretches


def ago(at_utc: str) -> str:
    """Write a past moment as people say it."""
    then = datetime.strptime(at_utc, "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
    minutes = (clock.now() - then).total_seconds() / 60
    if minutes < 1.5:
        return "just now"
    if minutes < 90:
        return f"{minutes:.0f} min ago"
    return f"{minutes / 60:.0f} h ago" if minutes < 2880 else f"on {at_utc[:10]}"


def capital(text: str) -> str:
    """Make a clause the start of a sentence, without its full stop."""
    return text[:1].upper() + text[1:].rstrip(".")
