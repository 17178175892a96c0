"""Two changes at once, spotted before the drive from what is declared."""

from __future__ import annotations

from fairmargin.core.study import Study

#: Kinds of change that are expected to change the mass, and the wheels.
MASS_KINDS = frozenset({"payload", "cargo", "towing"})
WHEEL_KINDS = frozenset({"wheels", "tyres"})


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
    kind, mechanisms = study.change.kind, set(study.change.mechanisms)
    for trial in study.trials:
        mass = (trial.mass_delta_kg or 0.0) - (base.mass_delta_kg or 0.0)
        heavy = abs(mass) > 0.02 * study.vehicle.constants().mass_kg
        if heavy and kind not in MASS_KINDS and "mass" not in mechanisms:
            found.append(f"{trial.label} also weighs {abs(mass):.0f} kg {'more' if mass > 0 else 'less'}.")
        if heavy and kind == "cargo" and "mass" not in mechanisms:
            found.append(
                f"{trial.label} adds {mass:.0f} kg as well as shape: carry the load inside on baseline runs."
            )
        turn = (trial.circumference_change_percent or 0.0) - (base.circumference_change_percent or 0.0)
        if abs(turn) > 0.5 and kind not in WHEEL_KINDS:
            found.append(
                f"{trial.label} also rolls on wheels {abs(turn):.1f} % {'larger' if turn > 0 else 'smaller'}."
            )
        if kind == "payload" and (trial.frontal_area_delta_m2 or 0.0) > 0.02:
            found.append(f"{trial.label} stands in the wind as well as weighing.")
    above = plan.details.get("above_cab", "").strip().lower()
    if kind == "payload" and above.startswith(("yes", "y ", "above")):
        found.append("The load stands above the cab: shape changes as well as mass.")
    same = plan.details.get("same_tyre", "").strip().lower()
    if kind == "wheels" and same.startswith(("no", "other", "different")):
        found.append("Other tyres on the other wheels: wheel and tyre change at once.")
    shapes = [bool(plan.drag_area_percent), bool(plan.rolling_percent), bool(plan.auxiliary_w)]
    if sum(shapes) > 1 and kind not in {"towing", "wheels"}:
        found.append("The expected effect names more than one mechanism: only their sum will be seen.")
    return tuple(found)
