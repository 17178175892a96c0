"""Studies joined: against a reference library, a published network, hand values, and what may not be counted twice."""

from __future__ import annotations

import math
from datetime import date

import numpy as np
import pytest

from fairmargin.core.memory import network
from fairmargin.core.memory.findings import Finding, as_record, from_record
from fairmargin.core.memory.network import joined, moved_since, renamed, repeated, shared_errors
from fairmargin.core.units import plain

meta = pytest.importorskip("statsmodels.stats.meta_analysis")


def finding(study: int, percent: float, half: float, baseline="Bare", trial="Cover", **more) -> Finding:
    """A finding of a study, its half-width at 95 % in per cent."""
    sd = half / 100 / 1.959964
    return Finding(study, f"Study {study}", "Van", baseline, trial, math.log1p(percent / 100), sd, **more)


def one(found, **asked) -> network.Joint:
    (joint,), _ = joined(found, "Van", **asked)
    return joint


def fixed_spread(monkeypatch, tau: float) -> None:
    """A spread that is known, as reference libraries take it."""
    monkeypatch.setattr(network, "SPREAD_SCALE", 1.0)
    monkeypatch.setattr(network, "SPREADS", np.array([tau]))


EFFECTS = [(-3.1, 1.2), (-2.2, 2.0), (-4.9, 1.6), (-3.6, 3.0), (-1.0, 2.4)]


def test_pooled_and_heterogeneity_as_a_reference_library_has_them(monkeypatch):
    """statsmodels' combine_effects: fixed and random effects (Paule and Mandel), and Cochran's Q."""
    found = [finding(i + 1, *e) for i, e in enumerate(EFFECTS)]
    y, var = np.array([f.log_ratio for f in found]), np.array([f.sd**2 for f in found])
    theirs = meta.combine_effects(y, var, method_re="pm", row_names=[str(i) for i in range(5)])
    frame = theirs.summary_frame()
    for tau2, row in ((0.0, "fixed effect"), (theirs.tau2, "random effect")):
        fixed_spread(monkeypatch, math.sqrt(tau2))
        effect, (low, high) = one(found).between("Bare", "Cover")
        assert math.log1p(effect / 100) == pytest.approx(frame.loc[row, "eff"], abs=2e-5)
        half = (math.log1p(high / 100) - math.log1p(low / 100)) / 2
        assert half == pytest.approx(1.959964 * frame.loc[row, "sd_eff"], rel=2e-3)
    assert one(found).spread.q == pytest.approx(theirs.q, rel=1e-6)
    assert one(found).spread.chance == pytest.approx(theirs.test_homogeneity().pvalue, rel=1e-6)


#: Twenty-six trials of ten treatments of blood sugar, two arms each: difference (HbA1c, %), its standard error, treatment and
#: what it was held against; S. Senn and others, Statistical Methods in Medical Research 22 (2013) 169, the data as the R package
#: netmeta has them; from memory.
TREATMENTS = """-1.90 0.1414 metf plac|-0.82 0.0992 metf plac|-1.34 0.1435 rosi plac|-1.10 0.1141 rosi plac|-1.30 0.1268 piog plac
-0.77 0.1078 rosi plac|0.16 0.0849 piog metf|0.10 0.1831 piog rosi|-1.30 0.1014 rosi plac|-1.09 0.2263 rosi plac|-1.50 0.1624 rosi plac
-0.14 0.2239 rosi metf|-1.20 0.1436 rosi sulf|-0.40 0.1549 acar sulf|-0.80 0.1432 acar plac|-0.57 0.1291 sita plac
-0.70 0.1273 vild plac|-0.37 0.1184 metf sulf|-0.74 0.1839 migl plac|-1.41 0.2235 migl plac|0.00 0.2339 rosi metf
-0.68 0.2828 migl plac|-0.40 0.4356 metf plac|-0.23 0.3467 benf plac|-1.01 0.1366 benf plac""".replace("\n", "|").split(
    "|"
)
#: A trial of three arms, with the variances of its arms: they follow from the three standard errors 0.3579, 0.3758 and 0.4669.
THREE_ARMS = {"plac": (0.0, 0.11555), "metf": (-1.20, 0.02565), "acar": (-1.00, 0.10245)}


