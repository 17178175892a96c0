"""Where a study is driven: told, or read off a track, never made up."""

from datetime import date, time, timedelta

import pytest
from tests.conftest import driven_study, straight_route

from fairmargin.core.planning import light_of, plan_day
from fairmargin.core.study.place import MADE_UP, place_of, read_place
from fairmargin.core.study.plan import Plan
from fairmargin.exchange.route import typed_route


@pytest.mark.parametrize(
    "text, latitude, longitude",
    [
        ("52.6, 0.1", 52.6, 0.1),
        ("52,6; 0,1", 52.6, 0.1),
        ("-33.87 151.21", -33.87, 151.21),
        ("33.87 S, 151.21 E", -33.87, 151.21),
        ("34.05\u00b0 N 118.24\u00b0 W", 34.05, -118.24),
        ("Sydney", -33.88, 151.22),
        ("  los angeles ", 34.05, -118.25),
        ("Tokyo", 35.69, 139.69),
    ],
)
def test_a_place_is_told_by_figures_or_by_its_name(text, latitude, longitude):
    assert read_place(text) == pytest.approx((latitude, longitude), abs=0.02)


@pytest.mark.parametrize(
    "text, words", [("Wexmoor", "no town that is known"), ("95, 0", "lies nowhere"), ("Europe", "larger than a town")]
)
def test_what_is_no_place_is_refused(text, words):
    with pytest.raises(ValueError, match=words):
        read_place(text)


def test_a_typed_road_lies_nowhere_until_somebody_says_where():
    typed = driven_study("AB", route=typed_route("9 km N"))
    assert (typed.route[0].latitude, typed.route[0].longitude) == MADE_UP
    assert place_of(typed) is None and light_of(typed, date(2026, 6, 21)) is None
    assert place_of(typed.with_(route=straight_route())) == (52.0, 0.1)
    told = typed.with_(plan=Plan(place="Sydney", place_latitude=-33.87, place_longitude=151.21))
    assert place_of(told) == (-33.87, 151.21)
    # Sydney at midsummer of the north: sunset 16:54 (published, from memory); at the made-up place it would be 20:20 and later.
    light = light_of(told, date(2026, 6, 21), timedelta(hours=10))
    assert (light.sunset.hour, light.sunset.minute) == (16, pytest.approx(54, abs=4))
    late = told.with_(plan=told.plan.with_(day=date(2026, 6, 21), start=time(16, 0)))
    table = plan_day(late, "ABBA", utc_offset=timedelta(hours=10))
    assert any("after sunset (16:5" in w for w in table.warnings)
