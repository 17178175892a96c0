"""Days that a careless hand drives: nothing is read off by accident, what is stored is true or marked, the day is finished."""

import os

import pytest
from tests.desktop.chaos import ChaosDay

#: `make chaos` drives two hundred.
DAYS = int(os.environ.get("CHAOS_DAYS", "3"))


@pytest.mark.parametrize("seed", range(DAYS))
def test_a_careless_day(qapp, tmp_path, monkeypatch, seed):
    day = ChaosDay(seed, tmp_path, monkeypatch)
    try:
        assert day.run(), "; ".join(day.log[-60:])
        assert day.accidents == [], "; ".join(day.log[-60:])
        assert day.disagreements() == [], "; ".join(day.log[-60:])
    finally:
        day.close()
