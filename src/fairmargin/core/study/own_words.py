"""What somebody wrote in a study in words of their own: it stands as it was typed, wherever it is shown."""

from __future__ import annotations

from typing import Final

from pydantic import BaseModel

from fairmargin.core.study import Study

#: Lists of figures that nobody typed words into, and that are long.
_FIGURES: Final = frozenset({"route", "weather"})


def own_words(study: Study) -> tuple[str, ...]:
    """Every text in a study, the longest first: title, names, notes, answers, lists.

    Parameters
    ----------
    study : Study

    Returns
    -------
    tuple of str
        Each once; empty ones left out.
    """
    found: set[str] = set()
    left: list[object] = [value for name, value in vars(study).items() if name not in _FIGURES]
    while left:
        value = left.pop()
        if isinstance(value, str):
            found.add(value)
        elif isinstance(value, BaseModel):
            left.extend(vars(value).values())
        elif isinstance(value, dict):
            left.extend(value.values())
        elif isinstance(value, tuple | list):
            left.extend(value)
    return tuple(sorted(found - {""}, key=lambda x: (-len(x), x)))
