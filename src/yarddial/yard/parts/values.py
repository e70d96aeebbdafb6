"""Values and where they come from: measured beats stated, stated beats assumed."""

from typing import Literal

import msgspec

Provenance = Literal["measured", "stated", "assumed"]


class Value(msgspec.Struct, frozen=True, omit_defaults=True):
    """A number with its one-sigma uncertainty and where it came from.

    A measured value keeps the stated one that it took the place of in `replaces`.
    """

    value: float
    sigma: float = 0.0
    provenance: Provenance = "stated"
    date: str = ""
    note: str = ""
    replaces: "Value | None" = None

    def measured(self, value: float, sigma: float, date: str, note: str) -> "Value":
        """Return a measured value in place of this one; the first value that was not measured is kept."""
        replaced = self.replaces if self.provenance == "measured" else self
        return Value(value, sigma, "measured", date, note, replaced)

    def unmeasured(self) -> "Value":
        """Return the value as it was before anything was measured."""
        return self.replaces if self.provenance == "measured" and self.replaces is not None else self


class Origin(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a plain field comes from."""

    provenance: Provenance = "stated"
    date: str = ""
    note: str = ""


# Origins of a part's plain fields by the field's name; what is not listed stands under "*".
Origins = dict[str, Origin]


def origin_of(part: object, field: str) -> Origin:
    """Where one field of a part comes from; with no word about it, its class is all that speaks for it."""
    value = getattr(part, field)
    if isinstance(value, Value):
        return Origin(value.provenance, value.date, value.note)
    origins: Origins = getattr(part, "origins", {})
    return origins.get(field) or origins.get("*") or Origin("assumed", note="usual for its class")
