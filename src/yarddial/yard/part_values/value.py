"""One value of a part as a person sees it."""

from collections.abc import Callable

import msgspec

from yarddial.yard.parts import Origin, Part

TYPED_NOTE = "typed in on Bench"
DRIVER_SAYS = "as the driver says"


class PartValue(msgspec.Struct, frozen=True):
    """One value of a part.

    key : tells it from all others of the part.
    text : as shown; `with_text` reads it back and raises a YardDialError in one sentence when it cannot.
    with_origin : the part with another word on where the value comes from; None where that cannot be said.
    choices : the texts allowed, where there are only a few.
    main : one of the few that stand in the part's summary.
    """

    key: str
    label: str
    text: str
    origin: Origin
    with_text: Callable[[str, str], Part]
    with_origin: Callable[[Origin], Part] | None = None
    choices: tuple[str, ...] = ()
    hint: str = ""
    main: bool = False


def origin_text(origin: Origin) -> str:
    """As people say it: 'measured 2026-05-02, tape'."""
    if origin.note == DRIVER_SAYS:
        return f"{DRIVER_SAYS}, {origin.date[:10]}"
    first = f"{origin.provenance} {origin.date[:10]}".strip()
    return f"{first}, {origin.note}" if origin.note else first
