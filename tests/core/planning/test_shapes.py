"""Every shape of study is laid out, timed, written down and simulated as what it is."""

from datetime import date, datetime, time, timedelta
from itertools import pairwise

import icalendar
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import VAN, straight_route

from fairmargin.core.kinds import change_kinds
from fairmargin.core.orders import offered
from fairmargin.core.planning import (
    compare_designs,
    drift_left_by_clock,
    known_wh_per_km,
    lone_designs,
    order_of,
    other_shapes,
    patterns_of,
    plan_day,
    planned,
    planned_speed_kmh,
    split,
    usual_order,
)
from fairmargin.core.planning.expected import likely_effect
from fairmargin.core.planning.planned_runs import planned_runs
from fairmargin.core.study import NamedVehicle
from fairmargin.core.study.aims import AIMS, laid_out, relaid
from fairmargin.core.study.plan import Plan
from fairmargin.core.units import UNIT_CHOICES, in_units
from fairmargin.exchange.reports.calendar import calendar_file
from fairmargin.exchange.reports.day_sheet import day_sheet
from fairmargin.exchange.words.planning import order_words, rounds_words

DAY = date(2026, 5, 16)
NOW = datetime(2026, 5, 1, 12, 0)


def study_of(aim="change", method=None, sides=2, kind="aero covers", order=None, speeds=None, **plan):
    wanted = AIMS[aim]
    names = [f"State {i}" for i in range(sides if wanted.trial else 1)]
    first = laid_out(
        aim,
        title="A day",
        kind=kind if wanted.subject == "configuration" else "other",
        order="",
        method=method or wanted.methods[0],
        names=names,
        speed_kmh=None if aim == "speed" else 90.0,
        speeds_kmh=(70.0, 110.0) if aim == "speed" else None,
        vehicles=[VAN.with_(name="Orrin 1"), VAN.with_(name="Orrin 2")][: wanted.vehicles],
    )
    first = first.with_(plan=Plan(day=DAY, charger_away_min=0, **plan), route=straight_route())
    return relaid(first, order or usual_order(first), speeds_kmh=speeds)


SHAPES = [(aim, method) for aim, wanted in AIMS.items() for method in wanted.methods if aim != "everyday"]


@settings(max_examples=60, deadline=None)
@given(
    shape=st.sampled_from(SHAPES),
    kind=st.sampled_from(change_kinds()),
    sides=st.integers(2, 5),
    speeds=st.lists(st.sampled_from([60.0, 75.0, 90.0]), min_size=0, max_size=3, unique=True),
    units=st.sampled_from(["metric", "us", "uk"]),
    pick=st.integers(0, 3),
)
def test_whatever_is_planned_is_driven_timed_and_written_alike(shape, kind, sides, speeds, units, pick):
    aim, method = shape
    study = study_of(aim, method, sides if aim not in {"side", "speed"} else 2, kind)
    orders = list(offered(len(study.lettered))) if len(study.lettered) > 1 else ["A", "AA"]
    order = orders[pick % len(orders)]
    study = relaid(study, order, speeds_kmh=speeds if speeds and aim != "speed" else None)
    runs, legs = planned_runs(study, study.order)
    # Nothing laid out is dropped, and every run is of the side whose letter stands there.
    assert [run.run for run in runs] == [name for name, _ in study.runs()]
    assert [run.side for run in runs] == [study.lettered[letter] for letter in study.order]
    assert [x.leg for x in legs] == [x.leg for x in study.legs]
    assert {x.speed_kmh for x in legs} == {x.speed_kmh for x in study.legs}
    choice = UNIT_CHOICES[units]
    table = plan_day(study, study.order).worded(lambda words: in_units(words, choice))
    driven = [s for s in table.steps if s.kind == "run"]
    assert [s.run for s in driven] == [run.run for run in runs]
    for before, after in pairwise(s for own in table.days.values() for s in own):
        assert before.end <= after.start
    # A swap stands where the side changes, and nowhere else.
    steps = [s for s in table.steps if s.kind in {"run", "swap"}]
    swapped = [b.words for a, b in pairwise(steps) if b.kind == "swap"]
    changes = sum(a != b for a, b in pairwise(study.order))
    swaps = 0 if study.vehicles_take_turns or study.change.about.from_the_wall else changes
    assert len(swapped) == swaps
    # Calendar and sheet say the same, run by run.
    calendar = icalendar.Calendar.from_ical(calendar_file(study, table, NOW))
    told = [str(e["summary"]) for e in calendar.walk("VEVENT") if str(e["categories"].to_ical(), "utf-8") == "run"]
    assert told == [s.words for s in driven]
    sheet = day_sheet(study, table, choice)
    assert sheet.count('<td class="name">') == len(study.legs)
    for leg in study.legs:
        assert study.configuration(leg.configuration).label in sheet or len(study.configurations) == 1
    # The study as it is planned has a time for each leg, in order, with none before its run.
    laid = planned(study, study.order)
    starts = {s.run: (s.start, s.end) for s in driven}
    for leg in laid.legs:
        first, last = starts[leg.run]
        assert first <= leg.started_at < last
        assert leg.started_at + timedelta(seconds=leg.duration_s) <= last + timedelta(seconds=1)


