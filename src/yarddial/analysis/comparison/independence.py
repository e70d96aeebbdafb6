"""One rule for repeated measurements: what repeats bit for bit is a copy, and no second measurement."""

from collections.abc import Hashable, Sequence

from yarddial.yard.errors import BadSamples

# Noise makes each measurement another; a few may coincide where a level is at the end of its scale.
MAX_COPIED_SHARE = 0.1


def require_independent(measurements: Sequence[Hashable], what: str) -> None:
    """Raise BadSamples when measurements repeat one another bit for bit.

    what : the plural that the message calls them by.
    """
    copies = len(measurements) - len(set(measurements))
    if copies > MAX_COPIED_SHARE * len(measurements):
        raise BadSamples(
            f"{copies} of {len(measurements)} {what} repeat others bit for bit: the same samples were measured again; "
            "record anew"
        )
