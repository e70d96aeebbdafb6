"""Time on the simulated air: it goes on while a receiver is closed and opened again, with fresh noise each time."""

# Openings of each address in this process, and the second that its last one reached.
_OPENINGS: dict[str, int] = {}
_REACHED_S: dict[str, float] = {}


def next_opening(address: str) -> tuple[int, float]:
    """Number of this opening, from 0, and the second on the air at which it begins."""
    number = _OPENINGS.get(address, 0)
    _OPENINGS[address] = number + 1
    return number, _REACHED_S.get(address, 0.0)


def reached(address: str, second: float) -> None:
    """Note how far an opening has come."""
    _REACHED_S[address] = max(second, _REACHED_S.get(address, 0.0))


def begin_anew() -> None:
    """Put the air back to its first second, for tests that must not depend on one another."""
    _OPENINGS.clear()
    _REACHED_S.clear()
