"""Covers by logger, tyres by the year: a log with headings of its own, and totals of thousands of kilometres."""

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication

from fairmargin.exchange.files.kinds import recognise
from fairmargin.exchange.logs.loggers import preview


def log(path, factor, detour=0):
    """An out and back by logger, one sample a second: 90 km/h, power in W, a turn-round with a detour."""
    rows = ["Elapsed [ms];v GPS [km/h];P Batt [W];SoC"]
    t = 0
    rng = np.random.default_rng(3)
    for part, seconds in (("drive", 720), ("turn", 40 + detour), ("drive", 720)):
        for _ in range(seconds):
            v = 90 + rng.normal(0, 0.4) if part == "drive" else 25.0
            p = (13500 if part == "drive" else 4000) * factor + rng.normal(0, 400)
            rows.append(f"{t * 1000};{v:.1f};{p:.0f};{80 - t * 0.01:.1f}".replace(".", ","))
            t += 1
    path.write_text("\n".join(rows))
    return path


def test_a_log_is_recognised(tester, tmp_path):
    path = log(tmp_path / "covers.csv", 1.0)
    assert recognise(path).kind == "log"
    assert [c.role for c in preview(path).profile.columns] == ["time", "speed", "power", "soc"]
    t = tester
    t.new("change", "Covers by logger", kind="aero covers", names=("Covers on", "Covers off"), order="AB")
    t.bring_log(path, ("L01", "L02"), (("0", "12:00"), ("12:40", "24:40")))
    t.bring_log(log(tmp_path / "off.csv", 1.06, detour=90), ("L03", "L04"), (("0", "12"), ("14:10", "26.2")))
    legs = {x.leg: x for x in t.analysis.legs}
    assert {x.instrument for x in legs.values()} == {"logger"}
    # 13.5 kW at 90 km/h are 150 Wh/km; 6 % more without the covers; the detour at the turn is in neither.
    assert t.effect.as_measured_percent == pytest.approx(6, abs=0.7)
    assert legs["L01"].measured_wh_per_km == pytest.approx(150, abs=4)
    assert legs["L01"].corrected_wh_per_km is not None
    assert t.effect.interval_percent[0] < 6 < t.effect.interval_percent[1]


def test_a_table_can_be_called_a_log(tester, tmp_path):
    t = tester
    t.new(
        "change", "Covers by logger", kind="aero covers", names=("Covers on", "Covers off"), order="AB", method="loop"
    )
    path = tmp_path / "odd.csv"
    path.write_text("a;b;c\n" + "\n".join(f"{i};90;13,5" for i in range(900)))
    assert recognise(path).kind == "table"
    said = t.bring_as(path, "a log of one drive")
    assert said == "log"


def test_yearly_totals_are_trips_too(tester):
    t = tester
    t.units("metric-wh")
    t.new("everyday", "Tyres by the year", kind="tyres", names=("Old tyres", "New tyres"), order="")
    t.paste("configuration\tdistance (km)\treading\nOld tyres\t5000\t147\nNew tyres\t1300\t136")
    assert len(t.study.legs) == 2
    t.leg("L01", distance_km="22000")
    assert t.study.leg("L01").distance_km == 22000
    c = t.effect
    assert c.as_measured_percent == pytest.approx((136 / 147 - 1) * 100, abs=0.01)
    assert c.interval_percent[0] < c.as_measured_percent < c.interval_percent[1]
    assert c.half_width_percent > 8  # a year against some weeks of another season: honest, and wide
    assert c.verdict == "not settled"
    text = t.shown("verdict")
    assert "these trips" in text
    # The seasons are asked, one configuration after the other, and not assumed.
    before = c.half_width_percent
    t.answer("7 to 14 °C")
    t.answer("14 to 21 °C")
    assert [leg.temperature_c for leg in t.study.legs] == [10.5, 17.5]
    assert t.effect.half_width_percent < before
    assert t.effect.as_measured_percent == pytest.approx((136 / 147 - 1) * 100, abs=0.01)
    t.check()
    QApplication.processEvents()
