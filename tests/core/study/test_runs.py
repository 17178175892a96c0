"""Runs that were read once over both ways: told in words, laid out and back, as sure as two readings of the same drives."""

import numpy as np
import pytest
from tests.conftest import driven_study
from tests.unlike import calm

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.model.road import Road
from fairmargin.core.result.questions import answered, open_questions, questions, value_of
from fairmargin.core.study import Event
from fairmargin.core.study.runs import joined, way_words

UNREAD = {
    "average_shown": None, "average_unit": None, "average_step": None, "distance_km": None, "gps_distance_km": None,
    "duration_s": None, "started_at": None,
}  # fmt: skip
UNNOTED = {
    "wind_speed_ms": None, "wind_from_deg": None, "temperature_c": None, "pressure_hpa": None, "climate": "", "road": "",
}  # fmt: skip


def once(order, noted=True):
    """A day of which each run was read once, typed on its way out; and the same drives read both ways."""
    both = driven_study(order)
    if not noted:
        both = both.with_legs([leg.with_(**UNNOTED) for leg in both.legs]).with_(route=())
    legs = [
        leg.with_(distance_km=36.8, duration_s=2 * leg.duration_s, gps_distance_km=None)
        if leg.direction == "out"
        else leg.with_(**UNREAD)
        for leg in both.legs
    ]
    return both.with_legs(legs), both


def only(study):
    return analyse(study).comparisons[0]


@pytest.mark.parametrize("order", ["AB", "ABBA", "AABB"])
@pytest.mark.parametrize("noted", [True, False])
def test_read_once_over_both_ways_is_as_sure_as_read_twice(order, noted):
    """Within a seventh of two runs and a sixth of one pair, of which four readings tell the scatter better than two."""
    study, both = once(order, noted)
    told = answered(study, "direction", "loop")
    assert [way_words(told, leg) for leg in told.legs] == ["there and back"] * len(order)
    c, twice = only(told), only(both)
    assert c.half_width_percent == pytest.approx(twice.half_width_percent, rel=0.16 if order == "AB" else 0.145)
    assert c.half_width_percent >= 0.95 * twice.half_width_percent
    assert c.effect_percent == pytest.approx(twice.effect_percent, abs=0.2)
    assert only(study).half_width_percent >= 0.96 * c.half_width_percent  # silence narrows nothing


def test_which_way_a_reading_covers_is_asked_where_it_pays():
    study, _ = once("ABBA", noted=False)
    asked = {q.code: q for q in questions(study, only(study))}
    q = asked["direction"]
    assert q.text == "Each run has one reading: over the way there and back, or one way?"
    assert [words for words, _ in q.answers] == ["there and back", "one way"]
    assert q.answers[0][1] < 0.75 * only(study).half_width_percent
    round_trip = answered(study, "direction", value_of("direction", "there and back"))
    assert only(round_trip).half_width_percent == pytest.approx(q.answers[0][1], rel=0.06)
    assert len(round_trip.legs) == 4 and round_trip.legs[0].average_shown == study.legs[0].average_shown
    one_way = answered(study, "direction", value_of("direction", "one way"))
    assert [leg.direction for leg in one_way.legs] == ["out"] * 4
    for done in (round_trip, one_way, answered(study, "direction", None)):
        assert "direction" not in {q.code for q in open_questions(done)}


def test_it_is_not_asked_while_the_day_goes_on_nor_of_legs_read_both_ways():
    study, both = once("ABBA")
    assert "direction" in {q.code for q in open_questions(study)}
    assert "direction" not in {q.code for q in open_questions(both)}
    later = study.with_legs([leg.with_(**UNREAD) if leg.run == "R4" else leg for leg in study.legs])
    assert "direction" not in {q.code for q in open_questions(later)}  # the last run is yet to be driven
    timed = study.with_leg("L02", duration_s=700.0)
    assert "direction" not in {q.code for q in open_questions(timed)}  # the way back was a leg of its own


def test_a_leg_there_and_back_climbs_its_hill_and_comes_down_again():
    study = calm()
    road = Road(gate_logs(study, (), {}, {}).shape, study)
    out, back = road.there_and_back(36_800.0, 25.0, ())
    climbs = [(s.length_m * np.sin(s.slope_rad)).sum() for s in (out, back)]
    assert climbs[0] == pytest.approx(-climbs[1], abs=0.1) and abs(climbs[0]) > 5.0
    assert out.length_m.sum() == pytest.approx(18_400.0) == back.length_m.sum()
    # slow traffic at 28 km is on the way back, 9.6 km after the turn: by hand 180 s at 60 km/h are 3 km
    slow = Event(leg="L01", kind="slow-traffic", at_km=28.0, duration_s=180.0, speed_kmh=60.0)
    out, back = road.there_and_back(36_800.0, 25.0, [slow])
    held = np.isclose(back.speed_m_s, 60 / 3.6)
    assert not np.isclose(out.speed_m_s, 60 / 3.6).any()
    assert back.length_m[held].sum() == pytest.approx(3000.0, abs=60.0)


def test_joining_keeps_the_reading_and_refuses_two():
    study, both = once("AB")
    assert joined(study, "R1").leg("L01").average_shown == study.leg("L01").average_shown
    with pytest.raises(ValueError, match="both legs have readings"):
        joined(both, "R1")
