"""The result object, field by field as the file format says, with unknown as null."""

import json

import pytest
from tests.conftest import driven_study
from tests.unlike import calm, on_legs, on_trial, unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json


def test_a_comparison_field_by_field():
    study = calm()
    analysis = analyse(study)
    made = as_json(analysis, "here")
    assert (made["path"], made["title"], made["view"]) == ("here", "One thing", "reference")
    (found,), c = made["comparisons"], analysis.comparisons[0]
    assert found["effect_percent"] == round(c.effect_percent, 4)
    assert found["interval_percent"] == [round(v, 4) for v in c.interval_percent]
    assert found["sector"] is None and found["with_grid"] is None
    assert found["margin_budget_percent"].keys() == {name for name, _ in c.margin_budget}
    assert [d["direction"] for d in found["directions"]] == ["out", "back"]
    assert found["trip_time_min_per_100km"] == pytest.approx([66.667, 66.667], abs=1e-3)  # 90 km/h
    leg = made["legs"][0]
    assert leg["corrected_wh_per_km"] == pytest.approx(
        leg["measured_wh_per_km"] + sum(leg["corrections_wh_per_km"].values()), abs=1e-3
    )
    json.dumps(made, allow_nan=False)


def test_a_concern_keeps_its_public_name_for_the_charge():
    made = as_json(analyse(*unlike()["direction-confounded"]))
    blocked = next(c for c in made["concerns"] if c["code"] == "direction-confounded")
    assert blocked["charge_percent"] is None and blocked["severity"] == "blocks" and not blocked["covered"]
    assert set(blocked) == {"code", "severity", "charge_percent", "legs", "title", "message", "next_step", "covered"}


def test_wall_energy_and_climbs_stand_where_they_are():
    study = on_legs(calm(kind="preconditioning"), lambda i, leg: {"grid_kwh": 0.0})
    wall = as_json(analyse(on_trial(study, grid_kwh=0.8)))["comparisons"][0]["with_grid"]
    assert wall["baseline_grid_wh_per_km"] == 0.0
    assert wall["trial_grid_wh_per_km"] == pytest.approx(1000 * 0.8 / 18.4, abs=1e-3)
    study = driven_study("AB").with_(method="climb")
    up_and_down = study.with_legs(
        leg.with_(average_shown=None, soc_start_percent=80.0, soc_end_percent=73.0 if leg.direction == "out" else 82.0)
        for leg in study.legs
    )
    climb = as_json(analyse(up_and_down))["climbs"][0]
    # By hand: 7 % of 52 kWh up, 2 % back: 29 % returned.
    assert climb["up_wh"] == pytest.approx(3640.0) and climb["returned_percent"] == pytest.approx(28.571, abs=1e-3)


def test_without_readings_there_is_nothing_but_what_is_missing():
    study = driven_study("AB").with_legs(())
    made = as_json(analyse(study))
    assert made["comparisons"] == [] and made["legs"] == [] and made["concerns"] == []


def test_the_margin_and_how_the_comparison_stands_are_in_it():
    study = calm("ABBA")
    found = as_json(analyse(study))["comparisons"][0]
    low, high = found["interval_percent"]
    squares = sum(line["half_width_percent"] ** 2 for line in found["margin"])
    assert squares**0.5 == pytest.approx((high - low) / 2, rel=0.03)
    assert set(found["margin"][0]) == {"source", "half_width_percent", "legs", "cause", "remedy"}
    assert found["method"] == "model" and found["standing"] == "fair"
    contradicted, _ = unlike()["model-contradicted"]
    assert as_json(analyse(contradicted))["comparisons"][0]["method"] == "plain"


def test_what_is_missing_before_anything_can_be_said_is_in_it():
    study = calm("ABBA")
    assert as_json(analyse(study))["missing"] == ""
    alone = study.with_legs(leg for leg in study.legs if leg.configuration == "A")
    assert "Drive the first leg with" in as_json(analyse(alone))["missing"]
