"""Two changes at once, named before the drive."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.planning import other_shapes
from fairmargin.core.planning.second_change import second_changes
from fairmargin.core.study.plan import Plan
from fairmargin.core.units import plain


def declared(kind="aero covers", mass=0.0, turn=0.0, area=None, **plan):
    study = driven_study("AB", kind=kind).with_(plan=Plan(**plan))
    base, trial = study.configurations
    changed = trial.with_(
        mass_delta_kg=mass, circumference_change_percent=turn, frontal_area_delta_m2=area, name="Trial"
    )
    return study.with_(configurations=(base, changed))


@pytest.mark.parametrize(
    "fields, word",
    [
        ({"mass": 120}, "weighs 120 kg more"),
        ({"turn": 2.0}, "2.0 % larger"),
        ({"kind": "cargo", "mass": 80}, "carry the load inside"),
        ({"kind": "payload", "mass": 300, "details": {"above_cab": "yes, by 20 cm"}}, "above the cab"),
        ({"kind": "payload", "mass": 300, "area": 0.3}, "stands in the wind"),
        ({"kind": "wheels", "details": {"same_tyre": "no, winter ones"}}, "wheel and tyre"),
        ({"drag_area_percent": -5, "rolling_percent": 3}, "more than one mechanism"),
    ],
)
def test_what_else_changes_is_named(fields, word):
    found = second_changes(declared(**fields))
    assert len(found) == 1 and word in plain(found[0])


@pytest.mark.parametrize(
    "fields",
    [
        {},
        {"mass": 2.5},
        {"kind": "payload", "mass": 300, "details": {"above_cab": "no"}},
        {"kind": "tyres", "turn": 1.5},
        {"kind": "towing", "mass": 640, "drag_area_percent": 50, "rolling_percent": 10},
    ],
)
def test_one_change_alone_is_left_in_peace(fields):
    assert second_changes(declared(**fields)) == ()


def test_other_shapes_have_their_price():
    beside, everyday = other_shapes(driven_study("ABBA"), 4)
    # By hand: 1.05 % · √(30/18.4) a leg; two vehicles, two configurations of four legs each: times √(4/4).
    assert beside.half_width_percent == pytest.approx(1.96 * 1.05 * (30 / 18.4) ** 0.5, rel=0.01)
    assert everyday.half_width_percent > 2
    assert other_shapes(driven_study("ABBA"), 8)[0].half_width_percent < beside.half_width_percent
