"""Plan, for every shape of study: what is offered, laid out and said fits it."""

from datetime import datetime, time

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from tests.conftest import driven_study
from tests.core.planning.test_shapes import study_of

from fairmargin.core.study.aims import laid_out
from fairmargin.core.study.plan import HourForecast, Plan
from fairmargin.core.units import UNIT_CHOICES


@pytest.fixture
def plan(window):
    def opened(study, page="design"):
        window.session.add_study(study)
        window.go_to("plan")
        stage = window.stage("plan")
        stage.show_page(page)
        return stage

    return opened


def typed(qtbot, field, text):
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, text) if text else qtbot.keyClick(field.edit, Qt.Key.Key_Delete)
    qtbot.keyClick(field.edit, Qt.Key.Key_Return)


def simulated(qtbot, stage):
    qtbot.mouseClick(stage.designs.go, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: stage.designs._job is None, timeout=60_000)
    return [d.order for d in stage.designs._found]


@pytest.mark.parametrize(
    "units, text, first",
    [("metric", "70; 85", 70.0), ("us", "43,5; 53", 43.5 * 1.609344), ("metric", "50 mph", 50 * 1.609344)],
)
def test_speeds_are_typed_and_every_letter_is_driven_at_each(qtbot, plan, window, units, text, first):
    stage = plan(study_of(order="ABBA"))
    window.session.set_units(UNIT_CHOICES[units])
    typed(qtbot, stage.speeds, text)
    study = window.session.study
    count = text.count(";") + 1
    assert len(study.runs()) == 4 * count
    assert study.legs[0].speed_kmh == pytest.approx(first, abs=0.01)
    typed(qtbot, stage.sectors, "town; rural")
    assert len(window.session.study.legs) == 4 * count * 4
    # Another order keeps both; empty fields take them back.
    stage.order.setCurrentIndex(stage.order.findData("AABB"))
    qtbot.mouseClick(stage.lay, Qt.MouseButton.LeftButton)
    assert len(window.session.study.legs) == 4 * count * 4
    typed(qtbot, stage.speeds, "")
    typed(qtbot, stage.sectors, "")
    study = window.session.study
    assert study.order == "AABB" and [x.speed_kmh for x in study.legs] == [None] * 8


def test_a_speed_that_is_none_is_refused_and_nothing_is_laid_out(qtbot, plan, window):
    stage = plan(study_of(order="ABBA"))
    typed(qtbot, stage.speeds, "70; fast")
    assert stage.speeds.has_fault and "fast" in stage.speeds.fault.text()
    assert len(window.session.study.legs) == 8


def test_side_by_side_is_offered_its_own_orders(qtbot, plan):
    stage = plan(study_of("side", order="AB"))
    assert [stage.order.itemData(i) for i in range(stage.order.count())] == ["AB", "AABB", "ABBA"]
    assert "Both drive at once" in stage.order_words.text() and "with 2 legs each" in stage.sees.text()
    assert [trials for _, trials, _, _ in stage.strip._runs] == [(None, 0), (0, None)]
    assert stage.designs.runs.currentText() == "4 runs, both at once"
    assert simulated(qtbot, stage) == ["ABBA", "AABB", "ABAB"]
    assert "Two cars side by side" not in stage.designs.others.text()


def test_three_sides_are_simulated_with_their_own_letters_and_marks(qtbot, plan):
    stage = plan(study_of(sides=3, order="ABCCBA"))
    assert stage.designs.runs.currentText() == "2 runs of each"
    assert simulated(qtbot, stage)[0] == "ABCCBA"
    assert "of the least certain: State" in stage.designs.words.text()
    assert "runs of each settle it" in stage.designs.words.text() or "want about" in stage.designs.words.text()
    stage.designs.bars.render(QPixmap(stage.designs.bars.size()))


def test_one_configuration_is_asked_how_well_it_would_be_known(qtbot, plan):
    stage = plan(study_of("one", order="A"))
    assert not stage.designs.runs.isVisibleTo(stage) and stage.designs.go.text() == "Simulate"
    assert stage.designs.heading.text().startswith("What more runs would give")
    assert simulated(qtbot, stage) == ["A", "AA", "AAA", "AAAA", "AAAAAA"]
    assert "what it takes would be known to" in stage.designs.words.text()
    assert "settles" not in stage.designs.bars.accessibleName()


