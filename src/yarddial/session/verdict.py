"""A verdict: mark, one sentence, its consequence, and a few words for the column of places."""

import msgspec

from yarddial.yard.mark import Mark


class Verdict(msgspec.Struct, frozen=True):
    """A mark, one sentence, and its consequence."""

    mark: Mark
    sentence: str
    consequence: str
    short: str
