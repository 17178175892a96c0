"""What goes wrong on a rehearsed day: sizes in the drive, what is seen of it, and what is told afterwards."""

from datetime import date

import numpy as np
import pytest
from tests.conftest import VAN, straight_route

from fairmargin.core.study import Event, new_study
from fairmargin.desktop.stages.driving.words import told_lines
from fairmargin.simulation.mishaps import CHANCES, HARMLESS, NOTHING, SEEN, noted_for_nothing, noticed
from fairmargin.simulation.rehearsal import VirtualCar, prepared, rehearse

DAY = date(2026, 5, 2)


def rehearsed(seed, mishaps=True):
    study = new_study(title="Discs", kind="aero covers", order="ABBA", speed_kmh=90, vehicle=VAN)
    copy = prepared(study.with_(route=straight_route(8000)), seed, DAY, mishaps)
    return copy, rehearse(copy, seed)


@pytest.fixture(scope="module")
def days():
    return {seed: rehearsed(seed) for seed in range(16)}


def of_kind(days, kind):
    return [(study, made, m) for study, made in days.values() for m in made.mishaps if m.kind == kind]


def energy(trace):
    steps = np.diff(trace.time_s) / 7200
    return (
        float(((trace.power_kw[1:] + trace.power_kw[:-1]) * steps).sum()),
        float(((trace.speed_kmh[1:] + trace.speed_kmh[:-1]) * steps).sum()),
    )


def test_a_day_without_them_is_as_it_was(days):
    """The same seed: the same drives but for the legs that were struck, and the same truth."""
    for seed, (_, made) in days.items():
        _, plain = rehearsed(seed, mishaps=False)
        assert plain.mishaps == () and plain.sights == () and not plain.looks_out
        assert made.truths_percent == plain.truths_percent and made.deaf_reset == plain.deaf_reset
        changed = {name for name in plain.legs if not plain.legs[name].same_as(made.legs[name])}
        assert changed == {m.leg for m in made.mishaps if m.kind != "frozen GPS"}


def test_each_kind_is_about_as_frequent_as_it_says(days):
    found = [m.kind for _, made in days.values() for m in made.mishaps]
    for kind, chance in CHANCES.items():
        spread = 2.6 * np.sqrt(len(days) * chance * (1 - chance))
        assert abs(found.count(kind) - len(days) * chance) <= spread, kind


def test_what_it_costs_is_what_the_drive_has(days):
    """Energy over distance against the same drive without: a lorry saves, rain and a way round cost."""
    for kind, low, high in (("lorry", -6.0, -1.0), ("rain", 2.0, 7.0), ("wrong turn", 0.1, 8.0)):
        for study, made, m in of_kind(days, kind):
            plain = rehearse(study.with_(plan=study.plan.with_(details={"rehearsal": str(made.seed)})), made.seed)
            alone = [x.kind for x in made.mishaps if x.leg == m.leg] == [kind]
            (kwh, km), (kwh_was, km_was) = energy(made.legs[m.leg]), energy(plain.legs[m.leg])
            if alone:
                assert m.cost_percent == pytest.approx(100 * (kwh / km / (kwh_was / km_was) - 1), abs=0.01)
            assert low < m.cost_percent < high, (kind, m)
            if kind == "wrong turn":
                assert 0.9 < km - km_was < 2.0
            else:
                assert km == pytest.approx(km_was)


def test_a_wrong_turn_leaves_the_road_and_comes_back(days):
    _, made, m = of_kind(days, "wrong turn")[0]
    trace = made.legs[m.leg]
    metres = np.hypot(np.diff(trace.latitude) * 111_250, np.diff(trace.longitude) * 67_600)
    driven = (trace.speed_kmh[1:] + trace.speed_kmh[:-1]) / 7.2 * np.diff(trace.time_s)
    inside = (trace.time_s[1:] > m.from_s) & (trace.time_s[1:] < m.to_s)
    assert metres[inside].sum() == pytest.approx(driven[inside].sum(), rel=0.15), (
        "place and speed agree on the way round"
    )
    assert metres.max() < 45, "and it jumps nowhere"


