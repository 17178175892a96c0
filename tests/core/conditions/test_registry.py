"""The table of priors: every one has size, unit and source; and how the wind's grow."""

import copy
import pickle

import pytest

from fairmargin.core.conditions.rules import Finding, Rule
from fairmargin.core.conditions.wind import wind_growth
from fairmargin.core.evidence import readings
from fairmargin.core.fairness import thresholds
from fairmargin.core.fairness.checks import rules, stage_of
from fairmargin.core.inference import believed


def test_every_prior_says_what_it_is():
    table = believed.table()
    assert len(table) >= 30 and "DAY" in table and "WET snow" in table
    for prior in table.values():
        assert prior.sd > 0 and prior.unit and prior.what and prior.source


@pytest.mark.parametrize("reported, growth", [(None, 1.015), (0.0, 0.35), (5.0, 1.3), (20.0, 4.15)])
def test_a_mast_errs_more_in_a_strong_wind(reported, growth):
    # By hand: 0.35 + 0.19 per m/s; 3.5 m/s where nobody reported any.
    assert wind_growth(reported) == pytest.approx(growth)


def test_every_threshold_has_unit_and_reason():
    table = thresholds.table()
    assert len(table) >= 50
    for limit in table.values():
        assert limit.unit and len(limit.why) > 8 and limit.source


def test_every_rule_says_where_to_look_and_what_it_needs():
    for rule in rules():
        assert rule.stage in {"question", "plan", "drive", "examine", "correct"} and rule.needs
    assert stage_of("tyre-pressure-unlike") == "drive" and stage_of("no-such-code") is None


@pytest.mark.parametrize("covered, said", [(True, True), (None, None)])
def test_whether_a_concern_is_covered_is_said_once(covered, said):
    found = Finding("note", None, ("L01",), "t", "m.", "s.", covered=said)
    with pytest.raises(ValueError, match="said by the rule or by the check, once"):
        list(Rule("x", "plan", "nothing", covered, lambda _case: [found]).concerns(None))


def test_a_figure_is_copied_and_sent_whole():
    kept = readings.SCATTER_KM
    for made in (copy.deepcopy(kept), pickle.loads(pickle.dumps(kept))):
        assert (made, made.unit, made.why) == (30.0, "km", kept.why) and type(made) is type(kept)
