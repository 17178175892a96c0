"""Concerns of what was sealed beforehand: a seal that does not fit, and what is said otherwise since."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from fairmargin.core.conditions.rules import Finding
from fairmargin.core.fairness.records import RECORDS, RecordsContext
from fairmargin.core.study import Study
from fairmargin.core.study.registration import CONFIDENCE, PREDICTION, SMALLEST, Registration, changed_since
from fairmargin.core.words import signed

#: Of what is said beforehand, what a verdict hangs on.
CRITERIA: Final = frozenset({SMALLEST, CONFIDENCE})


def sealed_words(r: Registration) -> str:
    """What was sealed of what a verdict hangs on."""
    return f"\u00b1{r.smallest_effect_percent:g} % matters, {100 * r.confidence:g} %"


def predicted_words(r: Registration) -> str:
    """What was sealed as the prediction, with a comma after it; nothing where there was none."""
    p = r.prediction
    if p is None:
        return ""
    if isinstance(p, float):
        return f"{signed(p)} %, "
    return f"{p.low:g} {p.unit}, " if p.low == p.high else f"{p.low:g} to {p.high:g} {p.unit}, "


@RECORDS.rule("seal-broken", stage="question", needs="a seal", covered=False)
def seal_broken(case: RecordsContext) -> Iterator[Finding]:
    """What is sealed is not what its checksum was made of: no price can be put on it."""
    r = case.study.registration
    if r is None or r.intact:
        return
    yield Finding(
        "caution",
        None,
        (),
        "The seal is broken",
        f"What stands as sealed {r.sealed_at:%Y-%m-%d %H:%M} does not give the checksum beside it: it was changed since.",
        "Take the package as it was when it was sealed.",
    )


@RECORDS.rule("sealed-changed", stage="question", needs="a seal", covered=False)
def sealed_changed(case: RecordsContext) -> Iterator[Finding]:
    """What a verdict hangs on was changed since it was sealed; the verdict by what was sealed stands beside it."""
    r, late = case.study.registration, [x for x in changed_since(case.study) if x in CRITERIA]
    if r is None or not late:
        return
    yield Finding(
        "caution",
        None,
        (),
        "Not as it was sealed",
        f"Sealed {r.sealed_at:%Y-%m-%d %H:%M}: {sealed_words(r)}. Changed since: {' and '.join(late)}.",
        "Judge by what was sealed; it stands beside the verdict.",
    )


@RECORDS.rule("said-afterwards", stage="question", needs="nothing", covered=False)
def criteria_said_afterwards(case: RecordsContext) -> Iterator[Finding]:
    """What a verdict hangs on was set when the result was seen, and nothing was sealed."""
    late = [x for x in case.study.said_afterwards if x in CRITERIA]
    if case.study.registration is not None or not late:
        return
    yield Finding(
        "caution",
        None,
        (),
        f"Said afterwards: {' and '.join(late)}",
        "It was set when the result had been seen; a verdict can be had either way by moving what matters.",
        "Next time seal it before the first reading.",
    )


def prediction_words(study: Study) -> str:
    """How a study's prediction was made."""
    was = study.registration
    if was is not None:
        at = f"sealed {was.sealed_at:%Y-%m-%d %H:%M}"
        return f"changed since it was {at}" if PREDICTION in changed_since(study) else at
    if PREDICTION in study.said_afterwards:
        return "said afterwards"
    noted = study.change.prediction_sealed_at
    return "not sealed" if noted is None else f"noted {noted:%Y-%m-%d %H:%M}, without a checksum"
