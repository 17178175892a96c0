"""Coasting: times, forces, precision and quadratic by hand, and against a closed form."""

from __future__ import annotations

import math

import numpy as np
import pytest

from fairmargin.core.laws import coasting


def test_a_constant_force_by_hand():
    # 1500 kg with 3 % that turn, 300 N: 1545/300 = 5.15 s for each m/s, 14.31 s for 10 km/h.
    edges = coasting.band_edges(80.0 / 3.6, 49.0 / 3.6)
    assert (edges * 3.6).round().tolist() == [80, 70, 60, 50]
    t = np.linspace(0.0, 60.0, 121)
    times = coasting.band_times_s(t, 82.0 / 3.6 - t * 300.0 / 1545.0, edges)
    assert times == pytest.approx([14.306] * 3, abs=0.001)
    assert coasting.force_by_bands_n(1500.0, edges, times) == pytest.approx([300.0] * 3)


def test_drag_alone_in_closed_form():
    """Of drag alone 1/v grows evenly with time: m/k (1/v2 − 1/v1); f2 is found, f0 and f1 are nothing."""
    m, k = 1200.0, 0.45
    t = np.arange(0.0, 120.0, 0.25)
    v = 1.0 / (3.6 / 110.0 + k * t / (m * 1.03))
    edges = coasting.band_edges(float(v[0]), float(v[-1]))
    times = coasting.band_times_s(t, v, edges)
    assert times[0] == pytest.approx(m * 1.03 / k * (1 / edges[1] - 1 / edges[0]), rel=1e-3)
    force = coasting.force_by_bands_n(m, edges, times)
    load = coasting.quadratic((edges[1:] + edges[:-1]) / 2, force)
    # A band's mean force is that at its middle but for (Δv/2v)².
    assert load.f2_n_s2_m2 == pytest.approx(k, rel=0.02)
    assert float(load.force_n(90 / 3.6)) == pytest.approx(k * 25.0**2, rel=0.01)


def test_opposite_runs_are_averaged_as_forces():
    # 300 N and 400 N are 350 N: times go as 1/300 and 1/400, their harmonic mean as 1/350.
    assert float(coasting.opposite_mean_s(1 / 300, 1 / 400)) == pytest.approx(1 / 350)


def test_precision_as_published():
    # UN GTR No. 15, Annex 4 (from memory): t σ / (√n mean); Student's t of 4 degrees of freedom is 2.776.
    pairs = [10.0, 10.1, 9.9, 10.05, 9.95]
    sigma = math.sqrt(sum((x - 10.0) ** 2 for x in pairs) / 4)
    assert coasting.precision(pairs) == pytest.approx(2.776 * sigma / math.sqrt(5) / 10.0)
    assert math.isinf(coasting.precision([10.0]))


def test_bands_that_were_not_passed_are_not_told():
    edges = np.array([80.0, 70.0, 60.0]) / 3.6
    times = coasting.band_times_s(np.array([0.0, 10.0]), np.array([81.0, 65.0]) / 3.6, edges)
    assert np.isfinite(times[0]) and np.isnan(times[1])
    assert len(coasting.band_edges(15.0, 14.0)) == 0 and coasting.quadratic([20.0, 25.0], [300.0, 400.0]) is None