def test_a_published_network(monkeypatch):
    """Common effects over placebo, their standard errors and Q = 96.99 on 18 degrees of freedom, as netmeta prints them."""
    fixed_spread(monkeypatch, 0.0)
    monkeypatch.setattr(network, "WIDE", 100.0)
    found = []
    for number, trial in enumerate(TREATMENTS, start=1):
        effect, error, name, against = trial.split()
        found.append(Finding(number, "", "", against, name, float(effect), float(error)))
    _, placebo = THREE_ARMS["plac"]
    for name in ("metf", "acar"):
        effect, own = THREE_ARMS[name]
        errors = {"leg plac": -math.sqrt(placebo), f"leg {name}": math.sqrt(own)}
        found.append(Finding(99, "", "", "plac", name, effect, math.sqrt(own + placebo), errors=errors))
    (joint,), left = joined(found, "")
    assert not left
    assert joint.reference == "plac"
    assert (joint.spread.q, joint.spread.freedom) == (pytest.approx(96.99, abs=0.01), 18)
    assert joint.spread.differ
    told = {
        n: (float(m), math.sqrt(v))
        for n, m, v in zip(joint.names, joint.means[0], np.diag(joint.covariances[0]), strict=True)
    }
    published = {
        "acar": -0.8274, "benf": -0.9052, "metf": -1.1141, "migl": -0.9439, "piog": -1.0664, "rosi": -1.2018, "sita": -0.5700,
        "sulf": -0.4395, "vild": -0.7000,
    }  # fmt: skip
    for name, effect in published.items():
        assert told[name][0] == pytest.approx(effect, abs=2e-4), name
    assert told["rosi"][1] == pytest.approx(0.048, abs=5e-4)
    assert joint.placed[0].name == "rosi"
    held = {frozenset((p.first, p.second)): p for p in joint.pairs}
    assert held[frozenset(("metf", "acar"))].direct
    assert not held[frozenset(("rosi", "acar"))].direct


def test_through_a_common_baseline_by_hand(monkeypatch):
    """B − A = −2 ± 1 and C − A = −5 ± 1.5 in two studies: C − B = −3.06 of B with √(1² + 1.5²)."""
    fixed_spread(monkeypatch, 0.0)
    joint = one([finding(1, -2.0, 1.0, trial="B"), finding(2, -5.0, 1.5, trial="C")])
    effect, (low, high) = joint.between("b", "C")
    assert effect == pytest.approx(100 * (0.95 / 0.98 - 1), abs=1e-3)
    assert (high - low) / 2 == pytest.approx(math.hypot(1.0, 1.5) * 0.95 / 0.98, rel=0.03)
    assert not next(p for p in joint.pairs if {p.first, p.second} == {"B", "C"}).direct
    with pytest.raises(ValueError, match='"D" was not compared; expected one of Bare, B, C'):
        joint.between("B", "D")


def test_shared_errors_are_not_counted_twice(monkeypatch):
    fixed_spread(monkeypatch, 0.0)
    apart = [finding(i, -3.0, 2.0) for i in (1, 2, 3, 4)]
    sd = apart[0].sd
    shared = [finding(i, -3.0, 2.0, errors={"drag area": 0.8 * sd}) for i in (1, 2, 3, 4)]

    def half(found) -> float:
        _, (low, high) = one(found).between("Bare", "Cover")
        return (high - low) / 2

    assert half(apart) == pytest.approx(2.0 / 2 * 0.97, rel=0.01), "four by themselves: half the margin"
    # 0.64 of the variance is one and the same in all: √(0.64 + 0.36 / 4)
    assert half(shared) == pytest.approx(2.0 * math.sqrt(0.73) * 0.97, rel=0.01)
    # Of two against one baseline it cancels in what they differ by; with the other sign it adds.
    for sign, part in ((1.0, 0.36 * 2), (-1.0, 0.36 * 2 + 0.64 * 4)):
        two = [
            finding(1, -3.0, 2.0, trial="B", errors={"drag area": 0.8 * sd}),
            finding(2, -3.0, 2.0, trial="C", errors={"drag area": sign * 0.8 * sd}),
        ]
        _, (low, high) = one(two).between("B", "C")
        assert (high - low) / 2 == pytest.approx(2.0 * math.sqrt(part), rel=0.02)


