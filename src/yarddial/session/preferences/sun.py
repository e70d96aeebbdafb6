"""Sunrise and sunset at the station, around which sky waves are least steady."""

from datetime import UTC, datetime, timedelta

from yarddial.yard.locator import middle_of

# Within this of sunrise or sunset a sky wave is unsteady.
TWILIGHT_MARGIN = timedelta(hours=1)


def sun_sentence(locator: str, now: datetime) -> str:
    """Today's sunrise and sunset, UTC, and their effect on sky waves now; empty without a locator."""
    if not locator:
        return ""
    # Imported only when the station's location is known.
    from astral import Observer
    from astral.sun import sunrise, sunset

    latitude, longitude = middle_of(locator)
    at = Observer(latitude, longitude)
    # Solar day at the station, which differs from the UTC date.
    day = (now + timedelta(hours=longitude / 15)).date()
    try:
        moments = [(sunrise(at, day, tzinfo=UTC), "rises"), (sunset(at, day, tzinfo=UTC), "sets")]
    except ValueError:
        return "The sun neither rises nor sets here today."
    moment_words = " and ".join(f"{name} at {moment:%H:%M}" for moment, name in moments)
    near = [name for moment, name in moments if abs(moment - now) < TWILIGHT_MARGIN]
    if near:
        return f"The sun {moment_words} UTC here: it is near that now, a sky-wave is at its worst."
    return f"The sun {moment_words} UTC here; it is not near that now."
