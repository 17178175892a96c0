"""The road at the left: how far each stage of the work is."""

from __future__ import annotations

from fairmargin.core.result.sides import further_percent
from fairmargin.core.result.verdict import SETTLED
from fairmargin.core.study import Study
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import percent
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.desktop.widgets.stage_rail import Progress, Stop
from fairmargin.exchange.words.figures import consumption_words, distance_words
from fairmargin.exchange.words.names import units_of
from fairmargin.exchange.words.steps import shown_steps

#: Verdicts as the road has room for them.
SHORT = {"not a fair comparison": "not fair", "no difference that matters": "no difference"}


def stops_of(session: Session, study: Study) -> tuple[Stop, ...]:
    """How far each stage of the work is, in a word or two."""
    c, alone = session.comparison, alone_result(session.analysis)
    driven, total = sum(session.has_reading(leg) for leg in study.legs), len(study.legs)
    out = sum(not leg.included for leg in study.legs)
    looked_at: Progress = "done" if driven == total and total > 0 else "begun" if driven else "open"
    largest, any_corrected = _moved(session)
    corrected: Progress = "done" if (c or alone) and looked_at == "done" else "begun" if any_corrected else "open"
    settled = alone is not None or (c is not None and c.verdict in SETTLED)
    return (
        Stop("question", *_question(study)),
        Stop("plan", "done" if study.order else "open", _letters(study.order) or "no runs yet"),
        Stop("drive", looked_at, f"{driven} of {total} legs"),
        Stop("examine", looked_at, f"{out} left out" if driven else ""),
        Stop("correct", corrected, largest),
        Stop("verdict", "done" if settled else "begun" if c else "open", _verdict(session, study)),
        Stop("use", "begun" if c or alone else "open", _use(session)),
    )


def _question(study: Study) -> tuple[Progress, str]:
    if study.registration is not None:
        return "done", "sealed"
    said = study.change.prediction_percent is not None or study.change.prediction is not None
    return "begun", "not sealed" if said else "no prediction yet" if study.trials else ""


def _letters(order: str) -> str:
    """The order of the runs; twice the same as such."""
    half = order[: len(order) // 2]
    return f"{half} \u00d72" if len(order) >= 8 and half * 2 == order else order


def _moved(session: Session) -> tuple[str, bool]:
    """What the steps move the effect by, as the verdict's page has it; and whether any leg was corrected."""
    analysis, c = session.analysis, session.comparison
    used = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None] if analysis else []
    if not used or session.view == "as-measured" or c is None or not c.steps:
        return "", bool(used)
    by = sum(s.percent for s in shown_steps(c))
    return f"steps {percent(by)}", True


def _verdict(session: Session, study: Study) -> str:
    c, alone = session.comparison, alone_result(session.analysis)
    if alone is not None and alone.as_driven_wh_per_km is not None:
        return consumption_words(alone.as_driven_wh_per_km, units_of(study, alone.vehicle, session.units))
    return SHORT.get(c.verdict, c.verdict) if c else ""


def _use(session: Session) -> str:
    c, alone = session.comparison, alone_result(session.analysis)
    if alone is not None:
        return "" if alone.range_km is None else distance_words(alone.range_km, session.units)
    study = session.study
    further = further_percent(study, c) if study is not None and c is not None and c.verdict in SETTLED else None
    return "" if further is None else f"{percent(further)} range"
