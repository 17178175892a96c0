"""What becomes of a claim where a study has several comparisons."""

from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Claim


def test_a_claim_is_held_against_every_comparison():
    """Two trials: what the first bears out, the second refutes."""
    study = driven_study("ABBA", effect=1.0)
    legs = list(study.legs)
    third = [
        leg.with_(leg=f"C{i}", run=f"RC{i // 2}", configuration="C", average_shown=round(leg.average_shown * 1.2, 1))
        for i, leg in enumerate(x for x in legs if x.configuration == "B")
    ]
    a, b = study.configurations
    study = study.with_(configurations=(a, b, b.with_(id="C", name="Third"))).with_legs([*legs, *third])
    study = study.with_(change=study.change.with_(claim=Claim(percent=0.0, tolerance_percent=6.0)))
    found = analyse(study)
    assert len(found.comparisons) == 2
    assert found.claim.verdict == "refuted" and found.claim.reason.startswith("1 of 2 comparisons say so; Third")
    milder = study.with_(change=study.change.with_(claim=Claim(percent=10.0, tolerance_percent=40.0)))
    assert analyse(milder).claim.verdict == "borne out"
    assert analyse(milder).claim.reason.startswith("2 of 2 comparisons say so")
