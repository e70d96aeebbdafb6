"""Sunrise and sunset at the station: a sky-wave wanders most around them."""

from datetime import UTC, datetime, timedelta

from yarddial.yard.locator import middle_of

# So near to sunrise or sunset a sky-wave is unsteady.
TWILIGHT_MARGIN = timedelta(hours=1)


def sun_sentence(locator: str, now: datetime) -> str:
    """When the sun rises and sets here today, UTC, and what that means for a sky-wave now; "" without a locator."""
    if not locator:
        return ""
    # Loaded where somebody has told where the station stands.
    from astral import Observer
    from astral.sun import sunrise, sunset

    latitude, longitude = middle_of(locator)
    at = Observer(latitude, longitude)
    # The sun's day at the station, which is not the calendar's day in UTC.
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
