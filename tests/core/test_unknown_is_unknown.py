"""An empty cell is unknown, never zero: it may not narrow the interval, of any column, method or instrument.

Held to two per cent of the width; where days were simulated, single columns to a fifth and all together to nothing, as a
note may be worse news than none (a wind of 9 m/s), and readings that happen to disagree with one are evidence of a larger
scatter, which goes with the note. Left out: columns whose legs contradict each other (a heater on for the trial and off for
the baseline, noted, is worse news than nothing noted), see docs/method.md.
"""

import math
from dataclasses import replace
from functools import cache

import pytest
from benchmarks.truths.field import FieldDay, Weeks, field_day, field_weeks
from tests.conftest import driven_study
from tests.unlike import calm, on_legs, unlike

from fairmargin.core import analysis
from fairmargin.core.analysis import analyse
from fairmargin.core.study import Leg

IDENTITY = {"leg", "run", "configuration", "vehicle", "direction", "sector", "included", "state", "reason", "note"}
COLUMNS = sorted(set(Leg.model_fields) - IDENTITY - {"left_out_after_result", "block", "average_unit"})
BY_HAND = {"there and back", "one pair", "loop"}
STUDIES = {
    "there and back": lambda: calm("ABBA"),
    "one pair": lambda: calm("AB"),
    "loop": lambda: calm("ABBA", method="loop"),
    "days apart": lambda: field_day(9, FieldDay(days=2, order="AABB")).study,
    "hold-ups": lambda: field_day(12, FieldDay(traffic=0.5)).study,
    "charged back": lambda: field_day(4, FieldDay(instrument="charge", length_km=35.0)).study,
    "trailer": lambda: field_day(5, FieldDay(kind="towing", effect_percent=70.0, sort="tall")).study,
    "diesel": lambda: field_day(6, FieldDay(sort="diesel", instrument="fuel", length_km=45.0)).study,
    "everyday": lambda: field_weeks(3, Weeks(weeks=2)).study,
}


@pytest.fixture
def quick(monkeypatch):
    """Without concerns and directions, which move no interval: most of the time goes into their fits."""
    monkeypatch.setattr(analysis, "check", lambda case: [])
    monkeypatch.setattr(analysis, "by_direction", lambda case, sides: ())


@cache
def made(name):
    return STUDIES[name]()


def width(study):
    low, high = analyse(study).comparisons[0].interval_percent
    return math.log1p(high / 100) - math.log1p(low / 100)


def least(name):
    return 0.98 if name in BY_HAND else 0.8


@cache
def filled(name):
    return width(made(name))


def emptied(leg, column):
    blank = Leg.model_fields[column].default
    try:
        return leg if getattr(leg, column) == blank else leg.with_(**{column: blank})
    except ValueError:
        return leg  # it cannot be empty by itself


@pytest.mark.parametrize("name", STUDIES)
def test_emptying_a_column_never_narrows(quick, name):
    narrower = {}
    for column in COLUMNS:
        study = made(name)
        bare = study.with_legs(emptied(leg, column) for leg in study.legs)
        if bare != study and analyse(bare).comparisons:
            narrower[column] = width(bare) / filled(name)
    assert len(narrower) >= 4
    assert {c: round(r, 3) for c, r in narrower.items() if r < least(name)} == {}
    assert sum(narrower.values()) / len(narrower) > 1.0