def test_a_climb_and_weeks_of_trips_have_no_orders_to_compare(plan):
    stage = plan(study_of("climb", order="A"))
    assert not stage.designs.go.isVisibleTo(stage) and not stage.designs.bars.isVisibleTo(stage)
    assert "what comes back is known" in stage.designs.words.text()
    assert not stage.designs.others_panel[0].isVisibleTo(stage)
    weeks = laid_out("everyday", title="Weeks", kind="tyres", order="", method="everyday", names=["Old", "New"])
    stage = plan(weeks)
    assert not stage.lay.isEnabled() and "week by week" in stage.order_words.text()
    assert "80 trips with each: about" in stage.designs.words.text()


def test_a_study_of_two_speeds_says_both(plan):
    stage = plan(study_of("speed", order="ABBA"))
    assert "at 70 km/h and 110 km/h" in stage.designs._stated.text()
    assert not stage.speeds.isVisibleTo(stage)


def test_cold_mornings_are_days_of_their_own(plan):
    stage = plan(study_of(kind="preconditioning", order="ABBABA"), "day")
    page = stage.pages["day"]
    assert page.heading.text().startswith("6 mornings from Saturday 16 May, 08:30: ")
    assert not page.fields["warm"].isVisibleTo(stage) and page.fields["turn"].isVisibleTo(stage)
    assert "Thu 21 08:40 Run R6" in page.strip.accessibleName()
    page.strip.render(QPixmap(page.strip.size()))
    stage = plan(study_of(order="ABBA"), "day")
    assert page.fields["warm"].isVisibleTo(stage)


def test_the_way_to_the_charger_is_asked_where_it_matters(qtbot, plan, window):
    study = study_of(order="ABBAABBA")
    stage = plan(study.with_(plan=study.plan.with_(charger_away_min=None)), "day")
    page = stage.pages["day"]
    assert "How far the charger is nobody said" in page.warning.text()
    typed(qtbot, page.fields["away"], "7")
    assert window.session.study.plan.charger_away_min == 7
    assert "How far the charger" not in page.warning.text()
    assert next(s.minutes for s in page.table().steps if s.words == "To the charger") == 7


@pytest.mark.parametrize(
    "method, words", [("loop", "round."), ("one-way", "alike for every run, as all go the same way")]
)
def test_a_road_driven_one_way_or_round_is_not_told_to_be_driven_both_ways(plan, method, words):
    study = study_of(method=method)
    route = [p.with_(elevation_m=p.distance_m / 200.0) for p in study.route]
    stage = plan(study.with_(route=tuple(route)), "route")
    said = stage.pages["route"].words.text()
    assert words in said and "both ways" not in said


@pytest.mark.parametrize(
    "units, field, text, shown, unit, kept",
    [
        ("us", "water_l", "100", "100", "gal (US)", 378.541),
        ("us", "water_l", "100 gal", "100", "gal (US)", 378.541),
        ("us", "water_l", "400 L", "105.67", "gal (US)", 400.0),
        ("us", "axle_to_jockey_m", "12", "12", "ft", 3.6576),
        ("us", "water_c", "68", "68", "\u00b0F", 20.0),
        ("uk", "water_l", "480", "480", "L", 480.0),
        ("metric", "axle_to_coupling_m", "3,2", "3.2", "m", 3.2),
        ("metric", "fuel_l", "10 gal-imp", "45.46", "L", 45.4609),
    ],
)
def test_loads_are_typed_in_ones_own_units(qtbot, plan, window, units, field, text, shown, unit, kept):
    stage = plan(study_of(kind="payload"), "load")
    window.session.set_units(UNIT_CHOICES[units])
    box = stage.pages["load"].fields[field]
    typed(qtbot, box, text)
    assert not box.has_fault, box.fault.text()
    assert (box.edit.text(), box.unit.text()) == (shown, unit)
    assert getattr(window.session.study.plan.load, field) == pytest.approx(kept, rel=1e-4)


@pytest.mark.parametrize("text, degrees", [("SW", 225.0), ("n", 0.0), ("wsw", 247.5), ("230", 230.0)])
def test_a_wind_is_told_by_the_compass_too(qtbot, plan, window, text, degrees):
    stage = plan(study_of(), "weather")
    typed(qtbot, stage.pages["weather"].fields["wind_from_deg"], text)
    assert window.session.study.plan.forecast.wind_from_deg == degrees


