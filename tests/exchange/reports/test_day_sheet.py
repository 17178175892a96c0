"""The sheet on paper: each leg by its name and time, each reading in the person's units."""

import re
from datetime import date, time

from tests.conftest import VAN, straight_route

from fairmargin.core.planning.planned_day import plan_day, planned
from fairmargin.core.study import new_study
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.reports.day_sheet import day_sheet


def study_of(vehicle=VAN):
    study = new_study(title="Discs", kind="aero covers", order="ABBA", vehicle=vehicle)
    study = study.with_(route=straight_route(18_000))
    return study.with_(plan=study.plan.with_(day=date(2026, 5, 2), start=time(9, 0)))


def names(html):
    return [re.sub(r"<br><small>|</small>", "|", x) for x in re.findall(r'<td class="name">(.*?)</td>', html)]


def test_out_and_back_have_their_own_names_and_times():
    study = study_of()
    html = day_sheet(study, plan_day(study, study.order), UNIT_CHOICES["metric"])
    found = names(html)
    assert [x.split(" ")[1] for x in found] == [leg.leg for leg in study.legs]
    times = [x.split("about ")[1].rstrip("|") for x in found]
    assert len(set(times)) == len(times) and times == sorted(times)
    # The same as the plan that margins are worked out of.
    assert times == [f"{leg.started_at:%H:%M}" for leg in planned(study, study.order).legs]


def test_readings_are_asked_in_the_persons_units():
    study = study_of()
    table = plan_day(study, study.order)
    metric, us = (day_sheet(study, table, UNIT_CHOICES[name]) for name in ("metric", "us"))
    assert "<th>km shown</th>" in metric and "<th>wind, m/s, from</th>" in metric and "<th>\u00b0C</th>" in metric
    assert "<th>mi shown</th>" in us and "<th>wind, mph, from</th>" in us and "<th>\u00b0F</th>" in us
    assert "<th>average, Wh/mi, or kWh</th>" in us and "charge % before" in us


def test_a_vehicle_that_burns_fuel_is_asked_no_charge():
    study = study_of(VAN.with_(energy="petrol"))
    html = day_sheet(study, plan_day(study, study.order), UNIT_CHOICES["us"])
    assert "charge %" not in html and "average or fuel, gal (US)" in html
