"""A towing budget: limits that disagree, a list of what is carried, and a nose weight between its floor and ceiling."""

import pytest
from PySide6.QtWidgets import QApplication, QLabel

from fairmargin.desktop.widgets.planning.load import LoadDrawing


@pytest.mark.inputs(18)
def test_a_towing_budget(tester):
    t = tester
    t.new("change", "Car on a trailer", kind="towing", names=("Solo", "Trailer"), order="AB")
    for name, amount in (
        ("trailer", "890"),
        ("car", "1010 kg"),
        ("petrol", "45 L"),
        ("petrol can", "30 L"),
        ("wheels", "4 x 16 kg"),
        ("tools", "70"),
    ):
        t.aboard(name, amount, "trailer")
    t.loaded("towing_limit", "2000 page, 2100 handbook, 4650 - 2700 plate")
    t.loaded("nose_limit", "85 coupling, 100 handbook")
    t.loaded("jockey_kg", "88")
    t.loaded("axle_to_jockey_m", "4.1")
    t.loaded("axle_to_coupling_m", "4.55")
    # 890 + 1010 + 75 * 0.75 + 64 + 70 = 2090 kg; 88 * 4.1 / 4.55 = 79.3 kg.
    assert "trailer 2090 kg" in t.load.items.sums.text()
    said = t.load_words()
    assert "140 kg over the 1950 kg of the plate" in said["trailer"]
    assert "the lowest counts" in said["trailer"]
    assert said["nose weight"].startswith("79 kg is 3.8 %")
    chart = next(c for c in t.load.findChildren(LoadDrawing) if c.isVisibleTo(t.load))
    assert "nose weight: too light" in chart.accessibleName() and "trailer: over" in chart.accessibleName()
    assert "forward, to 85 kg at most (coupling)" in said["nose weight"]
    # Where 4 % of the whole is more than the nose may carry, no place of the load helps: it says what total would.
    t.loaded("nose_limit", "80 coupling, 100 handbook")
    nose = t.load_words()["nose weight"]
    assert "no place of the load fits both" in nose
    assert "At most 2000 kg in all" in nose
    assert "Move the load" not in nose
    # Taking the petrol can and the tools off is a press of two buttons.
    for row in (5, 3):
        t.load.items.grid.itemAtPosition(row, 4).widget().click()
    assert "trailer 1998 kg" in t.load.items.sums.text()
    assert any("not a weighbridge" in x.text() for x in t.load.findChildren(QLabel))
    t.units("us")
    assert "lb" in t.load.items.sums.text()
    assert t.study.plan.load.items[0].mass_kg == pytest.approx(890)


def test_what_is_aboard_is_drawn_and_the_boxes_that_repeat_the_list_are_gone(tester):
    t = tester
    t.new("change", "Car on a trailer", kind="towing", names=("Solo", "Trailer"), order="AB")
    t.aboard("water", "133 US gal")
    t.aboard("ladder", "21 kg", "roof")
    t.aboard("car", "1010 kg", "trailer")
    page = t.load
    assert page.drawing.accessibleName().startswith("aboard: water; roof: ladder; trailer: car")
    for name in ("people_kg", "cargo_kg", "roof_kg", "water_l", "fuel_l"):
        assert page.fields[name].isHidden(), name
    t.keys(page.items.name.edit, "kit")
    t.keys(page.items.amount.edit, "1,200 kg")
    t.click(page.items.add)
    assert "1200 kg or 1.200 kg" in page.items.amount.fault.text()
    # A study that has one of them filled shows it still.
    load = t.study.plan.load.with_(people_kg=150.0)
    t.window.session.edit(t.study.with_(plan=t.study.plan.with_(load=load)), "people")
    QApplication.processEvents()
    assert not t.load.fields["people_kg"].isHidden()
