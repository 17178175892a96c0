"""The report's pages of range, money and the trip: the same figures as asked of the study, in both kinds of file."""

from __future__ import annotations

import re
from datetime import datetime
from pathlib import Path

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.prediction import Circumstances
from fairmargin.core.outcome.asking import askings, predict
from fairmargin.core.outcome.money import Prices
from fairmargin.core.study.trip import Trip, TripStretch, chargers_every
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.reports.content import content
from fairmargin.exchange.reports.use import report_use
from fairmargin.exchange.reports.writing import to_html, write_report

METRIC = UNIT_CHOICES["metric"]


@pytest.fixture(scope="module")
def towing():
    study = driven_study("ABBA", effect=285 / 170, kind="towing").with_(
        vehicle=VAN.with_(usable_capacity_kwh=80),
        trip=Trip(
            name="To the mill", stretches=(TripStretch(km=420, speed_kmh=90),), chargers=chargers_every(90, 140, 420, 150, 0.45),
            start_percent=95, home_price_per_kwh=0.45, climate="off", fuel_l_per_100km=11.4, fuel_price_per_l=1.95,
        ),
    )  # fmt: skip
    found = analyse(study)
    return study, found, askings(study, {}, found.results)


def words(html: str) -> str:
    return re.sub(r"\s+", " ", re.sub(r"<style>.*?</style>|<svg.*?</svg>|<[^>]+>", " ", html, flags=re.DOTALL))


def test_range_money_and_trip_as_asked(towing) -> None:
    study, found, asked = towing
    use = report_use(study, asked, reserve=0.1, prices=Prices(energy=0.3), km_per_year=20_000)
    text = words(to_html(content(study, found, METRIC, datetime(2026, 5, 2), use)))
    a, b = predict(study, asked[0], Circumstances(110.0), 0.1)
    assert "Over speed, at the reference conditions (* was not driven; 95 %)" in text
    assert "110 km/h *" in text and "90 km/h " in text and "90 km/h *" not in text
    for p in (a, b):
        assert f"{p.wh_per_km / 10:.3g} (" in text
        assert f"{p.reach.to_reserve_km:.0f} (" in text
    base = found.results[0].wh_per_km
    assert f"{base / 1000 / 0.9 * 0.3 * 100:.2f}" in text and f"{base / 1000 / 0.9 * 0.3 * 20_000:.0f}" in text
    assert "To the mill with Trial: 420 km in" in text
    assert f"{use.plan.stops[0].leave_percent:.0f} %" in text
    assert "What would change the trip" in text and "47.9 L" in text
    assert "nine times in ten" in text


def test_without_prices_nothing_is_said_of_money(towing) -> None:
    study, found, asked = towing
    text = words(to_html(content(study, found, METRIC, datetime(2026, 5, 2), report_use(study, asked))))
    assert "Cost, in the tester" not in text


def test_a_trip_that_cannot_be_driven_is_not_reported(towing) -> None:
    study, _, asked = towing
    far = study.with_(trip=study.trip.with_(chargers=()))
    assert report_use(far, asked).plan is None


def test_the_pdf_has_the_same_pages_more(towing, tmp_path: Path) -> None:
    study, found, asked = towing
    write_report(tmp_path / "without.pdf", study, found, METRIC)
    write_report(tmp_path / "with.pdf", study, found, METRIC, use=report_use(study, asked, prices=Prices(energy=0.3)))
    sizes = [len((tmp_path / name).read_bytes()) for name in ("without.pdf", "with.pdf")]
    assert sizes[1] > 1.05 * sizes[0]
