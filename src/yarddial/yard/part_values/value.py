"""An editable value of a part."""

from collections.abc import Callable

import msgspec

from yarddial.yard.parts import Origin, Part

TYPED_NOTE = "typed in on Bench"
DRIVER_SAYS = "as the driver says"


class PartValue(msgspec.Struct, frozen=True):
    """An editable value of a part.

    key : unique within the part.
    text : as shown; `with_text` reads it back and raises a YardDialError with one sentence when it cannot.
    with_origin : sets where the value comes from; None where that cannot be set.
    choices : the allowed texts, where the choice is limited.
    main : shown in the part's summary.
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
    """Origin as people say it: 'measured 2026-05-02, tape'."""
    if origin.note == DRIVER_SAYS:
        return f"{DRIVER_SAYS}, {origin.date[:10]}"
    first = f"{origin.provenance} {origin.date[:10]}".strip()
    return f"{first}, {origin.note}" if origin.note else first
