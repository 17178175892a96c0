"""What each instrument says of the change, and that their disagreement is where the verdict is."""

from __future__ import annotations

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.study import Study
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.results import beside


def two_instruments(trial_kwh: float, base_kwh: float = 3.40, order: str = "ABBA") -> Study:
    """Display 170 and 161.5 Wh/km over 20 km, which is 3.40 and 3.23 kWh; the trip's energy beside it."""
    study = driven_study(order, effect=0.95)
    return study.with_legs(
        [
            x.with_(
                distance_km=20.0, gps_distance_km=None, energy_step_kwh=0.01,
                energy_kwh=trial_kwh if x.configuration == "B" else base_kwh,
            )
            for x in study.legs
        ]
    )  # fmt: skip


def test_each_instrument_has_its_own_effect_and_they_agree():
    (c,) = analyse(two_instruments(3.23)).comparisons
    assert [x.instrument for x in c.instruments] == ["trip average", "trip energy"]
    for x in c.instruments:
        assert x.as_measured_percent == pytest.approx(-5.0, abs=0.2)
        assert x.effect_percent == pytest.approx(c.effect_percent, abs=0.3)
    assert "instruments-apart" not in {x.code for x in c.concerns}


def test_instruments_that_tell_different_effects_are_told_priced_and_widen():
    """−5.0 % by the display, −8.0 % by the energy: 3 % apart, where steps of 0.3 % each allow nothing like it."""
    (same,), (c,) = (analyse(two_instruments(x)).comparisons for x in (3.23, 3.128))
    display, energy = c.instruments
    assert display.effect_percent == pytest.approx(same.effect_percent, abs=0.2)
    assert energy.effect_percent - display.effect_percent == pytest.approx(-3.0, abs=0.3)
    (concern,) = [x for x in c.concerns if x.code == "instruments-apart"]
    assert concern.bias_percent == pytest.approx(-3.2, abs=0.2) and not concern.covered
    assert c.open_charge_percent >= 3.0 and c.standing.word != "fair"
    study = two_instruments(3.128)
    (line,) = [
        x for x in beside(study, analyse(study), c, UNIT_CHOICES["metric"]) if x.startswith("By each instrument")
    ]
    assert "trip average" in line and "trip energy" in line and "They range from" in line


def test_one_instrument_or_one_not_trusted_is_no_second_opinion():
    bare = driven_study("ABBA")
    assert analyse(bare).comparisons[0].instruments == ()
    study = two_instruments(3.128)
    doubted = study.with_(instruments={"trip energy": {"trusted": False}})
    (c,) = analyse(doubted).comparisons
    assert c.instruments == () and "instruments-apart" not in {x.code for x in c.concerns}
    # One leg without it is no comparison by it.
    less = study.with_leg("L03", energy_kwh=None, energy_step_kwh=None)
    assert analyse(less).comparisons[0].instruments == ()


def test_the_object_for_machines_has_them():
    (made,) = as_json(analyse(two_instruments(3.23)))["comparisons"]
    assert [x["instrument"] for x in made["instruments"]] == ["trip average", "trip energy"]
    assert all(len(x["interval_percent"]) == 2 for x in made["instruments"])
    (alone,) = as_json(analyse(driven_study("ABBA")))["comparisons"]
    assert alone["instruments"] == []


def test_as_read_by_the_instrument_that_counts_is_the_figure_as_read():
    """Back is dearer by a tenth and one way back is left out: both places have the balanced figure."""
    study = two_instruments(3.23)
    hilly = [
        x.with_(average_shown=x.average_shown * 1.1, energy_kwh=x.energy_kwh * 1.1) if x.direction == "back" else x
        for x in study.legs
    ]
    (c,) = analyse(study.with_legs(hilly).with_leg("L08", included=False, reason="queue")).comparisons
    assert c.instruments[0].as_measured_percent == pytest.approx(c.as_measured_percent)
    assert c.instruments[1].as_measured_percent == pytest.approx(-5.0, abs=0.3)