def test_what_only_one_study_knows_is_its_own():
    """Numbered errors and legs are shared within a study, the wind at a road with its road, the rest with the vehicle."""
    sd = finding(1, 0, 1).sd
    own = {"#7": 0.5 * sd, "leg L01": 0.5 * sd, "height factor": 0.5 * sd, "yaw slope": 0.4 * sd}
    found = [
        finding(1, 0, 1, errors=own, road="Dyke Road"), finding(1, 0, 1, trial="C", errors=own, road="Dyke Road"),
        finding(2, 0, 1, errors=own, road="dyke  road"), finding(3, 0, 1, errors=own, road="Mill Lane"),
    ]  # fmt: skip
    correlation = shared_errors(found) / sd**2
    assert np.diag(correlation) == pytest.approx([1, 1, 1, 1])
    assert correlation[0, 1] == pytest.approx(3 * 0.25 + 0.16)
    assert correlation[0, 2] == pytest.approx(0.25 + 0.16)
    assert correlation[0, 3] == pytest.approx(0.16)
    # An error said to be larger than the whole margin cannot make it wider.
    huge = finding(1, 0, 1, errors={"drag area": 9 * sd})
    assert shared_errors([huge])[0, 0] == pytest.approx(sd**2)


def test_one_study_says_what_it_says_on_its_own_pages():
    joint = one([finding(1, -3.0, 2.0)])
    effect, interval = joint.between("Bare", "Cover")
    assert effect == pytest.approx(-3.0, abs=1e-4)
    assert interval == pytest.approx(finding(1, -3.0, 2.0).interval_percent, abs=1e-3)
    assert joint.spread.chance is None
    assert "One study" in joint.spread.words


def test_studies_that_contradict_each_other_say_so_and_widen():
    agreeing = one([finding(1, -3.0, 1.0), finding(2, -3.2, 1.0), finding(3, -2.9, 1.0)])
    assert not agreeing.spread.differ
    assert "agree within their margins" in agreeing.spread.words
    contradicting = one([finding(1, -6.0, 1.0), finding(2, 0.0, 1.0), finding(3, -3.0, 1.0)])
    assert contradicting.spread.differ
    assert contradicting.spread.chance < 1e-6
    assert "something changed that nobody noted" in contradicting.spread.words
    widths = [j.between("Bare", "Cover")[1] for j in (agreeing, contradicting)]
    assert widths[1][1] - widths[1][0] > 2.5 * (widths[0][1] - widths[0][0])
    assert contradicting.spread.percent > 4 * agreeing.spread.percent


def test_five_covers_over_two_studies_and_three_days_with_one_baseline():
    """Ranking, what cannot be told apart, and pairs through the baseline: a large difference, a small one, and none."""
    found = [
        finding(1, -6.0, 1.2, trial="Full discs"), finding(1, -5.6, 1.2, trial="Mesh discs"), finding(1, -0.2, 1.2, trial="Rings"),
        finding(2, -3.0, 1.2, trial="Half discs"), finding(2, 2.5, 1.2, trial="Spokes"),
    ]  # fmt: skip
    joint = one(found)
    assert [p.name for p in joint.placed] == ["Full discs", "Mesh discs", "Half discs", "Rings", "Bare", "Spokes"]
    assert joint.placed[0].chances[0] == pytest.approx(0.67, abs=0.06)
    assert all(sum(p.chances) == pytest.approx(1.0) for p in joint.placed)
    alike = {frozenset((p.first, p.second)) for p in joint.alike}
    assert frozenset(("Full discs", "Mesh discs")) in alike
    assert frozenset(("Rings", "Bare")) in alike
    assert frozenset(("Full discs", "Spokes")) not in alike
    assert frozenset(("Half discs", "Bare")) not in alike
    pairs = {frozenset((p.first, p.second)): p for p in joint.pairs}
    assert pairs[frozenset(("Full discs", "Rings"))].direct
    assert not pairs[frozenset(("Full discs", "Spokes"))].direct
    assert pairs[frozenset(("Full discs", "Spokes"))].percent == pytest.approx(100 * (1.025 / 0.94 - 1), abs=0.05)


def test_many_pairs_at_once_are_told_apart_less_easily():
    """2.3 standard deviations tell two apart; among six configurations, fifteen pairs at once, they do not."""
    two = [finding(1, 2.3 * 1.0, 1.96, trial="B")]
    (pair,) = one(two).pairs
    assert pair.told_apart
    many = [*two, *(finding(i, 0.0, 1.96, trial=name) for i, name in enumerate("CDEF", start=2))]
    (of_two,) = [p for p in one(many).pairs if {p.first, p.second} == {"Bare", "B"}]
    assert not of_two.told_apart
    assert of_two.interval_percent[0] > 0, "by itself it would be"


