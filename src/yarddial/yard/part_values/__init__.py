"""Values of a part as a person reads and edits them: label, text and origin."""

from yarddial.yard.part_values.by_part import values_of
from yarddial.yard.part_values.value import PartValue, origin_text

__all__ = ["PartValue", "origin_text", "values_of"]
