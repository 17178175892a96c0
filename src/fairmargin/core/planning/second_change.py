"""Two changes at once, spotted before the drive from what is declared."""

from __future__ import annotations

from fairmargin.core.study import Study
from fairmargin.core.units import said


def second_changes(study: Study) -> tuple[str, ...]:
    """Say, in one sentence each, what else would change with the change.

    Parameters
    ----------
    study : Study

    Returns
    -------
    tuple of str
        Empty when only one thing changes, as far as is declared.
    """
    found: list[str] = []
    base, plan = study.baseline, study.plan
    kind, mechanisms = study.change.about, set(study.change.mechanisms)
    for trial in study.trials:
        mass = (trial.mass_delta_kg or 0.0) - (base.mass_delta_kg or 0.0)
        heavy = abs(mass) > 0.02 * study.vehicle.constants().mass_kg
        if heavy and not kind.brings_mass and "mass" not in mechanisms:
            found.append(f"{trial.label} also weighs {said(abs(mass), 'kg')} {'more' if mass > 0 else 'less'}.")
        if heavy and kind.beside_shape and "mass" not in mechanisms:
            found.append(f"{trial.label} adds {said(mass, 'kg')} as well as shape: {kind.beside_shape}.")
        turn = (trial.circumference_change_percent or 0.0) - (base.circumference_change_percent or 0.0)
        if abs(turn) > 0.5 and not kind.turns_wheels:
            found.append(f"{trial.label} also rolls on wheels {abs(turn):.1f} % {'larger' if turn > 0 else 'smaller'}.")
        if kind.mass_alone and (trial.frontal_area_delta_m2 or 0.0) > 0.02:
            found.append(f"{trial.label} stands in the wind as well as weighing.")
    for prompt in kind.prompts:
        answer = plan.details.get(prompt.key, "").strip().lower()
        if prompt.second_if and answer.startswith(prompt.second_if):
            found.append(prompt.second)
    shapes = [bool(plan.drag_area_percent), bool(plan.rolling_percent), bool(plan.auxiliary_w)]
    if sum(shapes) > 1 and not kind.one_of_many:
        found.append("The expected effect names more than one mechanism: only their sum will be seen.")
    return tuple(found)
