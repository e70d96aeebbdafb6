"""Values with uncertainty and origin: measured beats stated, stated beats assumed."""

from typing import Literal

import msgspec

Provenance = Literal["measured", "stated", "assumed"]


class Value(msgspec.Struct, frozen=True, omit_defaults=True):
    """A number with its one-sigma uncertainty and origin.

    A measured value keeps the stated one that it replaced in `replaces`.
    """

    value: float
    sigma: float = 0.0
    provenance: Provenance = "stated"
    date: str = ""
    note: str = ""
    replaces: "Value | None" = None

    def measured(self, value: float, sigma: float, date: str, note: str) -> "Value":
        """Return a measured value that replaces this one; the first unmeasured value is kept."""
        replaced = self.replaces if self.provenance == "measured" else self
        return Value(value, sigma, "measured", date, note, replaced)

    def unmeasured(self) -> "Value":
        """Return the value from before any measurement."""
        return self.replaces if self.provenance == "measured" and self.replaces is not None else self


class Origin(msgspec.Struct, frozen=True, omit_defaults=True):
    """Origin of a plain field."""

    provenance: Provenance = "stated"
    date: str = ""
    note: str = ""


# Origins of a part's plain fields by field name; "*" holds for the rest.
Origins = dict[str, Origin]


def origin_of(part: object, field: str) -> Origin:
    """Origin of one field of a part; where none is recorded it is the usual of its class."""
    value = getattr(part, field)
    if isinstance(value, Value):
        return Origin(value.provenance, value.date, value.note)
    origins: Origins = getattr(part, "origins", {})
    return origins.get(field) or origins.get("*") or Origin("assumed", note="usual for its class")
