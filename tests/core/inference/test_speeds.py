"""Several speeds, or sectors, of one study: each is told by the drives of all."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.result.comparison import OUTSIDE_MARGIN, OUTSIDE_PERCENT
from fairmargin.core.study import Event, RoutePoint

LENGTH_KM = 18.4


def two_speeds(b_at_110=0.95, sectors=("", ""), order="ABBA"):
    """150 Wh/km at 90 and 196 at 110, the trial 5 % below at 90; readings are off by tenths, in turn."""
    off = [1.004, 0.997, 1.0, 1.003, 0.996, 1.001, 1.002, 0.998]
    base = driven_study(order)
    legs = []
    for speed, level, b, sector in ((90, 150.0, 0.95, sectors[0]), (110, 196.0, b_at_110, sectors[1])):
        for i, leg in enumerate(base.legs):
            shown = level * (b if leg.configuration == "B" else 1.0) * off[i]
            legs.append(
                leg.with_(
                    leg=f"{leg.leg}-{speed}", run=f"{leg.run}-{speed}", speed_kmh=speed, sector=sector,
                    duration_s=round(3600 * LENGTH_KM / speed), average_shown=round(shown, 1), average_unit="Wh/km", average_step=0.1,
                    wind_speed_ms=0.0,
                    started_at=None if leg.started_at is None else leg.started_at.replace(hour=9 if speed == 90 else 14),
                )
            )  # fmt: skip
    return base.with_(route=(), sector_weights_km={}).with_legs(legs)


def of(study, speed):
    return next(c for c in analyse(study).comparisons if round(c.speed_kmh) == speed)


def alone(study, speed):
    return of(study.with_legs([leg for leg in study.legs if leg.speed_kmh == speed]), speed)


@pytest.mark.parametrize("speed", [90, 110])
def test_drives_of_the_other_speed_narrow_the_margin(speed):
    study = two_speeds()
    together, by_itself = of(study, speed), alone(study, speed)
    assert together.half_width_percent < 0.92 * by_itself.half_width_percent
    assert together.effect_percent == pytest.approx(by_itself.effect_percent, abs=0.6)
    assert together.pairs == by_itself.pairs and together.legs_used == by_itself.legs_used
    # what was read stays what was read there
    assert together.as_measured_percent == pytest.approx(by_itself.as_measured_percent, abs=1e-9)


def test_the_level_and_the_effect_of_a_speed_agree():
    study = two_speeds()
    found = analyse(study)
    for c in found.comparisons:
        a, b = (next(r for r in found.results if r.configuration == x and r.speed_kmh == c.speed_kmh) for x in "AB")
        assert b.wh_per_km / a.wh_per_km - 1 == pytest.approx(c.effect_percent / 100, abs=1e-9)


def test_a_change_that_acts_otherwise_at_the_other_speed_is_seen():
    """Nothing at 110 where it is 5 % at 90: no speed's figure is drawn to the other's by more than its margin."""
    study = two_speeds(b_at_110=1.0)
    for speed, true in ((90, -5.0), (110, 0.0)):
        c = of(study, speed)
        assert c.effect_percent == pytest.approx(true, abs=2.0)
        assert c.interval_percent[0] < true < c.interval_percent[1]


def test_an_absurd_effect_at_one_speed_stays_there():
    study = two_speeds(b_at_110=1.9)
    assert of(study, 110).effect_percent == pytest.approx(90.0, abs=12.0)
    low, high = of(study, 90).interval_percent
    assert low < -5.0 < high


def test_where_the_change_need_not_carry_over_each_speed_stands_alone():
    """A way of driving at 90 says nothing of one at 110."""
    study = two_speeds()
    study = study.with_(change=study.change.with_(kind="technique", mechanism="technique"))
    for speed in (90, 110):
        together, by_itself = of(study, speed), alone(study, speed)
        assert together.interval_percent == pytest.approx(by_itself.interval_percent, abs=0.05)


def test_sectors_tell_of_each_other_where_no_road_is_given():
    study = two_speeds(sectors=("lanes", "trunk"))
    found = {c.sector: c for c in analyse(study).comparisons}
    for sector, speed in (("lanes", 90), ("trunk", 110)):
        assert found[sector].half_width_percent < 0.97 * alone(study, speed).half_width_percent
    # the whole lies among its sectors, and is no surer than what they share lets it be
    parts = [found[s].effect_percent for s in ("lanes", "trunk")]
    assert min(parts) - 1e-9 <= found["whole"].effect_percent <= max(parts) + 1e-9
    assert found["whole"].half_width_percent > 0.7 * min(found[s].half_width_percent for s in ("lanes", "trunk"))


def with_own_roads(study, up_m=80.0):
    """The first sector level, the second up by so much on its way out: by hand 1800 kg · g · 80 m are 392 Wh, 21 Wh/km."""
    heights = [(0.0, 0.0, "lanes"), (9.2, 0.0, ""), (18.4, 0.0, "trunk"), (27.6, up_m / 2, ""), (36.8, up_m, "")]
    legs = []
    for leg in study.legs:
        up = {"out": 24.0, "back": -19.0}[leg.direction] * up_m / 80.0 if leg.sector == "trunk" else 0.0
        legs.append(leg.with_(average_shown=round(leg.average_shown + up, 1)))
    return study.with_legs(legs).with_(
        route=tuple(RoutePoint(distance_m=1000.0 * km, elevation_m=z, sector=name) for km, z, name in heights)
    )


def test_sectors_with_roads_of_their_own_tell_of_each_other():
    study = two_speeds(sectors=("lanes", "trunk"))
    every = with_own_roads(study)
    found = {c.sector: c for c in analyse(every).comparisons}
    for sector in ("lanes", "trunk"):
        own = with_own_roads(study.with_legs([leg for leg in study.legs if leg.sector == sector]))
        by_itself = analyse(own).comparisons[0]
        assert found[sector].half_width_percent < 0.95 * by_itself.half_width_percent
        assert found[sector].effect_percent == pytest.approx(-5.0, abs=0.7)
    parts = [found[s].effect_percent for s in ("lanes", "trunk")]
    assert min(parts) - 1e-9 <= found["whole"].effect_percent <= max(parts) + 1e-9


def test_the_hills_of_one_sector_are_not_laid_on_the_other():
    study = two_speeds(sectors=("lanes", "trunk"))
    found = analyse(with_own_roads(study))
    hills = {r.leg: r.corrections_wh_per_km["elevation"] for r in found.legs}
    for leg in study.legs:
        by_hand = 0.0 if leg.sector == "lanes" else -21.0 if leg.direction == "out" else 21.0
        assert hills[leg.leg] == pytest.approx(by_hand, abs=3.5)


def test_what_another_speed_says_carries_no_effect_outside_of_its_own_pairs():
    """7 % at 90 and nothing at 110, of one pair each: each keeps to what was read there, corrected."""
    study = two_speeds(b_at_110=1.02, order="AB")
    for speed in (90, 110):
        together, by_itself = of(study, speed), alone(study, speed)
        assert together.method == "model"
        pairs = [p.corrected_percent for p in together.pair_list]
        slack = max(OUTSIDE_PERCENT, OUTSIDE_MARGIN * together.half_width_percent)
        assert min(pairs) - slack <= together.effect_percent <= max(pairs) + slack
        assert together.effect_percent == pytest.approx(by_itself.effect_percent, abs=slack)


def test_one_speed_alone_is_as_it_was():
    study = driven_study("ABBA")
    aimed = study.with_legs([leg.with_(speed_kmh=study.target_speed_kmh) for leg in study.legs])
    a, b = analyse(study).comparisons[0], analyse(aimed).comparisons[0]
    assert a.interval_percent == pytest.approx(b.interval_percent, abs=1e-9)


def test_a_doubt_about_every_leg_of_one_speed_is_priced_by_what_the_other_says():
    """Leaving them all out leaves the other speed's drives alone."""
    study = two_speeds(order="AB")
    study = study.with_(
        events=tuple(Event(leg=leg.leg, kind="following-closely") for leg in study.legs if leg.speed_kmh == 90)
    )
    for speed in (90, 110):
        c = of(study, speed)
        assert c.interval_percent[0] < c.effect_percent < c.interval_percent[1]
        assert ("following-closely" in {x.code for x in c.concerns}) == (speed == 90)
