"""Workings: formula, values and source behind a result."""

import msgspec


class WorkedValue(msgspec.Struct, frozen=True):
    """A value in a formula: symbol, meaning, text and origin."""

    symbol: str
    meaning: str
    value: str
    source: str = ""


class Working(msgspec.Struct, frozen=True):
    """A result with its formula in standard symbols, its values, and the source of the formula."""

    title: str
    formulas: tuple[str, ...]
    values: tuple[WorkedValue, ...]
    result: str
    source: str = ""

    def as_text(self) -> str:
        """Write the working as plain lines, for the command line and the clipboard."""
        lines = [self.title, ""]
        lines += [f"  {formula}" for formula in self.formulas]
        lines += [""] + [
            f"  {v.symbol} = {v.value}   {v.meaning}" + (f" ({v.source})" if v.source else "") for v in self.values
        ]
        lines += ["", f"  {self.result}"]
        return "\n".join(lines + ([f"  after {self.source}"] if self.source else []))
