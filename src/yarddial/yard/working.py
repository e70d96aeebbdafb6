"""How a number came about: every result of the core can show its working."""

import msgspec


class WorkedValue(msgspec.Struct, frozen=True):
    """One value put into a formula: its symbol, what it is, the value as text, and where it comes from."""

    symbol: str
    meaning: str
    value: str
    source: str = ""


class Working(msgspec.Struct, frozen=True):
    """A result with its formula in standard symbols, the values put in, and the source of the formula."""

    title: str
    formulas: tuple[str, ...]
    values: tuple[WorkedValue, ...]
    result: str
    source: str = ""

    def as_text(self) -> str:
        """Lay the working out as plain lines, for the command line and the clipboard."""
        lines = [self.title, ""]
        lines += [f"  {formula}" for formula in self.formulas]
        lines += [""] + [
            f"  {v.symbol} = {v.value}   {v.meaning}" + (f" ({v.source})" if v.source else "") for v in self.values
        ]
        lines += ["", f"  {self.result}"]
        return "\n".join(lines + ([f"  after {self.source}"] if self.source else []))
