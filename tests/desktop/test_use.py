"""Use: range in circumstances that are set, money, the gauge's promises; typed, clicked, and read on the screen."""

import re
from dataclasses import replace

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from tests.conftest import VAN, driven_study
from tests.core.outcome.test_gauge import TRIPS, trips
from tests.core.outcome.test_trips import diesel_study
from tests.desktop.conftest import type_into

from fairmargin.core.study.aims import laid_out
from fairmargin.core.units import UNIT_CHOICES


@pytest.fixture
def use(window):
    """A window on a study of a van with 52 kWh, 170 Wh/km bare and 161.5 with its covers, at the Use stage."""
    window.session.set_units(UNIT_CHOICES["metric-wh"])
    window.session.add_study(driven_study("ABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=52)))
    window.go_to("use")
    return window.stage("use")


def test_range_as_driven_and_as_it_will_be(qtbot, use):
    page = use.range
    usual = page.bars._bars
    assert [b[1] for b in usual] == [None, 0], "baseline and trial keep their colour and shape"
    assert usual[0][2] == pytest.approx(52_000 / 170, rel=0.01)
    assert usual[0][3] == pytest.approx(0.85 * usual[0][2])
    assert page.beyond.isHidden()
    type_into(qtbot, page.speed, "110")
    type_into(qtbot, page.air, "23 F")
    type_into(qtbot, page.cabin, "auto")
    colder = page.bars._bars
    assert colder[0][2] < 0.8 * usual[0][2]
    assert colder[0][5] - colder[0][4] > 0.9 * (usual[0][5] - usual[0][4]) * colder[0][3] / usual[0][3]
    assert "110 km/h was not driven (90 km/h was)" in page.beyond.text()
    assert "\u22125 \u00b0C was not driven" in page.beyond.text()
    assert use.subtitle.text() == "as it will be"
    for field in (page.speed, page.air, page.cabin):
        type_into(qtbot, field, "")
    assert page.bars._bars[0][2] == pytest.approx(usual[0][2], rel=1e-6), "cleared, it is as at the reference"


def test_the_effect_in_the_wind_of_the_place(qtbot, use):
    """Covers do more where the wind makes more drag; a wind that nobody told is called assumed, and a typed one is kept in its unit."""
    panel = use.range.windy
    assert panel.frame.isVisibleTo(use) and "nobody said what it is here" in panel.words.text()
    assert panel.wind.edit.placeholderText() == "16.2 assumed"  # 4.5 m/s

    def effects():
        return [float(x.replace("\u2212", "-")) for x in re.findall(r"([\u2212+][\d.]+) % \(", panel.words.text())]

    usual = effects()
    assert len(usual) == 2 and -5.5 < usual[0] < -4.5
    type_into(qtbot, panel.wind, "18 mph")
    strong = effects()
    assert strong[0] == usual[0] and strong[1] < usual[1] <= usual[0]
    assert "in 29 km/h at the mast" in panel.words.text() and "nobody said" not in panel.words.text()
    type_into(qtbot, panel.wind, "40 m/s")
    assert "expected 0 to 15" in panel.wind.fault.text()
    type_into(qtbot, panel.wind, "")
    assert effects() == usual


def test_each_circumstance_moves_the_range_its_own_way(qtbot, use):
    page = use.range

    def far():
        return page.bars._bars[0][2]

    usual = far()
    for field, worse, better in (
        (page.head_wind, "6", "-6"), (page.climb, "8", "-8"), (page.load, "300", "-300"), (page.air, "0", "30"), (page.speed, "105", "80"),
    ):  # fmt: skip
        type_into(qtbot, field, worse)
        assert far() < usual, worse
        type_into(qtbot, field, better)
        assert far() > usual, better
        type_into(qtbot, field, "")
    page.road.setCurrentText("wet")
    page.road.textActivated.emit("wet")
    assert far() == pytest.approx(usual / 1.06, rel=1e-3)


def test_what_cannot_be_is_refused_beside_its_field(qtbot, use):
    page = use.range
    for field, text, words in (
        (page.speed, "900", "expected 5 to 250"), (page.climb, "8 kg", "expected one of m/km"), (page.cabin, "warm", "not a climate setting"),
        (page.fade, "90", "expected 0 to 60"), (page.air, "5 km", "expected"),
    ):  # fmt: skip
        type_into(qtbot, field, text)
        assert words in field.fault.text(), text
    type_into(qtbot, page.climb, "1 %")
    assert page.climb.fault.isHidden()
    assert use.session.wanted.circumstances[use.session.study_id].climb_m_per_km == 10.0


def test_capacity_fade_reserve_and_what_the_maker_states(qtbot, use):
    page = use.range
    full = page.bars._bars[0][2]
    type_into(qtbot, page.fade, "12")
    assert page.bars._bars[0][2] == pytest.approx(0.88 * full)
    type_into(qtbot, page.fade, "")
    type_into(qtbot, page.reserve, "20")
    assert page.bars._bars[0][3] == pytest.approx(0.8 * full)
    type_into(qtbot, page.rated, "15 kWh/100km")
    assert use.session.study.vehicle.rated_wh_per_km == pytest.approx(150)
    type_into(qtbot, page.rated_range, "200 mi")
    assert use.session.study.vehicle.rated_range_km == pytest.approx(321.87, abs=0.01)
    assert page.curve.rated == (pytest.approx(150), pytest.approx(321.87, abs=0.01))


def test_the_curve_is_read_off_with_mouse_and_keys(qtbot, use):
    page = use.range
    QApplication.processEvents()
    line = page.curve.lines[0]
    assert line.driven[0] == pytest.approx(90, abs=1)
    at_90 = min(range(len(line.speeds)), key=lambda i: abs(line.speeds[i] - 90))
    assert line.wh_per_km[at_90] == pytest.approx(170, rel=0.02)
    widths = [(b - a) / v for (a, b), v in zip(line.wh_interval, line.wh_per_km, strict=True)]
    assert widths[-1] > 1.3 * widths[at_90] and widths[0] > 1.3 * widths[at_90]
    assert line.best < at_90, "slower goes farther"
    assert "At 90 km/h" in page.curve_words.text()
    page.curve.setFocus()
    for _ in range(10):
        qtbot.keyClick(page.curve, Qt.Key.Key_Left)
    words = page.curve_words.text()
    assert "At 80 km/h" in words and "100 km take 1 h 15 min, 8 min longer than at 90 km/h" in words
    assert "80 km/h was not driven" in words
    left, right = page.curve._places()[0]
    qtbot.mouseMove(page.curve, QPoint(round(left + 0.9 * (right - left)), 80))
    page.curve._tell(130.0)
    assert "At 130 km/h" in page.curve_words.text() and "less than at 90 km/h" in page.curve_words.text()
    assert "Farthest" not in page.curve_words.text()
    # Between two speeds of the curve its margin lies between theirs; what is drawn is within a hundredth of what is said.
    said = {}
    for kmh in (80.0, 82.5, 85.0):
        page.curve._tell(kmh)
        said[kmh] = [int(x) for x in re.findall(r"\((\d+) to (\d+)\)", page.curve_words.text())[0]]
    assert said[80.0][0] > said[82.5][0] > said[85.0][0] and said[80.0][1] > said[82.5][1] > said[85.0][1]
    at_80 = min(range(len(line.speeds)), key=lambda i: abs(line.speeds[i] - 80))
    assert line.range_interval[at_80] == pytest.approx(said[80.0], rel=0.01)
    # A heated cabin takes its power however slow one drives: the speed of longest range, (P / (rho CdA))^(1/3), comes into sight.
    type_into(qtbot, page.air, "-10")
    type_into(qtbot, page.cabin, "auto")
    watts = 300 + 55 * 31
    expected = 3.6 * (watts / (1.34 * VAN.constants().drag_area_m2)) ** (1 / 3)
    best = page.curve.lines[0].speeds[page.curve.lines[0].best]
    assert best == pytest.approx(expected, abs=6)
    assert f"Farthest at about {best:.0f} km/h" in page.curve_words.text()


def test_money_by_hand(qtbot, use):
    use.show_page("money")
    page = use.pages["money"]
    assert "wants the prices per kWh" in page.cost.text(), "a price that nobody told is not free"
    type_into(qtbot, page.price, "0,30")
    type_into(qtbot, page.yearly, "20000")
    c = use.session.comparison
    a_year = c.baseline_wh_per_km / 1000 * 20_000 / 0.9 * 0.30
    saved = a_year * -c.effect_percent / 100
    assert f"costs {saved:.0f} less a year in your money" in page.cost.text()
    # What the battery gives is not what is bought: a tenth stays in the charger.
    assert f"bought at home {c.baseline_wh_per_km * 20 / 0.9:.0f} and" in page.cost.text()
    type_into(qtbot, page.purchase, "300")
    assert use.session.study.change.purchase_price == 300
    assert f"after about {300 / saved:.1f} years" in page.pays.text()
    type_into(qtbot, page.years, "3")
    assert "longer than the 3 years" in page.pays.text()
    type_into(qtbot, page.rate, "40")
    assert page.pays.text().startswith("It never pays for itself")
    table = page.table
    assert [table.item(i, 0).text().split(",")[0] for i in range(table.rowCount())] == ["Baseline", "Trial"]
    assert float(table.item(0, 3).text()) == pytest.approx(a_year, abs=1)
    assert float(table.item(0, 2).text()) == pytest.approx(a_year / 200, abs=0.01)


def test_a_road_charge_stays_what_it_is_in_other_units(qtbot, use):
    """0.05 a kilometre is 0.08 a mile, and 1000 a year over 20 000 km in both."""
    use.show_page("money")
    page = use.pages["money"]
    type_into(qtbot, page.price, "0.30")
    type_into(qtbot, page.yearly, "20000")
    type_into(qtbot, page.road, "0.05")
    a_year = page.table.item(0, 3).text()
    use.session.set_units(UNIT_CHOICES["us"])
    assert page.road.edit.text() == "0.0805"
    assert page.table.item(0, 3).text() == a_year
    assert use.range.own.prices().road == pytest.approx(0.05)


def test_a_warm_up_that_saves_on_the_road_and_costs_at_the_wall_is_dearer(qtbot, window):
    """By hand: 178 and 167 Wh/km charged at 90 %, and 1.7 kWh from the wall over 41 km: 198 against 227 Wh/km bought."""
    study = laid_out(
        "change",
        title="Warm-up",
        kind="preconditioning",
        order="AB",
        method="one-way",
        names=["Cold", "Warmed"],
        vehicles=[VAN],
    )
    for name, shown, wall in (("L01", 178.0, 0.0), ("L02", 167.0, 1.7)):
        study = study.with_leg(name, average_shown=shown, average_unit="Wh/km", distance_km=41.0, grid_kwh=wall)
    window.session.add_study(study)
    window.go_to("use")
    use = window.stage("use")
    use.show_page("money")
    page = use.pages["money"]
    type_into(qtbot, page.price, "0.30")
    type_into(qtbot, page.yearly, "15000")
    c = window.session.comparison
    dearer = (c.trial_wh_per_km / 0.9 + 1700 / 41 - c.baseline_wh_per_km / 0.9) * 15 * 0.30
    assert dearer > 80
    text = page.cost.text()
    assert f"costs {dearer:.0f} more a year in your money" in text and "drive and wall together" in text
    assert " less with" not in text


def test_charged_elsewhere_wants_its_price(qtbot, use):
    use.show_page("money")
    page = use.pages["money"]
    type_into(qtbot, page.price, "0.30")
    type_into(qtbot, page.share, "25")
    assert "wants the prices per kWh" in page.cost.text()
    type_into(qtbot, page.public, "0.57")
    level = use.session.comparison.baseline_wh_per_km / 1000
    by_hand = level * (0.75 / 0.9 * 0.30 + 0.25 / 0.95 * 0.57) * 100
    assert float(page.table.item(0, 2).text()) == pytest.approx(by_hand, abs=0.006)


def test_the_gauges_promises_over_the_logbook(qtbot, window):
    window.session.add_study(trips(*TRIPS[:3]))
    window.session.add_study(trips(TRIPS[3]))
    window.go_to("use")
    use = window.stage("use")
    use.show_page("gauge")
    page = use.pages["gauge"]
    assert "Over 4 trips the gauge promised 5.8 % of the battery too much" in page.words.text()
    type_into(qtbot, page.leaving, "90")
    assert page.expected.text() == ""
    type_into(qtbot, page.promise, "50 %")
    assert page.expected.text().startswith("Expect about 4") and "by 4 trips before" in page.expected.text()
    type_into(qtbot, page.promise, "120")
    assert page.promise.has_fault
    assert page.table.rowCount() == 4
    shown = [page.table.item(i, 4).text() for i in range(4)]
    assert sorted(shown) == ["+3 %", "+4 %", "+7 %", "+9 %"]
    assert {page.table.item(i, 5).text() for i in range(4)} == {"+13.3 kWh", "+7.6 kWh", "+5.7 kWh", "+17.1 kWh"}


def test_what_has_no_road_load_says_so(qtbot, window):
    window.session.add_study(driven_study("AB").with_(method="everyday"))
    window.go_to("use")
    use = window.stage("use")
    assert not use.range.speed.isEnabled()
    assert "Everyday logs" in use.range.asked_words.text()
    use.show_page("trip")
    type_into(qtbot, use.trip.way, "100")
    assert "a road load is fitted to" in use.trip.fault.text()


def test_asked_in_us_units_with_a_decimal_comma(qtbot, use):
    use.session.set_units(UNIT_CHOICES["us"])
    page = use.range
    assert page.speed.unit.text() == "mph" and page.speed.edit.text().startswith("55.9")
    type_into(qtbot, page.speed, "68,4")
    assert use.session.wanted.circumstances[use.session.study_id].speed_kmh == pytest.approx(110.08, abs=0.01)
    assert "mph was not driven (56 mph was)" in page.beyond.text()
    assert " km" not in page.curve_words.text()


def test_the_way_comes_from_a_track_with_its_climbs(qtbot, use, tmp_path):
    use.show_page("trip")
    page = use.trip
    points = "".join(
        f'<trkpt lat="{52 + i / 111.2:.6f}" lon="0.1"><ele>{10 * max(0, i - 20) if i < 40 else 200}</ele></trkpt>'
        for i in range(61)
    )
    track = tmp_path / "way.gpx"
    track.write_text(
        f'<?xml version="1.0"?><gpx version="1.1" creator="t" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>{points}</trkseg></trk></gpx>'
    )
    assert page.bring_track(track)
    trip = use.session.study.trip
    assert trip.km == pytest.approx(60, abs=0.5)
    assert [round(s.climb_m, -1) for s in trip.stretches] == [0, 200, 0]
    assert {s.speed_kmh for s in trip.stretches} == {None}  # as the legs were driven
    assert page.plan is not None and "+200 m" in page.way.edit.text()
    assert not page.bring_track(tmp_path / "nothing.gpx")
    assert use.session.study.trip == trip


@pytest.mark.parametrize(("way", "start"), [("40", "100 %"), ("180 at 90 +300 m", "90 %")])
def test_the_charge_at_the_end_is_written_clear_of_its_band(qtbot, use, way, start):
    """Words over the line were unreadable where the charge falls steeply."""
    use.show_page("trip")
    page = use.trip
    type_into(qtbot, page.way, way)
    type_into(qtbot, page.fields["start_percent"], start)
    drawing = page.drawing
    drawing.resize(700, 300)
    assert page.plan is not None, page.fault.text()
    box, profile = drawing.end_label(), page.plan.profile
    across, up = drawing._across(), drawing._up()
    assert up.at(100.0) - box.height() <= box.top() < box.bottom() <= up.at(0.0)
    for km, low, high in zip(profile.km, profile.low, profile.high, strict=True):
        if across.at(float(km)) >= box.left():
            ends = up.at(min(max(float(high), 0.0), 100.0)), up.at(min(max(float(low), 0.0), 100.0))
            assert box.bottom() < ends[0] or box.top() > ends[1]


def test_what_the_readings_say_of_the_capacity_can_be_taken(qtbot, window):
    study = driven_study("ABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=None))
    legs = tuple(x.with_(energy_kwh=3.13, soc_start_percent=80, soc_end_percent=74) for x in study.legs)
    window.session.add_study(study.with_(legs=legs))
    window.go_to("use")
    page = window.stage("use").range
    assert page.bars._bars in ((), []) and page.take.isVisibleTo(page)
    qtbot.mouseClick(page.take, Qt.MouseButton.LeftButton)
    taken = window.session.study.vehicle.usable_capacity_kwh
    assert taken == round(window.session.analysis.capacity.estimate, 1)
    assert taken == pytest.approx(3.13 / 0.06, rel=0.04)  # both meters and the charge, weighed
    assert len(page.bars._bars) == 2


def test_a_trip_on_fuel_is_litres_time_and_money(qtbot, use):
    """A diesel has no charge to draw: its trip is a line of litres with their margin, and the other configuration beside it."""
    study, _ = diesel_study()
    use.session.add_study(study)
    use.show_page("trip")
    page = use.trip
    type_into(qtbot, page.fields["way"], "1000 at 90")
    type_into(qtbot, page.fields["fuel_price_per_l"], "1.95")
    assert page.fault.isHidden(), page.fault.text()
    words = page.arrival.text()
    litres = [float(x) for x in re.findall(r"([0-9.]+) L \(([0-9.]+) to ([0-9.]+)\)", words)[0]]
    assert litres[0] == pytest.approx(120.0, rel=0.02)
    assert litres[1] < litres[0] < litres[2]
    assert "2 stops" in words
    assert f"{1.95 * litres[0]:.0f}" in words or f"{1.95 * litres[0]:.1f}"[:3] in words
    assert not page.drawing.isVisible()
    use.session.undo.undo()
    use.session.undo.undo()
    assert page.fault.isHidden()


def test_intervals_run_from_low_to_high_in_any_unit(qtbot, use):
    """3.66 mi/kWh lies in 3.31 to 4.06, not in 4.06 to 3.31: distance over energy turns the ends round."""
    use.session.set_units(replace(UNIT_CHOICES["us"], consumption="mi/kWh"))
    use.range.refresh(use.session.study)
    found = re.findall(r"([\d.]+) mi/kWh \(([\d.]+) to ([\d.]+)", use.range.range_words.text())
    assert len(found) == 2
    for middle, low, high in found:
        assert float(low) < float(middle) < float(high)


def test_what_one_study_is_asked_about_is_not_shown_over_another_s_figures(qtbot, use):
    first = use.session.study_id
    type_into(qtbot, use.range.cabin, "auto")
    type_into(qtbot, use.range.air, "-5")
    cold = use.range.range_words.text()
    use.session.add_study(driven_study("ABBA"))
    use.refresh(use.session.study)
    assert use.range.cabin.edit.text() == "off"
    assert use.range.range_words.text() != cold
    use.session.open_study(first)
    qtbot.waitUntil(lambda: use.range.cabin.edit.text() == "auto", timeout=5000)


@pytest.mark.parametrize(
    "units, consumption, price, litres, a_litre",
    [
        ("metric", "11,4", "1.95", 11.4, 1.95),
        ("us", "20.63", "7.38", 11.4, 1.95),
        ("us", "11.4 L/100 km", "1.95 /L", 11.4, 1.95),
        ("uk", "24.78", "1.95", 11.4, 1.95),
    ],
)
def test_fuel_is_typed_as_the_pump_counts_it(qtbot, use, units, consumption, price, litres, a_litre):
    # 235.215 / 20.63 mpg (US) and 282.481 / 24.78 mpg (imp) are 11.4 L/100 km; a US gallon is 3.7854 L.
    use.show_page("trip")
    use.session.set_units(UNIT_CHOICES[units])
    fields = use.trip.fields
    type_into(qtbot, fields["fuel_l_per_100km"], consumption)
    type_into(qtbot, fields["fuel_price_per_l"], price)
    trip = use.session.study.trip
    assert trip.fuel_l_per_100km == pytest.approx(litres, rel=1e-3)
    assert trip.fuel_price_per_l == pytest.approx(a_litre, rel=1e-3)
    assert fields["fuel_price_per_l"].unit.text() == ("/gal (US)" if units == "us" else "/L")
