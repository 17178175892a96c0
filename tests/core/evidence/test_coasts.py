"""What is a coasting run, and what is not."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.evidence.coasts import coast_of, coasting_legs, coasts_in
from fairmargin.core.study import Trace


def falling(from_kmh: float = 100.0, to_kmh: float = 40.0, m_s2: float = 0.25, **more: object) -> Trace:
    seconds = (from_kmh - to_kmh) / 3.6 / m_s2
    t = np.arange(0.0, seconds, 0.5)
    noise = 0.2 * np.sin(7 * t)
    return Trace(time_s=t, speed_kmh=from_kmh - 3.6 * m_s2 * t + noise, **more)


def joined(*parts: tuple[float, float, float]) -> Trace:
    """Speeds that go from one to another over so many seconds, one after the other."""
    speed = np.concatenate([np.linspace(a, b, int(s), endpoint=False) for a, b, s in parts])
    return Trace(time_s=np.arange(float(len(speed))), speed_kmh=speed)


def test_a_run_is_told_from_its_begin_to_its_end():
    coast = coast_of(falling())
    assert 3.6 * coast.fastest_m_s == pytest.approx(100, abs=1.5)
    assert 3.6 * coast.slowest_m_s == pytest.approx(40, abs=1.5)
    # 27.8² − 11.1² over 2 · 0.25 m/s²
    assert coast.metres == pytest.approx(1296, rel=0.02)


@pytest.mark.parametrize(
    "trace",
    [
        falling(m_s2=1.2),  # braked
        falling(from_kmh=60, to_kmh=45),  # too little to fit
        falling(power_kw=np.full(len(falling().time_s), -9.0)),  # the motor brakes
        joined((0, 90, 15), (90, 90, 600), (90, 30, 60)),  # a drive with its exit ramp
        Trace(time_s=np.arange(300.0), speed_kmh=np.full(300, 90.0)),
    ],
    ids=["braked", "short", "regenerating", "a drive", "steady"],
)
def test_what_is_no_coasting_run(trace):
    assert coast_of(trace) is None


def test_a_session_is_cut_into_its_runs():
    back_and_forth = joined(*[(30, 105, 25), (105, 105, 10), (105, 35, 70)] * 4)
    runs = coasts_in(back_and_forth)
    assert len(runs) == 4
    for i, (a, b) in enumerate(runs):
        assert a == pytest.approx(105 * i + 35, abs=13) and b == pytest.approx(105 * (i + 1), abs=4)


def test_a_leg_with_a_reading_was_driven():
    study = driven_study("AB")
    logs = {leg.leg: falling() for leg in study.legs}
    assert coasting_legs(study, logs) == {}
    bare = study.with_legs([leg.with_(average_shown=None, average_unit=None, average_step=None) for leg in study.legs])
    assert set(coasting_legs(bare, logs)) == set(logs)
    assert coasting_legs(bare.with_(method="climb"), logs) == {}