def test_side_by_side_both_drive_at_once():
    study = study_of("side", order="AB")
    runs, _ = planned_runs(study, "AB")
    assert [len(run.kwh) for run in runs] == [2, 2]
    # A round of 18.4 km at 90 km/h is 12.3 minutes for both together.
    assert runs[0].minutes == pytest.approx(60 * 18.4 / 90, abs=0.1)
    legs = planned(study, "AB").legs
    assert legs[0].started_at == legs[1].started_at and legs[2].started_at > legs[0].started_at
    assert runs[0].label == "Orrin 1: State 0, Orrin 2: State 1"
    assert "Both drive at once" in order_words(study)
    assert "never swapped" in order_words(relaid(study, "AA"))
    (design,) = compare_designs(study, patterns=["AABB"], runs=4, days=40)
    (alone,) = compare_designs(study_of("change", "loop"), patterns=["ABBA"], runs=4, days=40)
    # The day and its wind are alike for both, so the same four rounds see more.
    assert design.half_width_percent < 0.85 * alone.half_width_percent
    assert list(patterns_of(study)) == ["ABBA", "AABB", "ABAB"]


def test_one_way_runs_come_back_in_time_and_energy():
    there, back = study_of(method="one-way"), study_of(method="out-and-back")
    steps = plan_day(there, "ABBA").steps
    ways = [s for s in steps if s.words == "Back to the start"]
    assert len(ways) == 4 and ways[0].minutes == pytest.approx(60 * 18.4 / 90, abs=0.1)
    # Each is driven back at what it was driven there: as much as there and back.
    assert plan_day(there, "ABBA").energy_kwh == pytest.approx(plan_day(back, "ABBA").energy_kwh, rel=0.01)


def test_two_speeds_have_times_effects_and_a_question_of_their_own():
    study = study_of("speed", order="ABBA")
    minutes = [run.minutes for run in planned_runs(study, "ABBA")[0]]
    # There and back: 36.8 km at 70 and at 110 km/h, and one turn of 3 minutes.
    assert minutes == pytest.approx([2208 / 70 + 3, 2208 / 110 + 3, 2208 / 110 + 3, 2208 / 70 + 3], abs=0.1)
    assert planned_speed_kmh(study) == 70.0
    dearer = split(study, 110.0).total / split(study, 70.0).total
    assert likely_effect(study) == pytest.approx(100 * (dearer - 1))
    kwh = [run.kwh[0][1] for run in planned_runs(study, "ABBA")[0]]
    assert kwh[1] / kwh[0] == pytest.approx(dearer, rel=1e-6)
    assert not [s for s in plan_day(study, "ABBA").steps if s.kind == "swap" and s.minutes > 15]
    (design,) = compare_designs(study, patterns=["ABBA"], runs=4, days=40)
    assert design.settles > 0.99 and design.half_width_percent < 10  # of some sixty per cent