def test_differences_of_temperature_are_in_the_same_degrees_as_temperatures(qtbot, plan, window):
    stage = plan(study_of(), "weather")
    window.session.set_units(UNIT_CHOICES["us"])
    page = stage.pages["weather"]
    typed(qtbot, page.fields["warming_k_per_h"], "1.8")
    typed(qtbot, page.fields["limit_temperature_spread_k"], "9")
    typed(qtbot, page.fields["temperature_c"], "31")
    plan_ = window.session.study.plan
    assert plan_.forecast.warming_k_per_h == pytest.approx(1.0) and plan_.limits.temperature_spread_k == pytest.approx(
        5.0
    )
    assert plan_.forecast.temperature_c == pytest.approx(-0.5556, abs=1e-4)
    assert page.fields["temperature_c"].edit.text() == "31"
    assert page.fields["warming_k_per_h"].unit.text() == "\u00b0F/h"


def test_a_road_of_us_units_climbs_in_feet(plan, window):
    study = study_of()
    route = [p.with_(elevation_m=p.distance_m / 200.0) for p in study.route]
    window.session.set_units(UNIT_CHOICES["us"])
    stage = plan(study.with_(route=tuple(route)), "route")
    # 18.4 km at one in two hundred: 92 m, 302 ft.
    assert "302 ft of climbing, 302 ft higher at the end" in stage.pages["route"].words.text()


def test_three_sides_can_be_asked_what_the_weather_costs(qtbot, plan):
    stage = plan(study_of(sides=3, order="ABCCBA"), "weather")
    page = stage.pages["weather"]
    assert page.cost.isEnabled()
    qtbot.mouseClick(page.cost, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "ABCCBA in this weather" in page.cost_words.text(), timeout=60_000)


def test_daylight_is_asked_for_where_no_track_tells_it(qtbot, plan, window):
    study = study_of(order="ABBA")
    stage = plan(study.with_(route=()), "day")
    page = stage.pages["day"]
    assert "Daylight is not known: no track, and no place" in page.sky.text()
    typed(qtbot, page.fields["place"], "Atlantis")
    assert page.fields["place"].has_fault
    typed(qtbot, page.fields["place"], "London")
    assert not page.fields["place"].has_fault and "light from 0" in page.sky.text()
    typed(qtbot, page.fields["place"], "")
    assert "Daylight is not known" in page.sky.text() and window.session.study.plan.place_latitude is None


def test_the_turning_point_is_told_where_it_is_needed(qtbot, plan, window, tmp_path):
    study = study_of(order="AB")
    stage = plan(study.with_(route=()).with_legs([x.with_(distance_km=None) for x in study.legs]), "route")
    page = stage.pages["route"]
    window.session.set_units(UNIT_CHOICES["us"])
    typed(qtbot, page.fields["turning_point"], "Hallock Bridge")
    typed(qtbot, page.fields["turn_at"], "10")
    kept = window.session.study.plan
    assert kept.turning_point == "Hallock Bridge" and kept.turn_at_km == pytest.approx(16.09, abs=0.01)
    # Ten miles at 90 km/h there and ten back, with a turn of three minutes.
    stage.show_page("day")
    day = stage.pages["day"]
    run = next(s for s in day.table().steps if s.kind == "run")
    assert run.minutes == pytest.approx(2 * 60 * 16.09 / 90 + 3, abs=0.1)
    assert day.write_sheet(str(tmp_path / "day.html"))
    assert "Turn at: Hallock Bridge, 10.0 mi from the start" in (tmp_path / "day.html").read_text(encoding="utf-8")
    window.go_to("drive")
    assert "turn at Hallock Bridge" in window.stage("drive").ahead_words.text()
    loop = plan(study_of(method="loop", order="AB"), "route")
    assert not loop.pages["route"].fields["turning_point"].isVisibleTo(loop)


def test_a_weighbridges_ticket_is_typed_and_held_against_plates_and_tyres(qtbot, plan, window):
    stage = plan(study_of(kind="towing"), "load")
    page = stage.pages["load"]
    window.session.set_units(UNIT_CHOICES["us"])
    for name, text in (
        ("front_axle_kg", "2227"), ("rear_axle_kg", "2381"), ("front_axle_towing_kg", "2172"),
        ("rear_axle_towing_kg", "2568"), ("rear_axle_limit", "2535 plate"), ("tyres", "195/65 R 15 91J"),
    ):  # fmt: skip
        typed(qtbot, page.fields[name], text)
        assert not page.fields[name].has_fault, page.fields[name].fault.text()
    said = page.drawing.accessibleName()
    # 2568 lb stand on the rear axle, hitched, and 2535 are allowed; two tyres of 615 kg carry 2712 lb.
    assert "rear axle: over, 33 lb over the 2535 lb of the plate" in said
    assert "rear tyres: fine, 144 lb left of the 2712 lb" in said
    assert "at most 62 mph by their symbol J" in said
    typed(qtbot, page.fields["tyres"], "195/65 R 15")
    assert "no load index" in page.fields["tyres"].fault.text()
    typed(qtbot, page.fields["trailer_axle_count"], "4")
    assert "expected 1 to 3" in page.fields["trailer_axle_count"].fault.text()


