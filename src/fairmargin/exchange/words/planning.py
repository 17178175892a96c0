"""A plan in words: how often each side is driven, what its order leaves of a drift, what a design would settle."""

from __future__ import annotations

import math

from fairmargin.core.laws import rolling
from fairmargin.core.orders import drift_left
from fairmargin.core.planning import Design, drift_left_by_clock
from fairmargin.core.study import Study
from fairmargin.core.units import said

LITTLE_KPA = 2.0  # a gauge repeats to about that
LITTLE_DRIFT = 0.05  # share of a steady drift that counts as none


def _degrees(celsius: float) -> str:
    return said(celsius, "\u00b0C")


def cold_pressure_words(set_kpa: float, set_c: float, now_c: float) -> str:
    """What cold tyres show on a day of another temperature than the one they were set at.

    Examples
    --------
    >>> from fairmargin.core.units import plain
    >>> plain(cold_pressure_words(290.0, 20.0, 5.0))
    'Set to 290 kPa at 20 °C, they show 270 kPa cold at 5 °C: alike on such a day means that figure, not 290 kPa again.'
    """
    now = rolling.pressure_at_kpa(set_kpa, set_c, now_c)
    was = said(set_kpa, "kPa")
    if abs(now - set_kpa) < LITTLE_KPA:
        return f"Set to {was} at {_degrees(set_c)}, they show the same at {_degrees(now_c)}."
    return (
        f"Set to {was} at {_degrees(set_c)}, they show {said(now, 'kPa')} cold at {_degrees(now_c)}: alike on such a day "
        f"means that figure, not {was} again."
    )


def hot_pressure_words(read_kpa: float, tyre_c: float, set_kpa: float | None, set_c: float) -> str:
    """What a reading of warm tyres is, cold; beside what they were set to, where that is known."""
    cold = rolling.pressure_at_kpa(read_kpa, tyre_c, set_c)
    words = f"{said(read_kpa, 'kPa')} in tyres of {_degrees(tyre_c)} are {said(cold, 'kPa')} cold at {_degrees(set_c)}"
    if set_kpa is None:
        return f"{words}."
    apart = cold - set_kpa
    if abs(apart) < LITTLE_KPA:
        return f"{words}: as they were set."
    return f"{words}: {said(abs(apart), 'kPa')} {'above' if apart > 0 else 'below'} what was set. Never bleed hot tyres down to a cold figure."


def rounds_words(sides: int, count: int) -> str:
    """How often each side is driven.

    Examples
    --------
    >>> rounds_words(2, 1), rounds_words(3, 2), rounds_words(1, 2)
    ('1 pair of runs', '2 runs of each', '2 runs')
    """
    many = "" if count == 1 else "s"
    if sides == 2:
        return f"{count} pair{many} of runs"
    return f"{count} run{many}" if sides < 2 else f"{count} run{many} of each"


def order_words(study: Study) -> str:
    """What the order of a study's runs leaves of a drift of the day."""
    letters = study.order
    if study.method == "everyday":
        return "Trips have no order to plan: take turns week by week, so that weather and season fall on both alike."
    if study.method == "side-by-side":
        sides = letters.count("A"), letters.count("B")
        if not letters:
            return "Both vehicles drive at once; half way the change is swapped between them."
        if 0 in sides:
            return (
                "Both drive at once, so the day cancels. The change is never swapped: what the two vehicles differ by "
                "stays in the difference."
            )
        half = "" if sides[0] == sides[1] else " Not as often each way: a part of what the vehicles differ by stays."
        return f"Both drive at once, so the day cancels; swapped, what the two vehicles differ by cancels too.{half}"
    if len(study.lettered) < 2:
        up = study.method == "climb"
        return (
            "Up and down, one after the other: the wind and the day are alike for both."
            if up
            else "One configuration: every further run tells how much runs differ."
        )
    driven = [x for x in study.lettered if x != "A" and x in letters]
    if "A" not in letters or not driven:
        return "An order needs runs of both configurations."
    if study.change.about.from_the_wall:
        return "One cold start a morning: nothing drifts from run to run, but weather does from day to day. Take turns."
    left = max((drift_left(letters, x) for x in driven), key=abs)
    if abs(left) < LITTLE_DRIFT:
        by_clock = max((drift_left_by_clock(study, x) for x in driven), key=abs)
        if abs(by_clock) < LITTLE_DRIFT:
            return "A steady drift of the day (warming, rising wind) cancels in this order."
        return (
            "A steady drift of the day would cancel in this order, but the stops of this day (charging, pauses, swaps) leave "
            f"{abs(by_clock):.0%} of it: let them fall between the two halves."
        )
    return (
        f"{abs(left):.0%} of a steady drift over the day stays in the difference. "
        "Adding runs in the opposite order cancels it."
    )


def design_words(design: Design, pairs: int | None) -> str:
    """What a design would give, and how often it would have to be driven; `pairs` that settle it, where any number does."""
    sides = design.sides
    least = f" (of the least certain: {design.least_certain})" if design.least_certain else ""
    if design.lone:
        return f"{rounds_words(1, design.runs)}: what it takes would be known to \u00b1{design.half_width_percent:.1f} %{least}."
    words = (
        f"{design.order}: expected margin \u00b1{design.half_width_percent:.1f} %{least}; the question is settled on "
        f"{design.settles:.0%} of the simulated days. "
    )
    if design.pairs is not None:
        verb = "settles" if design.pairs == 1 and sides == 2 else "settle"
        many = rounds_words(sides, design.pairs)
        if sides == 2:
            many = "One pair of it" if design.pairs == 1 else f"{design.pairs} pairs of it"
        return f"{words}{many} {verb} it on {design.power:.0%} of such days. "
    if pairs is not None:
        many = f"{pairs} pair{'s' if pairs != 1 else ''}" if sides == 2 else rounds_words(sides, pairs)
        return f"{words}A fresh start with it would want about {many}, to settle it four times in five. "
    return f"{words}No number of such pairs settles it: longer legs, a finer display or a calmer day would. "


def settles_words(design: Design) -> str:
    """How often a design settles the question; nothing where none is asked."""
    return "" if math.isnan(design.settles) else f"{design.settles:.0%} of days"
