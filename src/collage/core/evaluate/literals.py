"""Literals as the arrays that functions take and give."""

from __future__ import annotations

from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Value
from collage.core.document.types import CHANNELS, parse
from collage.core.images.store import ImageRef

Loud = tuple[float, float, float]
LOUD: Loud = (1.0, 0.05, 0.6)
"""The colour of what cannot be computed."""

_KINDS: dict[str, Any] = {"integer": np.dtype(np.int32), "boolean": np.dtype(np.bool_)}


def as_array(value: Value, type_name: str) -> np.ndarray:
    """A literal as (k, 1): float32, or int32 and bool for whole numbers and yes/no. Raises CollageError."""
    try:
        array = np.array(value, _KINDS.get(type_name, np.float32)).reshape(-1, 1)
    except (ValueError, TypeError, OverflowError):
        raise unread(str(value), type_name) from None
    if len(array) != CHANNELS.get(type_name, len(array)):
        raise unread(str(value), type_name)
    return array


def read_literal(type_name: str, text: str) -> Value | None:
    """The value that a text stands for. Raises CollageError where it does not fit the type."""
    try:
        return parse(type_name, text)
    except ValueError:
        raise unread(text, type_name) from None


def unread(text: str, type_name: str) -> CollageError:
    """The sentence for a value that does not fit the type of its input."""
    wanted = {"integer": "a whole number", "boolean": "true or false", "float": "one number"}.get(type_name)
    wanted = wanted or f"{CHANNELS.get(type_name, 'other')} numbers"
    return CollageError(f"“{text[:40]}” is not {wanted}: the default is used.", remedy="Set another value.")


def typed(result: Any, type_name: str) -> Any:
    """A function's result in the number kind of its type, two-dimensional."""
    if isinstance(result, dict):
        return {name: np.atleast_2d(np.asarray(one)).astype(np.float32) for name, one in result.items()}
    if isinstance(result, (str, ImageRef)):
        return result
    kind = _KINDS.get(type_name, np.float32)
    if isinstance(result, np.ndarray) and result.ndim == 2 and result.dtype == kind:
        return result
    array = np.asarray(result)
    if array.ndim < 2:
        array = np.atleast_2d(array)
    return array.astype(kind, copy=False)


def loud_value(type_name: str, loud: Loud) -> np.ndarray:
    """What stands for a value that cannot be computed, (k, 1)."""
    count = CHANNELS.get(type_name, 3)
    if type_name in ("integer", "boolean"):
        return as_array(1, type_name)
    if count in (3, 4) and type_name.startswith("color"):
        return np.array([*loud, 1.0][:count], np.float32).reshape(-1, 1)
    return np.full((count, 1), 0.5, np.float32)
