"""Columns of moments, read by one rule for the whole column."""

from __future__ import annotations

import re
import warnings
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any, Final

#: Cells with an offset from UTC at their end.
AWARE: Final = re.compile(r"\d(?:Z|[+-]\d{2}:?\d{2})$")
LONGEST: Final = 80


def one_rule(cells: Any) -> Any:
    """Read a pandas series of texts as moments in UTC: ISO 8601, else by the format of the first.

    Guessing every cell's own format takes minutes for a long table, and would read 3/4 and 14/3 by two rules.
    Returns a series with NaT for what does not follow the rule.
    """
    import pandas as pd
    from pandas.tseries.api import guess_datetime_format

    moments = pd.to_datetime(cells, errors="coerce", utc=True, format="ISO8601")
    if moments.notna().any():
        return moments
    filled = [c for c in cells if isinstance(c, str) and c.strip()][:1000]
    best = moments
    for dayfirst in (False, True):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            guessed = next(
                (g for c in filled[:1] if (g := guess_datetime_format(c[:LONGEST], dayfirst=dayfirst))), None
            )
        if guessed is not None:
            read = pd.to_datetime(cells, errors="coerce", utc=True, format=guessed)
            if int(read.notna().sum()) > int(best.notna().sum()):
                best = read
    return best


def offsets_words(cells: Sequence[str]) -> list[str]:
    """What is to be asked when some times state an offset from UTC and others do not."""
    aware = sum(bool(AWARE.search(c)) for c in cells)
    if 0 < aware < len(cells):
        return [
            f"{len(cells) - aware} of {len(cells)} times state no offset from UTC, the others do; all are taken on one "
            "clock, UTC. Check them against the others."
        ]
    return []


def moments_of(cells: Sequence[str]) -> tuple[list[datetime | None], list[str]]:
    """Read a column of moments; without an offset they stay local, with one they keep it.

    Returns
    -------
    moments, notices
        None for what is no moment.
    """
    import pandas as pd

    texts = [c.strip() for c in cells]
    exact: list[datetime | None] = []
    for text in texts:
        try:
            exact.append(datetime.fromisoformat(text) if len(text) >= 10 else None)
        except ValueError:
            exact.append(None)
    filled = [t for t in texts if t]
    if not any(exact) and filled:
        read = one_rule(pd.Series([t[:LONGEST] if t else None for t in texts], dtype="object"))
        kept = any(AWARE.search(t) for t in filled)
        exact = [
            None if pd.isna(m) else m.to_pydatetime() if kept else m.to_pydatetime().replace(tzinfo=None)
            for m in read
        ]
    said = offsets_words([t for t, m in zip(texts, exact, strict=True) if m is not None])
    if said:
        exact = [None if m is None else m if m.tzinfo else m.replace(tzinfo=UTC) for m in exact]
    return exact, said
