"""Two vehicles, three loads, three sectors, one day; pasted from a table and typed."""

import pytest

from tests.desktop.conftest import type_into

SECTORS = (("town", "12"), ("motorway", "41"), ("country", "53"))
ELECTRIC = (("15.2", "20.4", "16.8"), ("21.0", "30.6", "24.9"), ("23.1", "44.0", "36.2"))
DIESEL = (("9.8", "7.9", "7.2"), ("11.4", "10.3", "8.9"), ("12.2", "12.6", "10.8"))


@pytest.mark.inputs(11)
def test_a_grid_with_a_whole_route(tester):
    t = tester
    t.new("change", "Towing", kind="towing", names=("Alone", "Flat trailer; Box trailer"), order="", method="one-way")
    assert [c.label for c in t.study.configurations] == ["Alone", "Flat trailer", "Box trailer"]
    electric = t.vehicle("a new electric vehicle", name="Orrin E", usable_capacity_kwh="68")
    diesel = t.vehicle("a new diesel vehicle", name="Orrin D", tank_l="70")
    rows = ["vehicle\tconfiguration\tsector\tdistance (km)\treading"]
    for name, unit, table in (("Orrin E", "kWh/100km", ELECTRIC), ("Orrin D", "L/100km", DIESEL)):
        for load, shown in zip(("Alone", "Flat trailer", "Box trailer"), table, strict=True):
            for (sector, km), value in zip(SECTORS, shown, strict=True):
                # A bare figure is in the unit of the vehicle that drove: the diesel's are litres.
                rows.append(f"{name}\t{load}\t{sector}\t{km}\t{value if name == 'Orrin D' else f'{value} {unit}'}")
    said = t.paste("\n".join(rows))
    assert "18 would be added" in said
    assert len(t.study.legs) == 18
    assert {x.average_unit for x in t.study.legs if x.vehicle == diesel} == {"L/100km"}
    t.window.go_to("drive")
    assert t.window.drive.cards["L10"].fields["reading"].caption.text() == "Reading, L/100 km"
    assert t.window.drive.cards["L01"].fields["reading"].caption.text() == "Reading, kWh/100 km"
    t.leg("L10", reading="24 mpg-us")
    assert t.study.leg("L10").average_unit == "mpg-us"
    t.leg("L10", reading="9,8")
    assert (t.study.leg("L10").average_shown, t.study.leg("L10").average_unit) == (9.8, "L/100km")
    t.answer("one outing")
    whole = {(c.vehicle, c.trial): c for c in t.analysis.comparisons if c.sector == "whole"}
    read = {k: round(c.as_measured_percent, 1) for k, c in whole.items()}
    assert read == {
        (electric, "B"): 48.0, (electric, "C"): 109.5, (diesel, "B"): 25.2, (diesel, "C"): 50.1,
    }  # fmt: skip
    ranges = [round(r.range_km) for r in t.analysis.results if r.sector == "whole"]
    assert ranges == [378, 255, 180, 901, 720, 601]
    for c in whole.values():
        assert c.interval_percent[0] < c.as_measured_percent < c.interval_percent[1]
        assert c.half_width_percent < 45
    text = t.shown("verdict")
    for words in (
        "Orrin E, Flat trailer, whole route",
        "Orrin D, Box trailer, motorway",
        "L/100 km",
        "378 km",
        "901 km",
    ):
        assert words in text, words
    # One key goes from a line of the overview to its pairs and its ledger.
    overview = t.window.stage("verdict").overview
    at = overview.names.index("Orrin D, Box trailer, motorway")
    overview.chosen.emit(at)
    assert (t.effect.vehicle, t.effect.trial, t.effect.sector) == (diesel, "C", "motorway")
    assert "box trailer" in t.window.stage("verdict").pairs_title.text().lower()
    t.window.go_to("use")
    assert t.window.stage("use").range.capacity.caption.text() == "Tank"
    driven = t.window.stage("use").range.driven.words.text().splitlines()
    assert len(driven) == 12, "the vehicle spoken of: three loads, three sectors and the whole route"
    assert not any("Orrin E" in x for x in driven), driven
    assert "Orrin E, Box trailer, whole route" in text and "37.7 kWh/100 km" in text  # the other stands in Verdict
    assert any("Orrin D, Alone, whole route" in x and "901 km" in x for x in driven)
    t.window.stage("use").show_page("money")
    assert "L a year" in t.window.stage("use").pages["money"].cost.text()
    report = t.report()
    assert "901 km" in report
    assert "+109.5" in report
    t.check()


