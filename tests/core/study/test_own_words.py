"""What somebody wrote in a study in words of their own, wherever in it they stand."""

from tests.conftest import driven_study

from fairmargin.core.study.own_words import own_words
from fairmargin.core.study.trip import Charger, Trip, TripStretch


def test_words_are_found_wherever_they_stand_the_longest_first():
    study = driven_study("ABBA")
    study = study.with_(
        title="Vans, 2.4 t",
        notes="Both at 2.9 bar. Do they pay?",
        configurations=(study.baseline.with_(name="Tyres at 2.9 bar"), *study.configurations[1:]),
        trip=Trip(
            stretches=(TripStretch(km=20, name="fen, 2.5 t limit"),), chargers=(Charger(at_km=10, name="Quay 1.2"),)
        ),
        plan=study.plan.with_(details={"load": "0.5 m3 of gravel"}),
    )
    study = study.with_leg("L03", note="behind a 7.5 t lorry")
    found = own_words(study)
    assert found[0] == "Both at 2.9 bar. Do they pay?" and list(map(len, found)) == sorted(
        map(len, found), reverse=True
    )
    assert {
        "Vans, 2.4 t", "Tyres at 2.9 bar", "fen, 2.5 t limit", "Quay 1.2", "0.5 m3 of gravel", "behind a 7.5 t lorry",
    } <= set(found)  # fmt: skip
    assert "" not in found and len(set(found)) == len(found)
