"""What configurations took: as driven by arithmetic, at reference with a margin; several vehicles, any two compared."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse, compare
from fairmargin.core.evidence.reading import Observation, Reading
from fairmargin.core.result.as_json import as_json
from fairmargin.core.result.claims import judged
from fairmargin.core.result.results import reading_sd
from fairmargin.core.study import (
    Asked,
    Change,
    Claim,
    Configuration,
    KnownDifference,
    Leg,
    NamedVehicle,
    Study,
    Vehicle,
)
from fairmargin.core.study.cells import cells, side_of

BASE, TRIAL, THIRD = (
    Configuration(id="A", name="alone", baseline=True),
    Configuration(id="B", name="flat trailer"),
    Configuration(id="C", name="box"),
)


def leg(name: str, configuration: str, shown: float, km: float, unit: str = "Wh/km", **more: object) -> Leg:
    return Leg(
        leg=name, run=str(more.pop("run", name)), configuration=configuration, distance_km=km, average_shown=shown,
        average_unit=unit, direction=str(more.pop("direction", "loop")), **more,
    )  # fmt: skip


def towing() -> Study:
    """Two vehicles, three loads, three sectors; sums by hand."""
    tables = {
        "E": ("kWh/100km", ((15.2, 20.4, 16.8), (21.0, 30.6, 24.9), (23.1, 44.0, 36.2))),
        "D": ("L/100km", ((9.8, 7.9, 7.2), (11.4, 10.3, 8.9), (12.2, 12.6, 10.8))),
    }
    sectors = (("town", 12.0), ("motorway", 41.0), ("country", 53.0))
    return Study(
        change=Change(kind="towing", mechanism="mixed"),
        method="one-way",
        vehicles=(
            NamedVehicle(id="E", usable_capacity_kwh=68, vehicle_class="light truck"),
            NamedVehicle(id="D", energy="diesel", tank_l=70, vehicle_class="light truck"),
        ),
        configurations=(BASE, TRIAL, THIRD),
        legs=tuple(
            leg(f"{v}{c}{name}", c, shown, km, unit, vehicle=v, sector=name, run=v + c, direction="out")
            for v, (unit, rows) in tables.items()
            for c, row in zip("ABC", rows, strict=True)
            for (name, km), shown in zip(sectors, row, strict=True)
        ),
    )


def test_the_whole_route_is_total_energy_over_total_distance():
    # By hand: (12 * 15.2 + 41 * 20.4 + 53 * 16.8) / 106 = 18.01 kWh/100 km; 68 kWh reach 377.5 km.
    found = analyse(towing())
    whole = {(r.vehicle, r.configuration): r for r in found.results if r.sector == "whole"}
    assert whole["E", "A"].as_driven_wh_per_km == pytest.approx(180.11, abs=0.01)
    assert [round(whole[k].range_km or 0) for k in whole] == [378, 255, 180, 901, 720, 601]
    read = {(c.vehicle, c.trial): c.as_measured_percent for c in found.comparisons if c.sector == "whole"}
    assert {k: round(v, 1) for k, v in read.items()} == {
        ("E", "B"): 48.0, ("E", "C"): 109.5, ("D", "B"): 25.2, ("D", "C"): 50.1,
    }  # fmt: skip
    for c in found.comparisons:
        squares = sum(line.half_width_percent**2 for line in c.margin)
        assert squares == pytest.approx(c.half_width_percent**2, rel=1e-3)
        assert c.interval_percent[0] < c.as_measured_percent < c.interval_percent[1]


def test_sectors_count_with_the_lengths_that_were_typed():
    # By hand: all of it town: (30 * 15.2 + ...) with 100 : 1 : 1 is town's 15.2 within 0.1.
    study = towing().with_(sector_weights_km={"town": 100.0, "motorway": 1.0, "country": 1.0})
    whole = next(r for r in analyse(study).results if r.sector == "whole" and r.vehicle == "E")
    assert whole.as_driven_wh_per_km == pytest.approx((100 * 152 + 204 + 168) / 102)


def test_one_configuration_needs_no_trial():
    # 52 km north 123, south 147 Wh/km, 72 kWh: 135 Wh/km and 533 km; 585 and 490 km each way.
    study = Study(
        vehicle=Vehicle(usable_capacity_kwh=72),
        configurations=(BASE,),
        target_speed_kmh=90,
        legs=(leg("1", "A", 123, 52, direction="out", run="R1"), leg("2", "A", 147, 52, direction="back", run="R1")),
    )
    found = analyse(study)
    assert not found.comparisons
    assert found.missing == ""
    (result,) = found.results
    assert result.as_driven_wh_per_km == pytest.approx(135)
    assert result.range_km == pytest.approx(72000 / 135)
    assert [round(d.range_km or 0) for d in result.directions] == [585, 490]
    low, high = result.interval_wh_per_km or (0, 0)
    assert 100 < low < 135 < high < 165  # nothing was noted: a sixth either way, not a third
    noted = study.with_legs(
        x.with_(temperature_c=15, climate="off", road="dry", wind_speed_ms=0, duration_s=2080) for x in study.legs
    )
    narrow = analyse(noted).results[0].interval_wh_per_km or (0, 0)
    assert narrow[1] - narrow[0] < 0.7 * (high - low)


def test_a_share_of_an_unknown_battery_tells_range_but_no_energy():
    # 20 % for 50 km are 250 km, whatever the battery holds.
    share = Leg(leg="1", configuration="A", distance_km=50, soc_start_percent=80, soc_end_percent=60)
    (result,) = analyse(Study(configurations=(BASE,), method="loop", legs=(share,))).results
    assert result.range_km == pytest.approx(250)
    assert result.as_driven_wh_per_km is None
    assert result.wh_per_km is None


def test_the_same_two_readings_again_do_not_halve_the_rounding():
    # Common practice: a display of 0.1 km/kWh that shows 2.6 twice is as coarse as once.
    def interval(times: int) -> float:
        legs = tuple(leg(str(i), "A", 2.6, 92, "km/kWh") for i in range(times))
        low, high = analyse(Study(configurations=(BASE,), method="loop", legs=legs)).results[0].as_driven_interval or (
            0,
            0,
        )
        return high - low

    assert interval(2) > 0.9 * interval(1)


def test_any_two_configurations_and_speeds_can_be_compared():
    # 141 and 236 at 80, 274 Wh/km at 95 km/h: +67.4, +16.1 and +94.3 %.
    study = Study(
        change=Change(kind="towing", mechanism="mixed"),
        configurations=(BASE, TRIAL),
        method="loop",
        legs=(
            leg("1", "A", 141, 57, speed_kmh=80),
            leg("2", "B", 236, 57, speed_kmh=80),
            leg("3", "B", 274, 57, speed_kmh=95),
        ),
    )
    solo, slow, fast = cells(study)
    for a, b, read in ((solo, slow, 67.4), (slow, fast, 16.1), (solo, fast, 94.3)):
        (c,) = compare(study, a, b).comparisons
        assert c.as_measured_percent == pytest.approx(read, abs=0.05)
        assert c.effect_percent == pytest.approx(read, abs=3)  # the speed is not corrected away
        assert c.interval_percent[0] < read < c.interval_percent[1]
        assert c.verdict == "uses more"
    asked = analyse(study.with_(also_compared=(Asked(baseline=side_of(solo), trial=side_of(fast)),)))
    assert [c.trial for c in asked.comparisons] == ["B", "B@95"]
    assert asked.comparisons[1].as_measured_percent == pytest.approx(94.3, abs=0.05)
    assert asked.concerns == analyse(study).concerns
    back = compare(study, fast, slow).comparisons[0]
    assert back.as_measured_percent == pytest.approx((236 / 274 - 1) * 100)
    with pytest.raises(ValueError, match="two different sides"):
        compare(study, solo, solo)


def cars(sd: float = 3.0) -> Study:
    """Two cars, never swapped; the odometers show 1.9 % too much; one has wheel caps worth 7 Wh/km."""
    return Study(
        change=Change(kind="other", subject="vehicle"),
        vehicles=(
            NamedVehicle(id="V1", name="first", distance_error_percent=1.9),
            NamedVehicle(id="V2", name="other", distance_error_percent=1.9),
        ),
        configurations=(BASE,),
        method="loop",
        known_differences=(KnownDifference(vehicle="V2", wh_per_km=7, sd_wh_per_km=sd, reason="wheel caps"),),
        legs=(
            leg("1", "A", 196, 50, vehicle="V1", speed_kmh=120),
            leg("2", "A", 149, 50, vehicle="V1", speed_kmh=90),
            leg("3", "A", 193, 50, vehicle="V2", speed_kmh=120),
            leg("4", "A", 147, 50, vehicle="V2", speed_kmh=90),
        ),
    )


def test_a_known_other_difference_is_taken_out_and_in_the_margin():
    # 196 * 1.019 = 199.7 Wh/km true; (193 - 7) / 196 = -5.1 % without the caps; 3 Wh/km of 196 are 1.5 %, so ±3.0 %.
    found = analyse(cars())
    driven = {(r.vehicle, r.speed_kmh): r.as_driven_wh_per_km for r in found.results}
    assert driven["V1", 120] == pytest.approx(199.7, abs=0.05)
    assert driven["V1", 90] == pytest.approx(151.8, abs=0.05)
    fast = next(c for c in found.comparisons if c.speed_kmh == 120)
    assert (fast.baseline, fast.trial) == ("V1", "V2")
    assert fast.as_measured_percent == pytest.approx((193 / 196 - 1) * 100)
    assert fast.effect_percent == pytest.approx((186 / 196 - 1) * 100, abs=1.0)
    caps = next(line for line in fast.margin if line.source == "known difference")
    assert caps.half_width_percent == pytest.approx(1.96 * 3 / 196 * 100, abs=0.4)
    assert set(caps.legs) == {"3"}
    # The vehicles are the question: that each always had its own side is no doubt, but one pair is.
    assert "vehicle-confounded" not in {c.code for c in fast.concerns}
    assert fast.standing.word != "fair"
    surer = next(c for c in analyse(cars(sd=0.5)).comparisons if c.speed_kmh == 120)
    assert surer.half_width_percent < fast.half_width_percent


def test_the_ledger_of_a_leg_has_the_known_difference():
    study = Study(
        configurations=(BASE, TRIAL),
        method="loop",
        known_differences=(KnownDifference(configuration="B", wh_per_km=7, reason="caps"),),
        legs=(leg("1", "A", 186, 50), leg("2", "B", 193, 50)),
    )
    found = analyse(study)
    line = next(x for x in found.legs if x.leg == "2")
    assert line.corrections_wh_per_km["known_difference"] == pytest.approx(-7)
    total = line.measured_wh_per_km + sum(line.corrections_wh_per_km.values())
    assert line.corrected_wh_per_km == pytest.approx(total)
    assert "known_difference" not in next(x for x in found.legs if x.leg == "1").corrections_wh_per_km or (
        next(x for x in found.legs if x.leg == "1").corrections_wh_per_km["known_difference"] == 0
    )
    assert found.comparisons[0].effect_percent == pytest.approx(0, abs=0.9)


def test_side_by_side_is_never_fair_without_a_swap():
    pair = cars().with_(
        change=Change(kind="aero covers", mechanism="aerodynamic"), configurations=(BASE, TRIAL), known_differences=(),
        method="side-by-side",
    )  # fmt: skip
    legs = (leg("1", "B", 171, 50, vehicle="V1", run="R1"), leg("2", "A", 160, 51.2, vehicle="V2", run="R1"))
    for way in (legs, tuple(x.with_(vehicle="") for x in legs)):
        c = analyse(pair.with_(legs=way)).comparisons[0]
        assert (c.verdict, c.standing.word) == ("not a fair comparison", "not fair")
        assert c.as_measured_percent == pytest.approx(6.9, abs=0.05)
    swapped = (*legs, leg("3", "A", 160, 50, vehicle="V1", run="R2"), leg("4", "B", 171, 51.2, vehicle="V2", run="R2"))
    c = analyse(pair.with_(legs=swapped)).comparisons[0]
    assert "vehicle-confounded" not in {x.code for x in c.concerns}
    assert c.effect_percent == pytest.approx(6.9, abs=1)


def test_covers_out_and_none_back_are_refused_however_it_was_laid_out():
    study = Study(
        change=Change(kind="aero covers", mechanism="aerodynamic"),
        configurations=(BASE, TRIAL),
        legs=(leg("1", "B", 178, 176.2, direction="out"), leg("2", "A", 181, 176.2, direction="back")),
    )
    for method in ("out-and-back", "one-way", "loop", "laps"):
        c = analyse(study.with_(method=method)).comparisons[0]
        assert c.verdict == "not a fair comparison", method
        assert "direction-confounded" in {x.code for x in c.concerns}


def test_what_a_battery_holds_follows_from_charge_and_energy():
    # 176.2 km * 178 Wh/km = 31.36 kWh for 41 %, 31.89 for 42 %: 76.5 and 75.9 kWh.
    study = Study(
        configurations=(BASE,),
        legs=(
            leg("1", "A", 178, 176.2, direction="out", soc_start_percent=82, soc_end_percent=41),
            leg("2", "A", 181, 176.2, direction="back", soc_start_percent=90, soc_end_percent=48),
        ),
    )
    capacity = analyse(study).capacity
    assert capacity is not None
    assert [round(kwh, 1) for _, kwh, _ in capacity.by_leg] == [76.5, 75.9]
    assert capacity.estimate == pytest.approx((31.3636 + 31.8922) / 0.83, abs=0.01)
    one_percent = 76.2 / 83  # the gauge moves in whole per cents, twice
    assert one_percent < capacity.interval[1] - capacity.estimate < 3 * one_percent


@pytest.mark.parametrize(
    ("claimed", "tolerance", "trial", "word"),
    [(0, 1, 120, "refuted"), (-20, 12, 160, "borne out"), (0, 1, 190, "not refuted"), (30, 5, 160, "refuted")],
)
def test_a_claim_is_held_against_the_interval(claimed: float, tolerance: float, trial: float, word: str):
    change = Change(
        kind="aero covers", mechanism="aerodynamic",
        claim=Claim(percent=claimed, tolerance_percent=tolerance, by="maker"),
    )  # fmt: skip
    legs = [
        leg(f"{i}", c, 200 if c == "A" else trial, 34, duration_s=1100, temperature_c=15, climate="off", road="dry")
        for i, c in enumerate("ABBA")
    ]
    found = analyse(
        Study(change=change, configurations=(BASE, TRIAL), method="loop", target_speed_kmh=111, legs=tuple(legs))
    )
    made = as_json(found)["claim"]
    assert made["verdict"] == word
    assert "maker" in made["reason"]


def test_the_result_object_has_what_was_agreed():
    made = as_json(analyse(towing()))
    assert {"missing", "results", "claim", "capacity_kwh"} <= set(made)
    assert set(made["results"][0]) >= {
        "vehicle", "configuration", "speed_kmh", "sector", "as_driven_wh_per_km", "as_driven_interval", "wh_per_km",
        "interval_wh_per_km", "range_km", "range_interval_km", "legs",
    }  # fmt: skip
    assert {c["vehicle"] for c in made["comparisons"]} == {"E", "D"}
    assert {"source", "half_width_percent", "legs", "remedy"} <= set(made["comparisons"][0]["margin"][0])


def loop(pairs: str, levels: dict[str, float], **more: object) -> Study:
    legs = tuple(
        leg(
            f"{s}{i}",
            c,
            levels[c + s],
            40,
            sector=s,
            duration_s=1600,
            temperature_c=15,
            climate="off",
            road="dry",
            driven_before_s=3600,
        )
        for s in sorted({key[1:] for key in levels})
        for i, c in enumerate(pairs)
    )
    return Study(
        change=Change(kind="wheels", mechanism="rolling"), configurations=(BASE, TRIAL), method="loop",
        target_speed_kmh=90, legs=legs, **more,
    )  # fmt: skip


def test_a_known_other_difference_is_taken_out_with_its_margin():
    """207 against 200 Wh/km, of which 7 ± 3 are something else: nothing is left, to 2 × 3 Wh/km in 200."""
    study = loop("ABBA", {"A": 200, "B": 207})
    plain = analyse(study).comparisons[0]
    known = study.with_(
        known_differences=(KnownDifference(configuration="B", wh_per_km=7, sd_wh_per_km=3, reason="caps"),)
    )
    c = analyse(known).comparisons[0]
    assert plain.effect_percent == pytest.approx(3.5, abs=0.6)
    assert c.effect_percent == pytest.approx(0.0, abs=0.3)
    line = next(x for x in c.margin if x.source == "known difference")
    assert line.half_width_percent == pytest.approx(100 * 1.96 * 3 / 200, rel=0.15)
    less = study.with_(known_differences=(KnownDifference(configuration="B", wh_per_km=-7, sd_wh_per_km=3),))
    assert analyse(less).comparisons[0].effect_percent == pytest.approx(7.0, abs=1.0)


def test_scatter_of_sectors_adds_in_squares_and_what_they_share_in_full():
    """Two sectors of equal length and consumption: over one alone scatter shrinks by √2, a known difference does not."""
    study = loop("ABBA", {"Atown": 200, "Btown": 210, "Aover": 200, "Bover": 210}).with_(
        known_differences=(KnownDifference(configuration="B", wh_per_km=5, sd_wh_per_km=3),)
    )
    town = study.with_legs([leg for leg in study.legs if leg.sector == "town"])
    found = {c.sector: c for c in (*analyse(study).comparisons, replace(analyse(town).comparisons[0], sector="alone"))}
    lines = {s: {x.source: x.half_width_percent for x in c.margin} for s, c in found.items()}
    # and its size is told by twice as many drives
    assert 0.8 < lines["whole"]["scatter"] / (lines["alone"]["scatter"] / 2**0.5) < 1.02
    assert lines["whole"]["known difference"] == pytest.approx(lines["town"]["known difference"], rel=0.02)


def test_open_doubts_keep_a_claim_from_being_refuted_or_borne_out():
    c = replace(analyse(loop("ABBA", {"A": 200, "B": 210})).comparisons[0], interval_percent=(3.0, 7.0))

    def of(claimed: float, tolerance: float, open_percent: float) -> str:
        return judged(
            Claim(percent=claimed, tolerance_percent=tolerance, by="maker"),
            replace(c, open_charge_percent=open_percent),
        ).verdict

    assert [of(0, 1, x) for x in (0.0, 1.9, 2.1)] == ["refuted", "refuted", "not refuted"]
    assert [of(10, 1, x) for x in (0.0, 1.9, 2.1)] == ["refuted", "refuted", "not refuted"]
    assert [of(5, 3, x) for x in (0.0, 0.9, 1.1)] == ["borne out", "borne out", "not refuted"]


@pytest.mark.parametrize(("alike", "share"), [(0.0, 200**0.5), (0.5, 300**0.5), (1.0, 20.0)])
def test_readings_rounded_alike_do_not_average_out(alike: float, share: float):
    """Two readings of 1000 ± 10 Wh: of the error that both repeat, twice; of the rest, in squares."""
    o = Observation(("L",), (Reading("trip average", "", 1000.0, 10.0),), 5.0, 5.0, 200.0, rounded_alike=alike)
    assert reading_sd([o, o]) == pytest.approx(share / 2000)


def test_the_speed_of_a_whole_route_is_its_length_over_its_time():
    # 10 km at 50 and 30 km at 100 km/h take half an hour: 80 km/h, not the mean of 87.5.
    study = Study(
        change=Change(kind="cargo"),
        method="one-way",
        configurations=(BASE, TRIAL),
        legs=tuple(
            leg(f"{c}{name}", c, shown, km, "Wh/km", sector=name, run=c, direction="out", duration_s=3600 * km / kmh)
            for c, more in (("A", 1.0), ("B", 1.05))
            for name, km, kmh, shown in (("town", 10.0, 50.0, 150 * more), ("motorway", 30.0, 100.0, 200 * more))
        ),
    )
    whole = next(c for c in analyse(study).comparisons if c.sector == "whole")
    assert whole.speed_kmh == pytest.approx(80.0, rel=1e-6)


def test_a_level_carries_the_calibration_of_its_instrument():
    # Of sixteen drives alike, read to a hundredth, what is left is what the instrument may be off by: 1 % for a trip
    # energy (common practice), 3 % for a battery of which the capacity is only stated.
    def relative_sd(**read):
        study = driven_study("A" * 8, route=())
        study = study.with_legs(
            [x.with_(average_shown=None, average_unit=None, average_step=None, **read) for x in study.legs]
        )
        r = analyse(study).results[0]
        low, high = r.interval_wh_per_km
        told = next(m for m in r.margin if m.source == "calibration")
        return (high - low) / 2 / 1.96 / r.wh_per_km, told.half_width_percent

    counter, *told = relative_sd(energy_kwh=3.13, energy_step_kwh=0.001)
    gauge, by_gauge = relative_sd(soc_start_percent=80.0, soc_end_percent=73.98, soc_step_percent=0.01)
    told.append(by_gauge)
    assert (
        counter > 0.01 and told[0] == pytest.approx(2 * 1.96, rel=0.05) and told[1] == pytest.approx(3 * 1.96, rel=0.05)
    )
    assert gauge**2 - counter**2 == pytest.approx(0.03**2 - 0.01**2, rel=0.3)
