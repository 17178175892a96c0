"""What was sealed before the first reading: prediction, what matters, how sure, how many pairs, what may be left out."""

from __future__ import annotations

import hashlib
import json
from datetime import datetime
from typing import TYPE_CHECKING, Annotated, Final

from pydantic import Field

from fairmargin.core.study.base import Value, within
from fairmargin.core.study.statements import Prediction

if TYPE_CHECKING:
    from fairmargin.core.study.values import Study

#: What is sealed, and so in the checksum.
SEALED: Final = ("sealed_at", "prediction", "smallest_effect_percent", "confidence", "pairs", "leaving_out")
MOST_PAIRS: Final = 200
PREDICTION, SMALLEST, CONFIDENCE = "prediction", "smallest effect that matters", "confidence"


class Registration(Value):
    """What was sealed, with its checksum and time; and how often the result was looked at before all pairs were driven."""

    sealed_at: datetime
    prediction: float | Prediction | None = None
    smallest_effect_percent: Annotated[float, within(0.05, 50, "%")]
    confidence: Annotated[float, within(0.5, 0.999, "(a share of 1)")]
    pairs: Annotated[int | None, Field(ge=1, le=MOST_PAIRS)] = None
    leaving_out: str = ""
    checksum: str = ""
    looks: Annotated[int, Field(ge=0)] = 0
    looked_at_pairs: Annotated[int, Field(ge=0)] = 0  # pairs driven at the last look

    @property
    def intact(self) -> bool:
        """Whether the checksum is that of what is sealed."""
        return self.checksum in {checksum_of(self), checksum_of(self, whole_as_integers=True)}


def checksum_of(registration: Registration, *, whole_as_integers: bool = False) -> str:
    """SHA-256 of the canonical JSON of what is sealed: keys sorted, no spaces, UTF-8.

    Parameters
    ----------
    registration : Registration
    whole_as_integers : bool
        Write whole numbers without a fraction, as writers do that know one kind of number.
    """
    kept: object = registration.model_dump(mode="json", include=set(SEALED), by_alias=True)
    if whole_as_integers:
        kept = _whole_as_integers(kept)
    text = json.dumps(kept, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def _whole_as_integers(value: object) -> object:
    if isinstance(value, dict):
        return {k: _whole_as_integers(v) for k, v in value.items()}
    return int(value) if isinstance(value, float) and value.is_integer() else value


def sealed(study: Study, at: datetime, pairs: int | None, leaving_out: str = "") -> Study:
    """Seal what a study says beforehand.

    Parameters
    ----------
    study : Study
        Of which nothing was read yet.
    at : datetime
    pairs : int, optional
        Pairs that will be driven, whatever they show.
    leaving_out : str
        When a leg may be left out.

    Returns
    -------
    Study
        With its registration.

    Raises
    ------
    ValueError
        If something was read already, or it is sealed already.
    """
    if study.registration is not None:
        raise ValueError("it is sealed already; what was sealed stays")
    if any(leg.has_reading for leg in study.legs):
        raise ValueError("something was read already; what is said now is said afterwards, and cannot be sealed")
    return study.with_(registration=seal_of(study, at, pairs, leaving_out))


def seal_of(study: Study, at: datetime, pairs: int | None, leaving_out: str = "") -> Registration:
    """The seal of what a study says; parameters as for `sealed`, which refuses one that comes too late."""
    change = study.change
    made = Registration(
        sealed_at=at,
        prediction=change.prediction_percent if change.prediction_percent is not None else change.prediction,
        smallest_effect_percent=study.smallest_effect_percent,
        confidence=study.confidence,
        pairs=pairs,
        leaving_out=leaving_out.strip(),
    )
    return made.with_(checksum=checksum_of(made))


def changed_since(study: Study) -> tuple[str, ...]:
    """What a study says otherwise than was sealed."""
    was = study.registration
    if was is None:
        return ()
    now = study.change.prediction_percent if study.change.prediction_percent is not None else study.change.prediction
    pairs = (
        (PREDICTION, was.prediction, now),
        (SMALLEST, was.smallest_effect_percent, study.smallest_effect_percent),
        (CONFIDENCE, was.confidence, study.confidence),
    )
    return tuple(name for name, before, after in pairs if before != after)


def said_afterwards(before: Study, after: Study) -> Study:
    """An edit of what should be said beforehand, made when the result was seen: kept with what it is about."""
    pairs = (
        (PREDICTION, (before.change.prediction_percent, before.change.prediction), (after.change.prediction_percent, after.change.prediction)),
        (SMALLEST, before.smallest_effect_percent, after.smallest_effect_percent),
        (CONFIDENCE, before.confidence, after.confidence),
    )  # fmt: skip
    late = [name for name, old, new in pairs if old != new]
    return after.with_(said_afterwards=tuple(dict.fromkeys((*after.said_afterwards, *late)))) if late else after


def with_look(study: Study, pairs: int) -> Study:
    """Count a look at the result after so many pairs, where not all that were sealed are driven."""
    was = study.registration
    if was is None or was.pairs is None or not was.looked_at_pairs < pairs < was.pairs:
        return study
    return study.with_(registration=was.with_(looks=was.looks + 1, looked_at_pairs=pairs))
