"""The road at the left: how far each stage of the work is."""

from __future__ import annotations

from fairmargin.core.result.corrections import line_words
from fairmargin.core.study import Study
from fairmargin.core.words import signed
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import percent
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.desktop.widgets.stage_rail import Stop
from fairmargin.exchange.words.results import consumption_words, distance_words, units_of

#: Verdicts as the road has room for them.
SHORT = {"not a fair comparison": "not fair", "no difference that matters": "no difference"}


def stops_of(session: Session, study: Study) -> tuple[Stop, ...]:
    """How far each stage of the work is, in a word or two."""
    analysis = session.analysis
    c = session.comparison
    driven = sum(session.has_reading(leg) for leg in study.legs)
    out = sum(not leg.included for leg in study.legs)
    total = len(study.legs)
    letters = study.order
    if len(letters) >= 8 and len(letters) % 2 == 0 and letters[: len(letters) // 2] * 2 == letters:
        letters = f"{letters[: len(letters) // 2]} \u00d72"
    sealed = study.change.prediction_sealed_at is not None
    if sealed:
        question = "sealed"
    else:
        said = study.change.prediction_percent is not None or study.change.prediction is not None
        question = "not sealed" if said else "no prediction yet" if study.trials else ""
    whole = driven == total and total > 0
    used = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None] if analysis else []
    largest = ""
    if used and session.view != "as-measured":
        sums: dict[str, float] = {}
        for leg in used:
            for name, value in leg.corrections_wh_per_km.items():
                sums[name] = sums.get(name, 0.0) + abs(value) / len(used)
        name = max(sums, key=lambda n: sums[n]) if sums else ""
        mean = sum(leg.corrections_wh_per_km.get(name, 0.0) for leg in used) / len(used)
        largest = f"{line_words(name)} {signed(mean)}" if name else ""
    use = percent(c.range_change_percent) + " range" if c else ""
    alone = alone_result(analysis)
    verdict: str = SHORT.get(c.verdict, c.verdict) if c else ""
    if alone is not None:
        units = units_of(study, alone.vehicle, session.units)
        if alone.as_driven_wh_per_km is not None:
            verdict = consumption_words(alone.as_driven_wh_per_km, units)
        use = "" if alone.range_km is None else distance_words(alone.range_km, session.units)
    return (
        Stop("question", "done" if sealed else "begun", question),
        Stop("plan", "done" if letters else "open", letters or "no runs yet"),
        Stop("drive", "done" if whole else "begun" if driven else "open", f"{driven} of {total} legs"),
        Stop("examine", "done" if whole else "begun" if driven else "open", f"{out} left out" if driven else ""),
        Stop("correct", "done" if (c or alone) and whole else "begun" if used else "open", largest),
        Stop(
            "verdict",
            "done" if (c and c.verdict not in {"not settled"}) or alone else "begun" if c else "open",
            verdict,
        ),
        Stop("use", "begun" if c or alone else "open", use),
    )
