"""A finding of the bench: what is wrong with its number, why it matters, what mends it."""

from collections.abc import Callable

import msgspec

from yarddial.yard.mark import Mark
from yarddial.yard.station import Acknowledged, Station


class BenchFinding(msgspec.Struct, frozen=True):
    """One finding.

    key : names the rule and the parts; the same for as long as the matter is the same.
    part : the part to open for it, if one stands out.
    safety : someone may be hurt or something burn; stands first and can be acknowledged, never hidden.
    mend : makes the station in which it is mended, where one click can do that; `mend_label` says what it does.
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
    seen: Acknowledged | None = None
