"""The simulated weather station speaks METAR."""

from datetime import datetime, timedelta

import numpy as np

from fairmargin.exchange.meteorology.reports import read_report
from fairmargin.simulation.station import station_report


def test_every_report_can_be_read_and_is_possible():
    start = datetime(2026, 1, 3, 0, 10)
    for k in range(400):
        text = station_report(5, start + timedelta(hours=21.7 * k))
        seen = read_report(text)
        assert 0 <= seen.wind_speed_ms < 25 and -30 < seen.temperature_c < 40, text
        assert 960 < seen.pressure_hpa < 1060 and seen.rain == (" -RA " in text)
        assert seen.wind_from_deg is None or 0 <= seen.wind_from_deg <= 360


def test_the_same_moment_reports_the_same_and_the_day_warms():
    at = datetime(2026, 6, 3, 8, 0)
    assert station_report(1, at) == station_report(1, at) != station_report(2, at)
    warm = [read_report(station_report(1, at.replace(hour=h))).temperature_c for h in (5, 15)]
    assert warm[1] > warm[0] + 4
    summer, winter = (
        np.mean([read_report(station_report(1, datetime(2026, m, d, 12))).temperature_c for d in range(1, 20)])
        for m in (7, 1)
    )
    assert summer > winter + 8