def test_several_trials_are_all_simulated_and_the_least_certain_counts():
    study = study_of(sides=3, order="ABCCBA")
    designs = {d.pattern: d for d in compare_designs(study, runs=6, days=40)}
    assert [d.order for d in designs.values()] == ["ABCCBA", "CBAABC", "ABCABC", "AABBCC", "random"]
    assert designs["mirrored"].least_certain in {"State 1", "State 2"}
    # By hand: first and last third of the day lie two thirds apart, ABCCBA has all three in its middle.
    assert designs["one after another"].drift_percent > 2 * designs["mirrored"].drift_percent
    two = next(iter(compare_designs(study_of(order="ABBA"), runs=4, days=40)))
    assert designs["mirrored"].half_width_percent == pytest.approx(two.half_width_percent, rel=0.3)


@pytest.mark.parametrize("sides, pattern, order", [(3, "mirrored", "ABCCBA"), (4, "in turn", "ABCDABCD")])
def test_patterns_of_several_have_every_side_as_often(sides, pattern, order):
    assert order_of(pattern, 2 * sides, sides=sides) == order
    drawn = order_of("random", 3 * sides, sides=sides)
    assert all(sorted(drawn[i : i + sides]) == sorted(order[:sides]) for i in range(0, len(drawn), sides))
    with pytest.raises(ValueError, match=f"a multiple of {sides}"):
        order_of(pattern, 2 * sides + 1, sides=sides)
    with pytest.raises(ValueError, match="not a pattern"):
        order_of("ABBA", sides, sides=sides)


def test_cold_starts_are_one_a_morning_without_a_warm_up():
    study = study_of(kind="preconditioning", order="ABBABA")
    table = plan_day(study, "ABBABA")
    assert list(table.days) == [DAY + timedelta(days=i) for i in range(6)]
    assert not [s for s in table.steps if s.kind in {"warm-up", "swap", "charge"}]
    assert {s.start.time() for s in table.steps if s.kind == "cold pressures"} == {time(8, 30)}
    for own in table.days.values():
        assert [s.kind for s in own] == ["cold pressures", "run", "turn"]
    # Ten minutes, 36.8 km at 90 km/h with a turn, and one to read off: six times.
    assert table.hours == pytest.approx(6 * (10 + 2208 / 90 + 3 + 3) / 60, abs=0.02)
    assert planned(study, "ABBABA").circumstances.warm_up_min == 0
    left = plan_day(study, "ABBABA", done_runs=4, now=datetime(2026, 5, 20, 9, 30))
    assert list(left.days) == [date(2026, 5, 21), date(2026, 5, 22)]
    assert "One cold start a morning" in order_words(study)


def test_a_vehicle_of_unknown_capacity_is_said_not_left_out():
    bare = study_of().with_(vehicle=VAN.with_(usable_capacity_kwh=None))
    table = plan_day(bare, "ABBA")
    assert any("No usable capacity is known: charging is not in these times" in w for w in table.warnings)
    assert all(s.charge_percent is None for s in table.steps)
    diesel = bare.with_(vehicle=VAN.with_(usable_capacity_kwh=None, energy="diesel"))
    assert not plan_day(diesel, "ABBA").warnings


def test_the_way_to_the_charger_takes_its_time_or_is_said_to_be_missing():
    small = study_of().with_(vehicle=VAN.with_(usable_capacity_kwh=24.0))
    near, far = (plan_day(small.with_(plan=small.plan.with_(charger_away_min=m)), "ABBA") for m in (0.0, 12.0))
    stops = sum(s.kind == "charge" for s in near.steps)
    assert stops >= 1
    ways = [s for s in far.steps if "charger" in s.words]
    assert len(ways) >= 2 * stops and {s.minutes for s in ways} == {12.0}
    assert (far.end - near.end) >= timedelta(minutes=24 * stops)
    untold = plan_day(small.with_(plan=small.plan.with_(charger_away_min=None)), "ABBA")
    assert any("How far the charger is nobody said" in w for w in untold.warnings)


def test_vehicles_in_turn_have_batteries_of_their_own():
    study = study_of("vehicles", "loop", order="ABBA")
    fleet = tuple(v.with_(usable_capacity_kwh=c) for v, c in zip(study.vehicles, (60.0, 30.0), strict=True))
    steps = plan_day(study.with_(vehicles=fleet), "ABBA").steps
    levels = {s.run: s.charge_percent for s in steps if s.kind == "run"}
    used = [run.kwh[0][1] for run in planned_runs(study, "ABBA")[0]]
    way = (20 + 20 / 60 * 90) * known_wh_per_km(study) / 1000  # to the start, and twenty minutes of warming up
    # By hand: the second vehicle's level is its own, half of the first's battery.
    assert levels["R1"] == pytest.approx(85 - 100 * (way + used[0]) / 60, abs=0.2)
    assert levels["R2"] == pytest.approx(85 - 100 * (way + used[1]) / 30, abs=0.2)