def test_hours_ahead_are_drawn_with_what_speaks_against_each(qtbot, plan, window):
    study = study_of(order="AB")
    ahead = tuple(
        HourForecast(time=datetime(2026, 6, 1, h), wind_speed_ms=9.0 if h >= 16 else 2.0, temperature_c=15, rain=h == 6)
        for h in range(24)
    )
    study = study.with_(plan=study.plan.with_(hours=ahead, avoid=((time(11, 0), time(12, 0)),)))
    stage = plan(study, "weather")
    page = stage.pages["weather"]
    name = page.strip.accessibleName()
    for words in (
        "Mon 01 06:00 to 07:00 no: rain",
        "07:00 to 09:00 no: wet road",
        "11:00 to 12:00 no: traffic",
        "wait: wind",
    ):
        assert words in name
    assert "Best: Monday 01 June, 12:00" in page.ahead.text() or "Best: Monday 01 June, 09:00" in page.ahead.text()
    page.strip.render(QPixmap(page.strip.size()))
    typed(qtbot, page.fields["limit_dries_h"], "0,5")
    assert window.session.study.plan.limits.dries_h == 0.5
    assert "07:00 to 08:00 no: wet road" in page.strip.accessibleName()


def test_pressures_are_carried_to_another_temperature_and_from_hot_to_cold(qtbot, plan, window):
    stage = plan(study_of(), "kit")
    panel = stage.pages["kit"].pressures
    for name, text in (("set", "2,9"), ("set_c", "20"), ("now", "5")):
        typed(qtbot, panel.fields[name], text)
    # Absolute pressure goes with absolute temperature: (290 + 101.3) · 278.15 / 293.15 − 101.3 = 270.0 kPa.
    assert "they show 2.70 bar cold at 5 \u00b0C" in panel.words.text()
    for name, text in (("read", "3.2 bar"), ("tyre", "45")):
        typed(qtbot, panel.fields[name], text)
    # (320 + 101.3) · 293.15 / 318.15 − 101.3 = 286.9 kPa.
    assert (
        "3.20 bar in tyres of 45 \u00b0C are 2.87 bar cold at 20 \u00b0C: 0.03 bar below what was set"
        in panel.words.text()
    )
    assert (window.session.study.plan.tyre_set_kpa, window.session.study.plan.tyre_set_c) == (290.0, 20.0)
    window.session.set_units(UNIT_CHOICES["us"])
    assert "they show 39 psi cold at 41 \u00b0F" in panel.words.text()
    assert panel.fields["set"].edit.text() == "42.1"


def test_what_legs_are_read_by_is_said_and_no_display_beside_it(plan):
    study = driven_study("ABBA").with_(plan=Plan())
    bare = study.with_legs(
        [x.with_(average_shown=None, average_unit=None, average_step=None, charger_kwh=3.4) for x in study.legs]
    )
    stage = plan(bare)
    said = stage.designs._stated.text()
    assert "read by charge back, to \u00b1" in said and "display step" not in said
    assert stage.designs.others.text().splitlines()[-1].startswith("Reading by charge back alone is worth")
    assert " h of driving" not in stage.designs.others.text() and "for a day of " in stage.designs.others.text()
    shown = plan(study)
    assert "display step 0.01 kWh/100 km" in shown.designs._stated.text()


@pytest.mark.parametrize("verdict, words", [
    ("no difference that matters", "No difference that matters, so nothing pays it back. By the best guess:"),
    ("not settled", "Not settled, so nothing is promised to pay it back. By the best guess:"),
])  # fmt: skip
def test_nothing_pays_for_itself_that_is_not_settled(qtbot, window, verdict, words):
    effect = {"no difference that matters": 0.999, "not settled": 0.985}[verdict]
    study = driven_study("ABBA" * (6 if effect > 0.99 else 1), effect=effect)
    study = study.with_(
        change=study.change.with_(purchase_price=300.0), smallest_effect_percent=4.0 if effect > 0.99 else 0.5
    )
    window.session.add_study(study)
    qtbot.waitUntil(lambda: window.session.comparison is not None, timeout=10_000)
    assert window.session.comparison.verdict == verdict
    window.go_to("use")
    use = window.stage("use")
    use.show_page("money")
    page = use.pages["money"]
    typed(qtbot, page.price, "0.3")
    assert page.pays.text().startswith(words)
