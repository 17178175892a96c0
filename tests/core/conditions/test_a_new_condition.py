"""A condition that is added in one place is typed, corrected, carried by the margin, told and priced everywhere."""

import math
from datetime import datetime

import pytest
from tests.coarse_surface import COARSE_SURFACE
from tests.conftest import driven_study
from tests.core.result.test_corrections import wh_per_km

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.registry import conditions, with_condition
from fairmargin.core.conditions.typed import alike, leg_fields, read_leg_field, show_leg_field
from fairmargin.core.fairness.checks import stage_of
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package
from fairmargin.exchange.tables.pasted import apply_cells, read_cells

METRIC = UNIT_CHOICES["metric"]


@pytest.fixture
def coarse():
    with with_condition(COARSE_SURFACE):
        yield


def on_coarse(configuration="B"):
    """A study whose legs of one configuration noted a coarse surface, and the others a smooth one."""
    study = driven_study("ABBA")
    for leg in study.legs:
        words = "coarse" if leg.configuration == configuration else "smooth"
        study = study.with_leg(leg.leg, surface=words)
    return study


def test_it_comes_and_goes():
    before = conditions()
    with with_condition(COARSE_SURFACE):
        assert conditions()[-1] is COARSE_SURFACE and "surface" in leg_fields()
        assert stage_of("surface-unlike") == "examine"
        with pytest.raises(ValueError, match="surface: surface belongs to another condition already"):
            with_condition(COARSE_SURFACE).__enter__()
    assert conditions() == before and "surface" not in leg_fields() and stage_of("surface-unlike") is None


def test_it_is_typed_and_shown(coarse):
    study = driven_study("ABBA")
    leg = study.legs[0]
    leg = leg.with_(**read_leg_field("surface", "coa", METRIC, leg, datetime(2026, 5, 2), study))
    assert show_leg_field("surface", leg, METRIC, study) == "coarse" and "surface" in alike()
    with pytest.raises(ValueError, match='"gravel": expected smooth or coarse'):
        read_leg_field("surface", "gravel", METRIC, leg, datetime(2026, 5, 2), study)
    assert show_leg_field("surface", leg.with_(**read_leg_field("surface", "", METRIC, leg, datetime(2026, 5, 2), study)), METRIC) == ""  # fmt: skip


def test_it_is_pasted(coarse):
    study = driven_study("ABBA")
    pasted = read_cells("Leg\tAsphalt\nL01\tcoarse\nL02\tsmooth")
    assert pasted.roles == ["leg", "surface"]
    after = apply_cells(study, pasted, pasted.roles, METRIC, "L01", datetime(2026, 5, 2)).study
    assert [show_leg_field("surface", leg, METRIC) for leg in after.legs[:3]] == ["coarse", "smooth", ""]


def test_it_stays_in_a_package(coarse, tmp_path):
    write_package(tmp_path / "there", on_coarse(), {})
    back = read_package(tmp_path / "there")
    assert [leg.surface for leg in back.study.legs[:4]] == ["smooth", "smooth", "coarse", "coarse"]
    assert not [n for n in back.notices if "unknown column" in n]


def test_what_it_does_is_what_the_hand_says(coarse):
    # What 6 % more rolling resistance makes of the textbook road load; cold tyres a little more, hence the tolerance.
    share = (wh_per_km(tyre=1.06**-2.5) / wh_per_km() - 1.0) / 0.06
    with_it, without = analyse(on_coarse()), analyse(driven_study("ABBA"))
    c, plain = with_it.comparisons[0], without.comparisons[0]
    moved = c.effect_percent - plain.effect_percent
    assert moved == pytest.approx(-100 * 0.95 * (math.exp(share * math.log(1.06)) - 1), rel=0.15)
    # 4 % of rolling, at 1.96, beside what the margin was.
    own = 1.96 * 4.0 * share * 0.95
    line = next(m for m in c.margin if m.source == "surface")
    assert line.half_width_percent == pytest.approx(own, rel=0.15)
    assert c.half_width_percent == pytest.approx(math.hypot(plain.half_width_percent, own), rel=0.1)
    assert "one surface" in line.remedy and set(line.legs) == {"L03", "L04", "L05", "L06"}
    # A leg on smooth asphalt is not touched; a coarse one loses what the surface cost.
    lines = {leg.leg: leg.corrections_wh_per_km for leg in with_it.legs}
    assert lines["L01"]["surface"] == 0.0
    assert lines["L03"]["surface"] == pytest.approx(-0.95 * 170.0 * share * math.log(1.06), rel=0.15)
    concern = next(x for x in with_it.concerns if x.code == "surface-unlike")
    assert concern.bias_percent == pytest.approx(moved, abs=0.1) and concern.covered


def test_noted_alike_it_moves_nothing(coarse):
    study = driven_study("ABBA")
    alike_study = study.with_legs([leg.with_(surface="coarse") for leg in study.legs])
    c, plain = (analyse(s).comparisons[0] for s in (alike_study, study))
    assert c.effect_percent == pytest.approx(plain.effect_percent, abs=0.1)
    assert c.half_width_percent < 1.1 * plain.half_width_percent


def test_a_leg_that_noted_none_among_others_widens(coarse):
    study = on_coarse()
    partly = study.with_leg("L03", surface="").with_leg("L04", surface="")
    assert analyse(partly).comparisons[0].half_width_percent > analyse(driven_study("ABBA")).comparisons[0].half_width_percent  # fmt: skip