@pytest.mark.inputs(11)
def test_the_same_typed_leg_by_leg_with_other_weights(tester):
    t = tester
    t.new(
        "change",
        "Towing",
        kind="towing",
        names=("Alone", "Flat trailer"),
        order="ABAB",
        method="one-way",
        capacity="68",
    )
    t.legs("sector", "town", "town", "motorway", "motorway")
    t.legs("reading", "15.2", "21.0", "20.4", "30.6")
    t.legs("distance_km", "12", "12", "41", "41")
    whole = next(c for c in t.analysis.comparisons if c.sector == "whole")
    assert whole.as_measured_percent == pytest.approx(((12 * 21 + 41 * 30.6) / (12 * 15.2 + 41 * 20.4) - 1) * 100)
    t.window.go_to("verdict")
    stage = t.window.stage("verdict")
    field = stage.sector_lengths.fields["town"]
    type_into(t.qtbot, field, "41")
    whole = next(c for c in t.analysis.comparisons if c.sector == "whole")
    assert whole.as_measured_percent == pytest.approx(((21 + 30.6) / (15.2 + 20.4) - 1) * 100)
    t.check()


def test_use_answers_as_driven_and_supposes_no_speed(tester):
    """Nobody said how fast; use and trip go by what was read, of the vehicle that is spoken of."""
    t = tester
    t.new("change", "Towing", kind="towing", names=("Alone", "Flat trailer"), order="", method="one-way")
    t.vehicle("a new electric vehicle", name="Orrin E", usable_capacity_kwh="68")
    t.vehicle("a new diesel vehicle", name="Orrin D", tank_l="70")
    rows = ["vehicle\tconfiguration\tsector\tdistance (km)\treading"]
    for name, unit, table in (("Orrin E", " kWh/100km", ELECTRIC), ("Orrin D", "", DIESEL)):
        for load, shown in zip(("Alone", "Flat trailer"), table, strict=False):
            rows += [f"{name}\t{load}\t{s}\t{km}\t{v}{unit}" for (s, km), v in zip(SECTORS, shown, strict=True)]
    t.paste("\n".join(rows))
    text = t.shown("use")
    assert "Nobody said how fast" in text
    assert "80 km/h" not in text
    page = t.window.stage("use").range
    assert page.speed.edit.text() == "" and page.curve_frame.isHidden()
    assert "Orrin E" in page.driven.words.text() and "Orrin D" not in page.driven.words.text()
    # Correct has the legs of that vehicle only, in its unit; the diesel's are litres.
    t.window.go_to("correct")
    stage = t.window.stage("correct")
    assert {x.name for x in stage.strips._legs} == {f"L{i:02d}" for i in range(1, 7)}
    t.window.go_to("verdict")
    overview = t.window.stage("verdict").overview
    overview.chosen.emit(overview.names.index("Orrin D, Flat trailer, motorway"))
    t.window.go_to("correct")
    assert {x.name for x in stage.strips._legs} == {f"L{i:02d}" for i in range(7, 13)}
    assert stage.strip_unit.text() == "L/100 km"
    # A trip of the whole route's length is driven as the sectors were: 106 km at 26.65 kWh/100 km.
    overview.chosen.emit(overview.names.index("Orrin E, Flat trailer, whole route"))
    t.window.go_to("use")
    t.window.stage("use").show_page("trip")
    trip = t.window.stage("use").trip
    type_into(t.qtbot, trip.fields["way"], "106")
    assert trip.way.edit.text() == "106"
    assert [s.name for s in trip.plan.trip.stretches] == ["town", "motorway", "country"]
    assert [s.km for s in trip.plan.trip.stretches] == pytest.approx([12, 41, 53])
    level = t.result("B", sector="whole", vehicle=t.study.vehicles[0].id).wh_per_km
    assert trip.plan.wh_per_km == pytest.approx(level, rel=0.04)
    assert "supposes a speed" in trip.stops.text()
