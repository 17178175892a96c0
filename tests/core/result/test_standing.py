"""Fair is earned: what is in the way of it, one at a time."""

import pytest
from tests.conftest import driven_study
from tests.unlike import calm, unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.fairness import Concern
from fairmargin.core.result.standing import standing
from fairmargin.core.result.verdict import Ruling

CLEAR = Ruling("uses less", -5.0, (-6.0, -4.0), 0.0, 4, 4)


def concern(code="gusts", severity="caution", bias=0.3, covered=True):
    return Concern(code, severity, bias, (), code.capitalize(), "", "", covered, True)


def test_four_pairs_with_nothing_in_the_way_are_fair():
    found = standing(CLEAR, "model", -5.4, [concern()])
    assert found.word == "fair" and found.sentence.endswith("The comparison is fair.")


@pytest.mark.parametrize(
    ("ruling", "method", "read", "found", "word", "part"),
    [
        (CLEAR, "model", -5.0, [concern(severity="blocks")], "not fair", "first entry"),
        (CLEAR, "plain", -5.0, [], "with reservations", "plain difference"),
        (Ruling("uses less", -5.0, (-6, -4), 0.4, 4, 4), "model", -5.0, [], "with reservations", "0.4 %"),
        (CLEAR, "model", -5.0, [concern(bias=None)], "with reservations", "no price"),
        (CLEAR, "model", -5.0, [concern("one-pair-only")], "with reservations", "another"),
        (CLEAR, "model", -5.0, [concern("one-leg-decides")], "with reservations", "One leg"),
        (CLEAR, "model", -5.0, [concern("instruments-disagree")], "with reservations", "instruments"),
        (CLEAR, "model", -5.0, [concern("vehicle-confounded")], "with reservations", "swapped"),
        (CLEAR, "model", 0.5, [], "with reservations", "larger than the effect"),
        # Of +1.7 as read the corrections made 11.4: they are larger than what was there to be corrected.
        (
            Ruling("uses more", 11.4, (6.1, 16.9), 0.0, 2, 2),
            "model",
            1.7,
            [],
            "with reservations",
            "corrections (9.7 %)",
        ),
    ],
)
def test_what_is_in_the_way(ruling, method, read, found, word, part):
    made = standing(ruling, method, read, found)
    assert made.word == word and part in made.sentence


def test_studies_by_hand():
    assert analyse(calm("ABBA")).comparisons[0].standing.word == "fair"
    assert analyse(calm("AB")).comparisons[0].standing.word == "with reservations"
    study, traces = unlike()["instruments-disagree"]
    c = analyse(study, traces).comparisons[0]
    assert c.standing.word != "fair"


def test_each_comparison_has_its_own_concerns():
    study = driven_study("ABBA")
    fast = study.with_legs(
        leg.with_(leg=f"F{leg.leg}", run=f"F{leg.run}", speed_kmh=110, duration_s=602.0, tyre_pressure_kpa=None)
        for leg in study.legs[:4]
    )
    both = study.with_legs((*(leg.with_(speed_kmh=90) for leg in study.legs), *fast.legs))
    by_speed = {round(c.speed_kmh): {x.code for x in c.concerns} for c in analyse(both).comparisons}
    assert "one-pair-only" in by_speed[110] and "one-pair-only" not in by_speed[90]
