"""A trace keeps its samples to itself: nobody can write into them, and traces share only what nobody can write."""

from dataclasses import replace

import numpy as np
import pytest

from fairmargin.core.study import Trace


def test_what_was_given_can_change_and_the_trace_does_not():
    time, speed = np.arange(5.0), np.full(5, 80.0)
    view = speed[:]
    view.setflags(write=False)  # read-only, but of an array that is not
    for given in (speed, view):
        trace = Trace(time_s=time, speed_kmh=given)
        speed[0] = 10.0
        assert trace.speed_kmh[0] == 80.0
        speed[0] = 80.0
        with pytest.raises(ValueError, match="read-only"):
            trace.speed_kmh[0] = 0.0


def test_a_changed_trace_shares_the_other_columns():
    trace = Trace(time_s=np.arange(5.0), speed_kmh=np.full(5, 80.0), power_kw=np.full(5, -3.0))
    turned = replace(trace, power_kw=-trace.power_kw)
    assert turned.speed_kmh is trace.speed_kmh
    assert turned.power_kw.tolist() == [3.0] * 5 and trace.power_kw.tolist() == [-3.0] * 5
    assert replace(trace, speed_kmh=trace.speed_kmh.astype(np.float32)).speed_kmh.dtype == np.float64
