"""What every verdict is: a mark, one sentence, what follows from it, a few words for the column of places."""

import msgspec

from yarddial.yard.mark import Mark


class Verdict(msgspec.Struct, frozen=True):
    """A mark, one sentence, and what follows from it."""

    mark: Mark
    sentence: str
    consequence: str
    short: str