@pytest.mark.parametrize("name", STUDIES)
def test_emptying_one_cell_never_narrows(quick, name):
    study = made(name)
    narrower = {}
    for column in COLUMNS:
        for at in (0, len(study.legs) // 2):
            one = emptied(study.legs[at], column)
            if one is study.legs[at]:
                continue
            bare = study.with_leg(one.leg, **{column: getattr(one, column)})
            if column not in {"average_shown", "energy_kwh", "charger_kwh", "fuel_l"}:  # those are readings
                narrower[column, at] = width(bare) / filled(name)
    assert {c: round(r, 3) for c, r in narrower.items() if r < least(name)} == {}


def test_a_charge_that_is_missing_is_not_the_runs_one_charge():
    """Where every leg is charged back, an empty cell loses one reading and no more."""
    study = made("charged back")
    before = analyse(study).comparisons[0]
    c = analyse(study.with_leg("L01", charger_kwh=None)).comparisons[0]
    assert c.method == "model" and c.legs_used == before.legs_used - 1
    assert c.effect_percent == pytest.approx(before.effect_percent, abs=before.half_width_percent)


def test_a_step_that_nobody_noted_is_the_coarsest_that_fits_the_figures():
    study = driven_study("ABBA", values=[165.0, 170.0, 155.0, 160.0, 155.0, 165.0, 170.0, 165.0])
    halves = study.with_legs(
        leg.with_(average_shown=leg.average_shown / 10, average_unit="kWh/100km", average_step=None)
        for leg in study.legs
    )
    told = study.with_legs(leg.with_(average_step=0.5) for leg in halves.legs)
    assert width(halves) == pytest.approx(width(told), rel=1e-9)


def test_one_temperature_missing_is_its_days_not_the_studys():
    apart = on_legs(field_day(9, FieldDay(days=2, order="AABB", day_gap=21, warmer_k=-9.0)).study, lambda i, leg: {})
    before = analyse(apart).comparisons[0]
    c = analyse(apart.with_leg("L06", temperature_c=None)).comparisons[0]
    assert c.effect_percent == pytest.approx(before.effect_percent, abs=0.25)


def test_times_that_are_missing_leave_open_whether_it_was_one_day():
    """Common practice: what a day does to all its legs is 0.8 %."""
    study = calm("AABB")
    bare = study.with_legs(leg.with_(started_at=None, block="") for leg in study.legs)
    line = next(x for x in analyse(bare).comparisons[0].margin if x.source == "day")
    assert line.half_width_percent == pytest.approx(1.96 * 1.2 * math.sqrt(2) * 0.95, abs=0.12)
    assert all(x.source != "day" for x in analyse(study).comparisons[0].margin)


def test_nothing_but_readings_still_has_a_margin_of_a_few_per_cent():
    """One pair, there and back, on one day: what cancels within it cancels in the margin."""
    plan = FieldDay(
        traffic=0.0, order="AB", forget=frozenset({"wind", "temperature", "pressure", "times", "route", "gps"})
    )
    for seed in range(5):
        c = analyse(field_day(seed, plan).study).comparisons[0]
        assert 2.0 < c.half_width_percent < 9.0
        assert c.effect_percent == pytest.approx(c.as_measured_percent, abs=0.8)  # nothing pulls


@pytest.mark.parametrize("name", ["wet-road", "climate-unlike", "tyre-pressure-unlike"])
def test_a_note_missing_among_others_that_differ_may_be_any_of_them(name):
    column = {"wet-road": "road", "climate-unlike": "climate", "tyre-pressure-unlike": "tyre_pressure_kpa"}[name]
    study, _ = unlike()[name]
    bare = study.with_leg("L03", **{column: Leg.model_fields[column].default})
    alike = calm("ABBA")
    lost = alike.with_leg("L03", **{column: Leg.model_fields[column].default})
    # Where the others are alike it costs next to nothing, where they differ a good deal.
    assert width(lost) / width(alike) < 1.12
    assert width(bare) > 0.85 * width(study)


def test_the_same_forgotten_by_a_tester_of_another_sort():
    whole = FieldDay(days=2, order="AABB", sort="tall", kind="cargo", effect_percent=10.0)
    bare = replace(whole, forget=frozenset({"temperature", "pressure", "wind"}))
    for seed in (1, 2, 3):
        assert width(field_day(seed, bare).study) > 1.1 * width(field_day(seed, whole).study)