@pytest.mark.parametrize("aim", ["everyday", "climb", "one"])
def test_where_nothing_is_to_be_ordered_no_orders_are_compared(aim):
    study = laid_out(
        aim, title="", kind="other", order="A" if aim != "everyday" else "", method=AIMS[aim].methods[0], names=["As it is"],
        speed_kmh=90.0, vehicles=[VAN],
    )  # fmt: skip
    assert patterns_of(study) == {} and list(compare_designs(study)) == []
    assert order_words(study)


def test_one_configuration_is_known_the_better_the_more_often_it_is_driven():
    study = study_of("one", order="A")
    designs = list(lone_designs(study, counts=(1, 4), days=40))
    assert [d.order for d in designs] == ["A", "AAAA"]
    # One day, one station and one vehicle are in all of them: more runs of it tell only a little more.
    assert 0.8 * designs[0].half_width_percent < designs[1].half_width_percent < designs[0].half_width_percent
    assert all(d.lone and d.settles != d.settles for d in designs)  # nothing is settled: no question is asked


def test_sectors_share_the_way_out_and_back():
    study = relaid(study_of(), "AB", sectors=("town", "rural"))
    legs = planned_runs(study, "AB")[1]
    assert [x.distance_km for x in legs] == pytest.approx([9.2] * 8)
    (design,) = compare_designs(study, patterns=["ABBA"], runs=4, days=20)
    assert design.least_certain in {"town", "rural"}


def test_other_shapes_are_offered_where_they_answer_the_same_question():
    assert [s.name.split(",")[0] for s in other_shapes(study_of(), 4)] == ["two cars side by side", "everyday log"]
    assert [s.name.split(",")[0] for s in other_shapes(study_of("side", order="AB"), 4)] == ["everyday log"]
    assert other_shapes(study_of("speed"), 4) == () and other_shapes(study_of("vehicles"), 4) == ()


def test_rounds_are_named_by_how_many_sides_there_are():
    assert [rounds_words(n, 2) for n in (1, 2, 3)] == ["2 runs", "2 pairs of runs", "2 runs of each"]


def test_a_fleet_with_loads_is_timed_vehicle_by_vehicle():
    study = study_of(order="AB").with_(vehicles=(NamedVehicle(id="V1", name="One"), NamedVehicle(id="V2", name="Two")))
    study = study.with_legs([x.with_(vehicle="V1" if x.run == "R1" else "V2") for x in study.legs])
    again = relaid(study, "AB")
    labels = [run.label for run in planned_runs(again, again.order)[0]]
    assert labels == ["One, State 0", "One, State 1", "Two, State 0", "Two, State 1"]


def test_a_stop_within_a_block_leaves_some_of_the_drift():
    even = study_of(order="ABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=90.0))
    assert drift_left_by_clock(even) == pytest.approx(0.0, abs=0.01)
    assert "cancels in this order" in order_words(even)
    # Traffic waited out for two hours before the last run: it lies late, and pulls the baseline with it.
    last = [s for s in plan_day(even, "ABBA").steps if s.kind == "run"][-1]
    begin = (last.start - timedelta(minutes=1)).time()
    late = even.with_(plan=even.plan.with_(avoid=((begin, (last.start + timedelta(hours=2)).time()),)))
    runs = [s for s in plan_day(late, "ABBA").steps if s.kind == "run"]
    hours = [(s.start - runs[0].start).total_seconds() / 3600 for s in runs]
    by_hand = ((hours[1] + hours[2]) / 2 - (hours[0] + hours[3]) / 2) / hours[3]
    assert drift_left_by_clock(late) == pytest.approx(by_hand, abs=0.005) and by_hand < -0.2
    assert f"leave {abs(by_hand):.0%} of it" in order_words(late)
