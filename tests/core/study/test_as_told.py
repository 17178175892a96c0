"""What was said once for a study or an outing stands for empty cells, and only for them."""

from datetime import date

import pytest
from pydantic import ValidationError
from tests.conftest import driven_study

from fairmargin.core.study.as_told import as_told
from fairmargin.core.study.circumstances import BEAUFORT_M_S, Circumstances, Outing


def bare(order="ABBA"):
    study = driven_study(order)
    empty = {
        "climate": "",
        "road": "",
        "speed_held": "",
        "wind_speed_ms": None,
        "wind_from_deg": None,
        "started_at": None,
    }
    return study.with_legs([leg.with_(**empty) for leg in study.legs])


def test_nothing_said_changes_nothing():
    study = bare()
    assert as_told(study) is study


def test_what_was_said_once_fills_the_empty_cells():
    study = bare().with_(circumstances=Circumstances(road="dry", climate="20", speed_held="cruise"))
    study = study.with_leg("L03", road="wet", climate="off")
    told = as_told(study)
    assert {leg.road for leg in told.legs if leg.leg != "L03"} == {"dry"}
    assert (told.leg("L03").road, told.leg("L03").climate, told.leg("L03").speed_held) == ("wet", "off", "cruise")


def test_an_outings_word_beats_the_studys():
    outings = (Outing(id="1", runs=("R1",), road="damp", date=date(2026, 5, 2)),)
    told = as_told(bare().with_(circumstances=Circumstances(road="dry"), outings=outings))
    first = [leg for leg in told.legs if leg.run == "R1"]
    assert {leg.road for leg in first} == {"damp"} and all(leg.dated_only for leg in first)
    assert {leg.road for leg in told.legs if leg.run != "R1"} == {"dry"}


@pytest.mark.parametrize(
    ("word", "low", "high"), [("still", 0.0, 1.5), ("light", 1.6, 5.4), ("moderate", 5.5, 7.9), ("fresh", 8.0, 10.7)]
)
def test_words_for_the_wind_are_those_of_beaufort(word, low, high):
    """WMO code table 1100: 0-1 to 1.5 m/s, 2-3 to 5.4, 4 to 7.9, 5 to 10.7."""
    assert BEAUFORT_M_S[word] == (low, high)
    told = as_told(bare().with_(circumstances=Circumstances(wind=word)))
    assert all(low <= leg.wind_speed_ms <= high and leg.wind_from_deg is None for leg in told.legs)


def test_a_station_beats_a_word_for_the_wind():
    study = driven_study("ABBA")
    told = as_told(study.with_(circumstances=Circumstances(wind="strong")))
    assert [leg.wind_speed_ms for leg in told.legs] == [0] * 8


@pytest.mark.parametrize(
    "fields", [{"road": "mud"}, {"climate": "warm"}, {"climate": "60"}, {"wind": "breezy"}, {"warm_up_min": -3}]
)
def test_what_cannot_be_is_refused(fields):
    with pytest.raises(ValidationError):
        Circumstances(**fields)


def test_what_is_not_known_is_kept_once():
    assert Circumstances(not_known=("road", "road", "wind")).not_known == ("road", "wind")