def test_what_is_not_counted():
    unfair = finding(2, -9.0, 1.0, verdict="not a fair comparison")
    other = finding(3, -5.0, 1.0, speed_kmh=120.0)
    found = [finding(1, -3.0, 1.0, speed_kmh=90.0), finding(4, -3.1, 1.0, speed_kmh=93.0), unfair, other]
    joints, left = joined(found, "van")
    assert [j.studies for j in joints] == [(1, 4), (3,)], "another speed is a group of its own"
    assert [(x.finding.study, x.why) for x in left] == [(2, "not a fair comparison")]
    joints, left = joined(found, "Van", speed_kmh=120.0)
    assert [j.studies for j in joints] == [(3,)]
    assert {plain(x.why) for x in left} == {
        "not a fair comparison",
        "at 90 km/h, not 120 km/h",
        "at 93 km/h, not 120 km/h",
    }
    assert joined(found, "Lorry") == ((), ())
    # Questions that hang together by nothing are groups of their own.
    assert len(joined([finding(1, 1, 1), finding(2, 1, 1, "Summer", "Winter")], "Van")[0]) == 2


def test_two_configurations_of_one_name_are_not_compared():
    """A name typed twice, or two names said to be one: nothing stands against anything, and the list says so."""
    twice = finding(1, -3.0, 1.0, trial="bare ")
    joints, left = joined([twice], "Van")
    assert joints == () and [(x.finding, x.why) for x in left] == [(twice, network.ONE_NAME)]
    assert repeated([twice, finding(2, -2.0, 1.0, trial="Bare")]) == ()
    (joint,), left = joined([twice, finding(2, -2.0, 1.0)], "Van")
    assert joint.names == ("Bare", "Cover") and len(joint.pairs) == 1 and [x.finding for x in left] == [twice]


def test_a_question_asked_again():
    found = [
        finding(2, -2.0, 1.5, when=date(2026, 11, 7)), finding(1, -4.0, 1.0, when=date(2025, 11, 2)),
        finding(3, 5.0, 1.0, "Summer", "Winter", when=date(2026, 1, 1)),
    ]  # fmt: skip
    (again,) = repeated(found)
    assert again.studies == (2, 1)
    moved, (low, high) = moved_since(again)
    assert moved == pytest.approx(100 * (0.98 / 0.96 - 1), abs=1e-6)
    assert (high - low) / 2 == pytest.approx(math.hypot(1.5, 1.0) * 1.0208, rel=0.03)
    # Asked the other way round, it is the same question.
    turned = [found[1], finding(2, 100 * (1 / 0.98 - 1), 1.5, "Cover", "Bare", when=date(2026, 11, 7))]
    (again,) = repeated(turned)
    assert moved_since(again)[0] == pytest.approx(moved, abs=1e-6)
    assert again.between("Bare", "Cover")[0] == pytest.approx(-3.3, abs=0.12)
    assert moved_since(one([finding(1, 1, 1)])) is None


def test_names_that_somebody_said_are_the_same():
    found = [finding(1, -3.0, 1.0, "Discs off", "Discs on"), finding(2, -3.0, 1.0, "No covers", "Discs on")]
    assert len(repeated(found)) == 0
    (again,) = repeated(renamed(found, {"no covers": "Discs off"}))
    assert again.names == ("Discs off", "Discs on")


def test_a_finding_comes_back_from_its_record():
    f = finding(
        4,
        -3.0,
        1.0,
        when=date(2026, 5, 2),
        kind="aero covers",
        road="Dyke Road",
        errors={"drag area": 0.001},
        verdict="uses less",
    )
    back = from_record(as_record(f), 4, "Study 4")
    assert back.percent == pytest.approx(f.percent, abs=1e-3)
    assert back.sd == pytest.approx(f.sd, rel=1e-3)
    assert (back.when, back.road, dict(back.errors), back.verdict) == (f.when, f.road, dict(f.errors), f.verdict)
    for broken in ({"log_ratio": float("nan")}, {"sd": 0.0}, {"sd": "wide"}):
        with pytest.raises((ValueError, TypeError)):
            from_record(as_record(f) | broken, 4, "")
