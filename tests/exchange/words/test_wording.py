"""The sentences carry speed, route, size, interval and confidence, and never more than the verdict."""

import numpy as np
import pytest
from scipy import stats
from tests.conftest import VAN, driven_study
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.outcome import driving_range, energy_per_year_kwh
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.figures import consumption_words
from fairmargin.exchange.words.results import beside, conditions_words, level_words, margin_words, may_not, may_say

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]


def spoken(study, units=METRIC):
    result = analyse(study)
    return may_say(study, result.comparisons[0], units), may_not(study, result, result.comparisons[0], units)


def test_a_difference_is_said_with_its_interval():
    say, say_not = spoken(driven_study("ABBAABBA", route_name="Dyke Road"))
    for part in (
        "On the Dyke Road at 90 km/h",
        "Orrin 1",
        "% less",
        "95 %",
        "about 0.8 kWh/100 km",
        "\u201cTrial\u201d",
    ):
        assert part in say
    assert "as small as" in say_not and "town driving: not driven" in say_not


@pytest.mark.parametrize("effect, part", [(1.0, "no difference that matters"), (1.012, "not settled")])
def test_no_difference_and_not_settled_are_two_things(effect, part):
    wide = driven_study("AB", effect=effect) if part == "not settled" else driven_study("ABBA" * 6, effect=effect)
    say, say_not = spoken(wide.with_(smallest_effect_percent=2.0 if part != "not settled" else 1.0))
    assert part in say
    if part == "not settled":
        assert "Not that there is no difference" in say_not


def test_an_unfair_comparison_says_nothing_about_the_trial():
    study = driven_study("ABBA")
    study = study.with_legs(leg for leg in study.legs if (leg.direction == "out") == (leg.configuration == "A"))
    say, say_not = spoken(study)
    assert say.startswith("Nothing about") and "cannot be told from the change" in say_not


def test_units_of_the_person():
    say, _ = spoken(driven_study("ABBA"), US)
    assert "56 mph" in say
    assert consumption_words(155.0, US) == "249 Wh/mi"
    assert consumption_words(155.0, METRIC) == "15.5 kWh/100 km"
    c = analyse(driven_study("ABBA")).comparisons[0]
    assert conditions_words(driven_study("ABBA"), c, "reference", US) == "corrected to 59 °F, calm, 56 mph"
    assert "nothing corrected" in conditions_words(driven_study("ABBA"), c, "as-measured", METRIC)


def test_a_level_says_what_air_it_holds_for():
    study = driven_study("ABBA")
    (first, _) = analyse(study).results
    assert first.temperature_c == 15.0
    assert level_words(study, first, METRIC) == "at 15 °C, calm" and level_words(study, first, US) == "at 59 °F, calm"
    blown = study.with_(reference=study.reference.with_(temperature_c=-5.0, wind_speed_ms=3.0))
    assert level_words(blown, analyse(blown).results[0], METRIC) == "at \u22125 °C, wind 3.0 m/s"
    bare = analyse(study, view="as-measured").results[0]
    assert bare.temperature_c is None and level_words(study, bare, METRIC) == "not corrected"
    # What warming saves is stated for the mornings driven, and so are the levels.
    warmed = driven_study("ABBA", kind="preconditioning")
    warmed = warmed.with_legs(leg.with_(temperature_c=-8.0) for leg in warmed.legs)
    assert level_words(warmed, analyse(warmed).results[0], METRIC) == "at \u22128 °C, calm"
    untold = warmed.with_legs(leg.with_(temperature_c=None) for leg in warmed.legs)
    assert level_words(untold, analyse(untold).results[0], METRIC) == "in the air of the drives, calm"


def test_air_that_warming_was_driven_in():
    study = driven_study("ABBA", kind="preconditioning", method="loop")
    cold = study.with_legs(leg.with_(temperature_c=-8.0) for leg in study.legs)
    c = analyse(cold).comparisons[0]
    assert conditions_words(cold, c, "reference", US) == "corrected to 18 °F as driven, calm, 56 mph"
    assert conditions_words(cold, c, "reference", METRIC).startswith("corrected to \u22128 °C as driven, calm")
    bare = study.with_legs(leg.with_(temperature_c=None) for leg in study.legs)
    c = analyse(bare).comparisons[0]
    assert conditions_words(bare, c, "reference", METRIC) == "corrected to the air of the drives, calm, 90 km/h"


def test_assumed_constants_are_said():
    study = driven_study("ABBA", vehicle=VAN.with_(mass_kg=None, drag_area_m2=None))
    assert "2 vehicle constants are assumed" in spoken(study)[1]


def test_range_and_energy():
    # Common practice: 95 kWh usable at 554 Wh/mi is 171 mi; 30 kWh at 129, 221, 259 Wh/km is 232, 136, 116 km.
    assert driving_range(95, 554 / 1.609344).full_km / 1.609344 == pytest.approx(171, abs=0.6)
    for wh_per_km, km in ((129, 232), (221, 136), (259, 116)):
        assert driving_range(30, wh_per_km).full_km == pytest.approx(km, abs=0.6)
    assert driving_range(50, 200, 0.2).to_reserve_km == pytest.approx(200)
    assert energy_per_year_kwh(150, 10_000) == pytest.approx(1500)
    with pytest.raises(ValueError, match="capacity and consumption above 0"):
        driving_range(0, 200)


def test_the_pairs_alone_stand_beside_the_effect():
    # Reference: scipy.stats, one-sample t interval of the corrected pairs' differences.
    study = driven_study("ABBAABBA", [170, 168, 163, 160, 162, 161, 171, 169, 169, 168, 161, 163, 162, 160, 170, 171])
    result = analyse(study)
    c = result.comparisons[0]
    used = [p.corrected_percent for p in c.pair_list]
    low, high = stats.t.interval(0.95, len(used) - 1, np.mean(used), stats.sem(used))
    assert c.paired == pytest.approx((8, np.mean(used), low, high))
    line = next(x for x in beside(study, result, c, UNIT_CHOICES["metric"]) if "corrected pairs" in x)
    assert line.startswith("The 8 corrected pairs agree with it")
    assert f"{abs(np.mean(used)):.1f} \u00b1 {(high - low) / 2:.1f} %" in line
    few = analyse(driven_study("AB"))
    assert few.comparisons[0].paired is None and not any("corrected pairs" in x for x in beside(study, few, few.comparisons[0], UNIT_CHOICES["metric"]))  # fmt: skip


def test_where_the_model_is_not_used_the_words_say_so():
    study, traces = unlike()["model-contradicted"]
    result = analyse(study, traces)
    c = result.comparisons[0]
    assert conditions_words(study, c, "reference", METRIC).startswith("not corrected, no model explains it, ")
    assert may_not(study, result, c, METRIC).startswith("Not that wind, warmth and hills are taken out")
    assert "margin \u00b1" in margin_words(c) and c.margin[0].remedy in margin_words(c)
