"""What a study refuses, and in what words: every value that cannot be, before it can do harm."""

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.study import Configuration, Event, NamedVehicle, RoutePoint, Study
from fairmargin.core.study.aims import laid_out, relaid
from fairmargin.core.study.statement_entry import read_claim, read_known, read_prediction
from fairmargin.core.study.statements import Asked, KnownDifference, Side, WayReading
from fairmargin.core.units import UNIT_CHOICES

METRIC = UNIT_CHOICES["metric"]
VANS = tuple(NamedVehicle(id=i, **VAN.model_dump(by_alias=True)) for i in ("one", "two"))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"sector_weights_km": {"town": 0.0}}, "town: 0 is no length of a sector; expected more than 0"),
        ({"vehicles": (VANS[0], VANS[0])}, "vehicle ids must differ; got one, one"),
        ({"route": (RoutePoint(distance_m=0), RoutePoint(distance_m=0))}, "distance_m must increase along the route"),
        ({"events": (Event(leg="L99"),)}, 'an event names leg "L99", which is not in legs.csv'),
        ({"readings": (WayReading(leg="L99", at_km=1, instrument="state of charge", value=80),)}, 'a reading on the way names leg "L99"'),
        ({"known_differences": (KnownDifference(configuration="X", wh_per_km=7, sd_wh_per_km=3),)}, 'there is no configuration "X"'),
        ({"known_differences": (KnownDifference(vehicle="X", wh_per_km=7, sd_wh_per_km=3),)}, 'there is no vehicle "X"'),
    ],
)  # fmt: skip
def test_what_does_not_belong_together_is_refused(changes, words):
    with pytest.raises(ValueError, match=words.split(";")[0]):
        driven_study("AB").with_(**changes)


def test_legs_that_cannot_be():
    study = driven_study("AB")
    first = study.legs[0]
    with pytest.raises(ValueError, match='leg "L01" stands twice; expected a name of its own'):
        study.with_(legs=(first, first))
    with pytest.raises(ValueError, match='configuration "Z" is not in study'):
        study.with_(legs=(first.with_(configuration="Z"),))
    with pytest.raises(ValueError, match=r'vehicle "three" is not in study.*expected one, two, test, control'):
        study.with_(vehicles=VANS, legs=(first.with_(vehicle="three"),))
    with pytest.raises(KeyError):
        study.leg("L99")
    with pytest.raises(KeyError):
        study.configuration("Z")


def test_sides_of_asked_comparisons_have_names_and_marks():
    study = driven_study("AB").with_(vehicles=VANS)
    side = Side(configuration="B", vehicle="two", speed_kmh=70, sector="town")
    study = study.with_(also_compared=(Asked(baseline=Side(configuration="A"), trial=side),))
    assert study.side_label(side.name) == f"{VANS[1].label}, Trial, town, 70 km/h"
    assert study.side_label("A") == "Baseline"
    assert study.side_label("nobody") == "nobody"
    assert study.trial_number(side.name) == 0
    assert study.trial_number("two") == 0
    assert study.trial_number("A") == 0


def test_orders_that_stand_for_nothing():
    given = {"title": "x", "kind": "aero covers", "method": "loop", "names": ["Off", "On"]}
    with pytest.raises(ValueError, match='"ABZ" has Z, and there are only A, B: A is the baseline'):
        laid_out("change", order="ABZ", **given)
    with pytest.raises(ValueError, match="laps does not fit; expected out-and-back or loop or one-way"):
        laid_out("change", order="AB", **{**given, "method": "laps"})
    with pytest.raises(ValueError, match="there is only A"):
        laid_out("one", order="AB", **{**given, "names": []})
    study = laid_out("change", order="AB", **given)
    with pytest.raises(ValueError, match='"ABC" has C, and there are only A, B'):
        relaid(study, "ABC")
    assert [x.configuration for x in relaid(study, "ba ab").legs] == ["B", "A", "A", "B"]


def test_vehicles_against_each_other_are_laid_out_by_vehicle():
    study = laid_out(
        "vehicles", title="x", kind="other", order="ABBA", method="out-and-back", names=[], vehicles=[VAN, VAN]
    )
    one, two = (v.id for v in study.vehicles)
    assert [x.vehicle for x in study.legs] == [one, one, two, two, two, two, one, one]
    assert {x.configuration for x in study.legs} == {study.baseline.id}


@pytest.mark.parametrize(
    ("text", "words"),
    [("3 to 4 %", "A range is predicted as a consumption"), ("7 apples", '"apples" is not a consumption unit'), ("hello", '"hello" has no figure'), ("uses less", "has no figure; expected")],
)  # fmt: skip
def test_predictions_that_cannot_be_read(text, words):
    with pytest.raises(ValueError, match=words):
        read_prediction(text, METRIC)


def test_predictions_and_claims_as_typed():
    assert read_prediction("", METRIC) == {"prediction_percent": None, "prediction": None}
    assert read_prediction("5 % less", METRIC)["prediction_percent"] == -5
    assert read_prediction("4 % more", METRIC)["prediction_percent"] == 4
    span = read_prediction("3,0 to 3,2 km/kWh", METRIC)["prediction"]
    assert (span.low, span.high, span.unit) == (3.0, 3.2, "km/kWh")
    assert read_prediction("no difference", METRIC)["prediction_percent"] == 0
    assert read_claim("no difference", "").percent == 0
    assert read_claim("", "maker") is None
    with pytest.raises(ValueError, match="has no figure"):
        read_claim("better", "maker")
    claim = read_claim("5 % better ± 1", "maker")
    assert (claim.percent, claim.tolerance_percent, claim.by) == (-5, 1, "maker")
    with pytest.raises(ValueError, match="is no per cent"):
        read_claim("5 apples", "")


def test_known_differences_add_up_only_as_energy():
    known = read_known("7 ± 3 Wh/km, wheel caps", METRIC, configuration="B")
    assert (known.wh_per_km, known.sd_wh_per_km, known.reason) == (7.0, 3.0, "wheel caps")
    assert read_known("1,2 kWh/100km", METRIC, vehicle="two").wh_per_km == pytest.approx(12)
    both = read_known("7,5 ± 2,5 Wh/km, caps, four of them", METRIC, vehicle="two")
    assert (both.wh_per_km, both.sd_wh_per_km, both.reason) == (7.5, 2.5, "caps, four of them")
    assert read_known(" ", METRIC) is None
    with pytest.raises(ValueError, match="do not add up; expected energy per distance"):
        read_known("7 ± 3 km/kWh", METRIC)


def test_a_study_without_a_baseline_or_with_two():
    with pytest.raises(ValueError, match="baseline"):
        Study(configurations=(Configuration(id="A"), Configuration(id="B")))
    with pytest.raises(ValueError, match="baseline"):
        Study(configurations=(Configuration(id="A", baseline=True), Configuration(id="B", baseline=True)))