def test_what_is_seen_out_of_the_window(days):
    """Lorries, rain and villages are seen while they are there, and harmless things elsewhere; of a frozen GPS nothing."""
    _, made, m = of_kind(days, "lorry")[0]
    car = VirtualCar(made)
    assert car.sight(0.0) == "where you stopped"
    car.depart(m.leg, 100.0)
    assert car.sight(100.0 + m.from_s + 5) == SEEN["lorry"]
    assert car.sight(100.0 + m.to_s + 5) in {NOTHING, SEEN["rain"]}
    harmless = [s for _, made in days.values() for s in made.sights if s.words in HARMLESS]
    assert len(harmless) > 20
    struck = {(seed, m.leg) for seed, (_, made) in days.items() for m in made.mishaps}
    assert not struck & {(seed, s.leg) for seed, (_, made) in days.items() for s in made.sights if s.words in HARMLESS}
    _, plain = rehearsed(3, mishaps=False)
    assert VirtualCar(plain).sight(5.0) == ""


def test_a_frozen_gps_says_one_place(days):
    _, made, m = of_kind(days, "frozen GPS")[0]
    car = VirtualCar(made)
    car.depart(m.leg, 50.0)
    froze, later, after = (50.0 + t for t in (m.from_s, m.from_s + 40, m.to_s + 1))
    assert car.seen_by_gps(later).latitude == car.state(froze).latitude != car.state(later).latitude
    assert car.seen_by_gps(after) == car.state(after)


def driven(study, made):
    """The day as a tester who noted nothing has it: every leg with its mean."""
    legs = []
    for leg in study.legs:
        kwh, km = energy(made.legs[leg.leg])
        legs.append(
            leg.with_(
                duration_s=300, distance_km=5.65, average_shown=round(100 * kwh / km, 1), average_unit="kWh/100km"
            )
        )
    return study.with_legs(legs)


def test_afterwards_it_is_told_what_was_noticed_and_what_it_cost(days):
    study, made, m = of_kind(days, "lorry")[0]
    day = driven(study, made)
    (found,) = [n for n in noticed(day, made.mishaps, "") if n.mishap == m]
    assert found.by == "" and found.cost_percent == m.cost_percent
    # Four legs of each configuration: a quarter of it is in their mean.
    assert found.side_percent == pytest.approx(m.cost_percent / 4)
    (line,) = [x for x in told_lines(day, made) if "lorry was close" in x]
    assert line.startswith(f"{m.leg}: a lorry was close ahead from ")
    assert "not noticed. It put \u2212" in line and "before any correction" in line
    keyed = day.with_(events=(Event(leg=m.leg, kind="following-closely", at_s=100.0),))
    (found,) = [n for n in noticed(keyed, made.mishaps, "") if n.mishap == m]
    assert found.by == "noted with its key"
    out = day.with_leg(m.leg, included=False, reason="lorry")
    (found,) = [n for n in noticed(out, made.mishaps, "") if n.mishap == m]
    assert (found.by, found.cost_percent) == ("left out: lorry", None)


def test_what_was_noted_for_nothing_is_told_too(days):
    study, made = days[5]
    day = driven(study, made)
    other = next(leg.leg for leg in day.legs if leg.leg not in {m.leg for m in made.mishaps})
    noted = day.with_(events=(Event(leg=other, kind="rain", at_s=10.0), Event(leg=other, kind="gust", at_s=20.0)))
    assert noted_for_nothing(noted, made.mishaps) == ((other, "rain"),)
    assert f"{other}: rain noted; there was no rain." in told_lines(noted, made)


def test_a_reset_that_did_not_take(days):
    """Its trip shows the approach as well: 9.4 km where 5.65 lie between the gates; pressed again, it shows these."""
    study, made = next((s, m) for s, m in days.values() if m.deaf_reset)
    day = driven(study, made)
    way = (day.plan.gate_end_m - day.plan.gate_start_m) / 1000
    spoilt = day.with_leg(made.deaf_reset, distance_km=round(1.6 * way, 1), average_shown=20.0)
    (found,) = noticed(spoilt, (), made.deaf_reset)
    assert found.by == "" and found.cost_percent != 0
    leg = day.leg(made.deaf_reset)
    alike = [
        x.average_shown
        for x in day.legs
        if (x.configuration, x.direction) == (leg.configuration, leg.direction) and x.leg != leg.leg
    ]
    assert found.cost_percent == pytest.approx(100 * (20.0 / np.mean(alike) - 1))
    again = day.with_leg(made.deaf_reset, distance_km=round(way, 1))
    (found,) = noticed(again, (), made.deaf_reset)
    assert (found.by, found.cost_percent) == ("pressed again", 0.0)


def test_legs_that_were_not_driven_are_not_spoken_of(days):
    study, made = days[3]
    assert noticed(study, made.mishaps, made.deaf_reset) == ()
    assert told_lines(study, made) == ["Nothing went wrong on the legs that were driven."]
