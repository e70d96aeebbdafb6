"""Values of messages held to the types of their fields: what a type hint promises is what a program may rely on."""

import types
from functools import cache
from math import isfinite, isnan
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import msgspec
import numpy as np
from numpy.typing import NDArray

# No quantity of a receiver is larger, and no text or list of an event longer.
MAX_NUMBER, MAX_WHOLE, MAX_LETTERS, MAX_ITEMS = 1e15, 1 << 62, 1 << 20, 200_000
# Fields of these endings may be infinite: an uncertainty of what is unknown, a level of nothing.
UNBOUNDED = ("sigma_hz", "sigma_ppm", "_db", "_dbfs", "_dbfs_hz", "sigma", "residual")


def check_fields(value: msgspec.Struct, names: dict[str, type]) -> None:
    """Hold every field to its hint, nested structs included; raises ValueError, which names the field.

    names : types that hints name as text.
    """
    kind = type(value)
    for field, hint in _hints(kind, tuple(sorted(names.items()))).items():
        if not _fits(getattr(value, field), hint, field):
            raise ValueError(f"{kind.__name__}.{field} is out of bounds")


@cache
def _hints(kind: type, names: tuple[tuple[str, type], ...]) -> dict[str, Any]:
    return get_type_hints(kind, localns=dict(names), include_extras=True)


def _fits(value: Any, hint: Any, field: str) -> bool:
    origin, arguments = get_origin(hint), get_args(hint)
    if hint is Any:
        return True
    if origin is Annotated:
        return _fits(value, arguments[0], field)
    if origin in (Union, types.UnionType):
        return any(_fits(value, option, field) for option in arguments)
    if origin is Literal:
        return value in arguments
    if hint is None or hint is type(None):
        return value is None
    if isinstance(value, np.ndarray) or origin is np.ndarray:
        return isinstance(value, np.ndarray) and _is_array_hint(hint) and value.ndim <= 3
    if origin in (tuple, list, frozenset):
        return _fits_items(value, origin, arguments, field)
    if origin is dict or hint is dict:
        return isinstance(value, dict) and len(value) <= MAX_ITEMS
    return _fits_plain(value, hint, field)


def _fits_items(value: Any, origin: Any, arguments: tuple[Any, ...], field: str) -> bool:
    if not isinstance(value, origin) or len(value) > MAX_ITEMS:
        return False
    if origin is tuple and arguments[-1] is not Ellipsis:
        return len(value) == len(arguments) and all(
            _fits(item, hint, field) for item, hint in zip(value, arguments, strict=True)
        )
    return all(_fits(item, arguments[0], field) for item in value)


def _fits_plain(value: Any, hint: Any, field: str) -> bool:
    if hint is bool:
        return isinstance(value, bool)
    if hint is int:
        return isinstance(value, int) and not isinstance(value, bool) and abs(value) <= MAX_WHOLE
    if hint is float:
        if isinstance(value, bool) or not isinstance(value, int | float) or isnan(value):
            return False
        return abs(value) <= MAX_NUMBER if isfinite(value) else field.endswith(UNBOUNDED)
    if hint is str:
        return isinstance(value, str) and len(value) <= MAX_LETTERS
    return isinstance(value, hint) if isinstance(hint, type) else True


def _is_array_hint(hint: Any) -> bool:
    return get_origin(hint) is np.ndarray or get_origin(hint) is get_origin(NDArray[np.float32])
