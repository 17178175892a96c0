"""Conditions as people note them: between two figures, by a word, by another leg's; each is an interval, kept as typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Final

from fairmargin.core.study.circumstances import BEAUFORT_M_S
from fairmargin.core.study.leg import Leg, Span
from fairmargin.core.study.values import Study
from fairmargin.core.units.typed import LONGEST

_NUMBER: Final = r"[+\-\u2212]?\d+(?:[.,]\d+)?"
_BETWEEN: Final = re.compile(rf"^({_NUMBER})\s*(\S*?)\s*(?:\.\.|to|and|\u2013|-)\s*({_NUMBER})\s*(.*)$", re.IGNORECASE)
#: Words that people use for the air, and what they stand for. [°C]
_AIR_WORDS: Final[Mapping[str, tuple[float, float]]] = {
    "below freezing": (-8.0, 0.0), "freezing": (-2.0, 1.0), "just above freezing": (0.0, 4.0),
}  # fmt: skip


def read_span(key: str, text: str, figure: Callable[[str], float]) -> Span | None:
    """Read a condition typed as an interval, or as a word that stands for one; None where it is one figure.

    Parameters
    ----------
    key : str
        One of `SPANNED`.
    text : str
    figure : callable
        Reads one figure with its unit, if any.
    """
    said = text.strip()
    word = said.lower().removesuffix(" wind").removesuffix(" breeze").strip()
    if key == "temperature_c" and word in _AIR_WORDS:
        low, high = _AIR_WORDS[word]
        return Span(field=key, low=low, high=high, said=said)
    if key == "temperature_c" and (one := _one_end(said, figure)) is not None:
        return one
    winds = {str(name): ends for name, ends in BEAUFORT_M_S.items()} | {"calm": BEAUFORT_M_S["still"]}
    if key == "wind_speed_ms" and word in winds:
        low, high = winds[word]
        return Span(field=key, low=low, high=high, said=said)
    match = _BETWEEN.match(said)
    if match is None:
        return None
    unit = match[4].strip() or match[2].strip()
    low, high = sorted(figure(f"{match[i]} {unit}".strip()) for i in (1, 3))
    return Span(field=key, low=low, high=high, said=said)


_WARMER: Final = re.compile(
    rf"^(?:about\s+)?(?P<much>{_NUMBER}|a\s+little|a\s+few|a\s+bit|much)\s*(?P<unit>degrees?|°\s*[CF]|[CFK]|deg)?\s*"
    r"(?P<way>warmer|hotter|colder|cooler)(?:\s+than\s+(?P<than>\S+))?$",
    re.IGNORECASE,
)
#: What words for a difference of the air stand for. [K]
_WARMER_WORDS: Final[Mapping[str, tuple[float, float]]] = {
    "a little": (1.0, 3.0), "a bit": (1.0, 3.0), "a few": (2.0, 5.0), "much": (8.0, 15.0),
}  # fmt: skip
SAID_WITHIN_K: Final = 1.5  # how closely somebody means a difference that they remember as a figure


def read_warmer(text: str, leg: Leg, study: Study | None) -> Span | None:
    """Read the air of a leg by that of another: ``5 degrees warmer``, ``a few degrees colder than L01``.

    Without a leg's name, by the nearest leg before it of the other configuration whose air is known, else by any before it.
    """
    match = _WARMER.match(" ".join(text.split())) if len(text) <= LONGEST else None
    if match is None:
        return None
    legs = study.legs if study else ()
    here = next((i for i, x in enumerate(legs) if x.leg == leg.leg), len(legs))
    known = [x for x in (*legs[:here], *legs[here + 1 :]) if x.temperature_c is not None]
    if match["than"]:
        known = [x for x in known if x.leg.lower() == match["than"].lower()]
    before = [x for x in known if x in legs[:here]] or known
    other = [x for x in before if x.configuration != leg.configuration] or before
    if not other:
        raise ValueError(f'"{text.strip()}" than what? No other leg has a temperature; expected a figure such as 14 °C')
    base = other[-1]
    much = " ".join(match["much"].lower().split())
    if much in _WARMER_WORDS:
        least, most = _WARMER_WORDS[much]
    else:
        scale = 5.0 / 9.0 if (match["unit"] or "").upper().endswith("F") else 1.0
        figure = float(much.replace(",", ".")) * scale
        least, most = max(figure - SAID_WITHIN_K, 0.0), figure + SAID_WITHIN_K
    ends = (least, most) if match["way"].lower() in {"warmer", "hotter"} else (-most, -least)
    own = base.span("temperature_c")
    low, high = (own.low, own.high) if own is not None else (float(base.temperature_c or 0.0),) * 2
    return Span(field="temperature_c", low=low + ends[0], high=high + ends[1], said=text.strip())


_ONE_END: Final = re.compile(rf"^(below|under|above|over)\s+({_NUMBER})\s*(\S*)$", re.IGNORECASE)
ONE_END_K: Final = 10.0  # how far beyond one end somebody means who names one alone


def _one_end(text: str, figure: Callable[[str], float]) -> Span | None:
    """Air below or above a figure: ``above 28 °C``."""
    match = _ONE_END.match(text.strip())
    if match is None:
        return None
    at = figure(f"{match[2]} {match[3]}".strip())
    lower = match[1].lower() in {"below", "under"}
    low, high = (at - ONE_END_K, at) if lower else (at, at + ONE_END_K)
    return Span(field="temperature_c", low=low, high=high, said=text.strip())
