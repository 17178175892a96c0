"""Values as JSON has them: fields picked by name, figures rounded, what is not known null."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from fairmargin.core.units import sentences

DIGITS = 4


def picked(value: object, names: str) -> dict[str, Any]:
    """Fields of a value by name, separated by spaces; ``as=name`` calls one otherwise.

    Examples
    --------
    >>> picked(3 + 4j, "real height=imag")
    {'real': 3.0, 'height': 4.0}
    """
    pairs = [name.partition("=") for name in names.split()]
    return {called: getattr(value, own or called) for called, _, own in pairs}


def plain(value: Any, digits: int = DIGITS) -> Any:
    """A value as JSON has it: tuples as lists, figures rounded, those that are not finite null, sentences written out.

    Examples
    --------
    >>> plain({"a": (1.23456, float("nan")), "b": None, "c": 2})
    {'a': [1.2346, None], 'b': None, 'c': 2}
    """
    if isinstance(value, str):
        return sentences.plain(value)
    if isinstance(value, float):
        return round(float(value), digits) if math.isfinite(value) else None
    if isinstance(value, Mapping):
        return {str(k): plain(v, digits) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v, digits) for v in value]
    return value
