"""Findings of the bench: the fault with its number, why it matters, and how to fix it."""

from collections.abc import Callable

import msgspec

from yarddial.yard.mark import Mark
from yarddial.yard.station import Acknowledged, Station


class BenchFinding(msgspec.Struct, frozen=True):
    """A finding of the bench check.

    key : names the rule and the parts; the same for as long as the matter is the same.
    part : the part to open for it, if one stands out.
    safety : someone may be hurt or something burn; first among equals, can be acknowledged, never hidden.
    mend : makes the station in which it is mended, where one click can do that; `mend_label` says what it does.
    distance_m : how far people keep away, where that is what it says. margin_db : positive where more is tolerated.
    path : names of the parts from the source to what is harmed. assumes : what was assumed, a sentence each.
    seen : the person's acknowledgement, while the words are still the same.
    """

    key: str
    mark: Mark
    what: str
    why: str
    part: str = ""
    safety: bool = False
    mend_label: str = ""
    mend: Callable[[Station], Station] | None = None
    distance_m: float | None = None
    margin_db: float | None = None
    path: tuple[str, ...] = ()
    assumes: tuple[str, ...] = ()
    seen: Acknowledged | None = None
