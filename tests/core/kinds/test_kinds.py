"""Every kind of change, and one that is added in one place: plan, checklist, concerns, the virtual car, the fit."""

import pytest
from pydantic import ValidationError
from tests.roof_tent import ROOF_TENT

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.typed import leg_fields, needed_fields
from fairmargin.core.kinds import MECHANISMS, change_kind, change_kinds, with_kind
from fairmargin.core.planning.checklists import caution, checklist
from fairmargin.core.planning.second_change import second_changes
from fairmargin.core.planning.timetable import swap_minutes
from fairmargin.core.study import Change, new_study
from fairmargin.simulation import DayPlan, simulate


@pytest.fixture
def tent():
    with with_kind(ROOF_TENT):
        yield


def test_every_kind_is_whole():
    for name in change_kinds():
        kind = change_kind(name)
        assert kind.mechanism in MECHANISMS and kind.prompts and kind.forgotten and kind.caution
        assert 0.03 <= kind.usual_effect <= 0.5 and 1.0 <= kind.swap_min <= 90.0
        assert set(kind.asks) <= set(leg_fields())
        worn, none = kind.wear(0.1), kind.wear(0.0)
        assert (worn.drag, worn.rolling, worn.total, worn.mass_share) != (1.0, 1.0, 1.0, 0.0)
        assert (none.drag, none.rolling, none.total, none.mass_share) == (1.0, 1.0, 1.0, 0.0)


def test_an_unknown_kind_is_refused_by_name():
    with pytest.raises(ValidationError, match='"sails" is no kind of change; expected one of wheels, aero covers'):
        Change(kind="sails")
    with pytest.raises(ValueError, match="wheels is a kind of change already"), with_kind(change_kind("wheels")):
        pass


def test_a_new_kind_is_planned(tent):
    assert change_kinds()[-1] == "roof tent"
    study = new_study(title="Tent", kind="roof tent", order="ABBA")
    assert study.change.mechanism == "aerodynamic" and "mass_delta_kg" in needed_fields(study)
    assert "Four clamps at the handbook's torque" in [item.text for item in checklist(study) if item.when == "swap"]
    assert caution("roof tent").endswith("Stay under the roof limit, tent and sleepers apart.")
    assert swap_minutes(study.plan, "roof tent") == 35.0
    base, trial = study.configurations
    heavy = study.with_(configurations=(base, trial.with_(mass_delta_kg=60.0)))
    assert any("carry it inside on baseline runs" in words for words in second_changes(heavy))
    folded = study.with_(plan=study.plan.with_(details={"folded": "Unfolded, all day"}))
    assert "Nobody drives with it unfolded." in second_changes(folded)


def test_a_new_kind_is_worn_by_the_virtual_car_and_found(tent):
    day = simulate(77, DayPlan(kind="roof tent", effect_percent=12.0, order="ABBAABBA", wind="calm", traffic=0.0))
    assert day.truth["effect_percent"] == pytest.approx(12.0, abs=0.1)
    c = analyse(day.study, day.traces).comparisons[0]
    assert c.interval_percent[0] < 12.0 < c.interval_percent[1] and c.half_width_percent < 5.0
