"""The effect in the wind of the place: against a sum by hand over all directions, and where there is nothing to say."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.laws import aero, wind
from fairmargin.core.outcome.asking import askings
from fairmargin.core.outcome.average_wind import all_directions, of_comparison, wind_averaged
from fairmargin.core.study import Study


def averaged(study: Study, wind_ms: float):
    c = analyse(study).comparisons[0]
    (asking,) = askings(study)
    return c, of_comparison(study, asking, c, wind_ms)


def test_in_still_air_it_is_the_effect_itself() -> None:
    c, w = averaged(driven_study("ABBA"), 0.0)
    assert w.still_percent == pytest.approx(c.effect_percent, abs=0.01) and w.percent == pytest.approx(w.still_percent)
    assert w.still_interval == pytest.approx(c.interval_percent, abs=0.03)


def test_a_cover_does_more_where_wind_makes_more_drag() -> None:
    """By hand: what covers take is a share of the air's part, which 6 m/s from every side alike make larger (SAE J1252, from memory)."""
    study = driven_study("ABBA")
    _, w = averaged(study, 6.0)
    k = VAN.constants()
    v, blows = 25.0, 6.0 * wind.height_factor(10.0)
    drag = []
    for angle in np.radians(np.arange(0.5, 360.0)):
        head, cross = v + blows * math.cos(angle), blows * math.sin(angle)
        psi = math.degrees(math.atan2(abs(cross), head))
        grows = 1 + 0.12 * min(psi / 10.0, 1.0) ** 2 + max(min(psi, 15.0) - 10.0, 0.0) * 0.012
        drag.append(grows * math.hypot(head, cross) * head)
    rolls = k.rolling_coefficient * k.mass_kg * 9.81 + k.auxiliary_w / v * k.drive_efficiency
    air = 0.5 * 1.225 * k.drag_area_m2
    parts = [air * x / (air * x + rolls) for x in (v**2, float(np.mean(drag)))]
    assert w.percent / w.still_percent == pytest.approx(parts[1] / parts[0], abs=0.02)
    assert parts[1] / parts[0] > 1.01
    assert aero.YAW_PARABOLA_DEG == 10.0
    low, high = w.interval
    assert low < w.percent < high and high - low > w.still_interval[1] - w.still_interval[0]


def test_another_shape_widens_what_wind_may_do() -> None:
    """A roof box grows with yaw as nobody knows: its margin in wind grows more than a cover's, over that in still air."""
    study = driven_study("ABBA")

    def wider(kind: str) -> float:
        _, w = averaged(study.with_(change=study.change.with_(kind=kind)), 8.0)
        return (w.interval[1] - w.interval[0]) / (w.still_interval[1] - w.still_interval[0])

    assert wider("cargo") > wider("aero covers") + 0.02


def test_every_direction_is_as_likely_and_none_is_along_the_road() -> None:
    asked = all_directions(90.0, 4.0)
    assert sum(a.head_wind_ms for a in asked) == pytest.approx(0.0, abs=1e-9)
    assert sum(a.cross_wind_ms for a in asked) == pytest.approx(0.0, abs=1e-9)
    assert all(math.hypot(a.head_wind_ms, a.cross_wind_ms) == pytest.approx(4.0) for a in asked)


def test_nothing_is_said_where_wind_has_nothing_to_say() -> None:
    study = driven_study("ABBA")
    c = analyse(study).comparisons[0]
    (asking,) = askings(study)
    for other in (study.change.with_(subject="road"), study.change.with_(kind="technique")):
        assert of_comparison(study.with_(change=other), asking, c, 4.0) is None
    for unlike in (replace(c, method="plain"), replace(c, verdict="not a fair comparison"), replace(c, trial="Z")):
        assert of_comparison(study, asking, unlike, 4.0) is None
    with pytest.raises(ValueError, match="0 to 15 m/s"):
        wind_averaged(asking, "B", "A", 90.0, 40.0, 0.95)
