"""The unknowns of one fit: what the conditions leave open, with what earlier studies knew; and what segments share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions import registry
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import WIND_AXES, DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.vehicle import origins
from fairmargin.core.conditions.wind import SHELTER, WIND_WITHIN_LEG, reported_growth
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reported_wind import wandered_m_s
from fairmargin.core.inference import priors
from fairmargin.core.inference.rows import Rows
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]


def leg_unknowns(design: DesignRows) -> list[Unknown]:
    """Every uncertain quantity that acts on whole legs; constants with what earlier studies knew of them as their priors.

    What today's owner knows better than they stays his.
    """
    unknowns, known = registry.unknowns(design), design.study.remembered
    if known is None or not known.values:
        return unknowns
    counted = origins(design.model.constants)
    out = []
    for u in unknowns:
        value = known.value(u.name)
        if value is not None and value.sd < u.prior_sd:
            u = replace(u, prior_mean=value.mean - counted.get(u.name, 0.0), prior_sd=value.sd)
        out.append(u)
    return out


def segment_unknowns(
    rows: Rows, conditions: Sequence[Conditions], references: int, windless: bool, heights: bool
) -> list[Unknown]:
    """What segments of logged legs share: the place (surface, slope, shelter), and how a leg's wind moved."""
    way = np.array([conditions[i].backwards for i in rows.leg])
    unit = np.zeros(len(rows.leg))
    unit[rows.part >= 0] = rows.even[rows.entry[rows.part >= 0]]
    counts = {w: int(rows.part[way == w].max(initial=-1)) + 1 for w in (False, True)}

    def padded(values: Array) -> Array:
        return np.concatenate([values, np.zeros(references)])

    out: list[Unknown] = []
    for w in (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            own = padded(np.where(on, unit, 0.0))
            out.append(unknown_of("place", Group.ROAD, Parameter.TOTAL, own, priors.PLACE))
    # The same trees stand beside both directions, and the same hills.
    places = []
    both = counts[False] == counts[True]
    for w in (False,) if both else (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            if both:
                on |= (rows.part == counts[w] - 1 - k) & way
            places.append(on.astype(float))
    if not heights:
        for place in places:
            own = padded(np.where(way, -place, place))
            out.append(unknown_of("slope", Group.ROAD, Parameter.GRADIENT, own, priors.PLACE_GRADIENT))
    if windless:
        return out
    for place in places:
        own = padded(place)
        out.append(unknown_of("shelter", Group.WIND, Parameter.HEIGHT_FACTOR, own, SHELTER))
    growth, within = reported_growth(conditions), WIND_WITHIN_LEG
    for i in np.unique(rows.leg[rows.part >= 0]):
        drift = padded(np.where(rows.leg == i, rows.middle, 0.0))
        group = Group.WIND_OF_RUNS
        out += [unknown_of("wind within a leg", group, axis, drift, within, growth) for axis in WIND_AXES]
    return out


def turned_unknowns(rows: Rows, conditions: Sequence[Conditions], references: int) -> list[Unknown]:
    """How the wind moved from the way out to the way back of legs that were read once over both."""
    out = []
    for i, c in enumerate(conditions):
        if c.there_and_back:
            moved = np.concatenate([np.where(rows.leg == i, rows.middle, 0.0), np.zeros(references)])
            sd = wandered_m_s(c, c.duration_s / 2.0)
            out += [Unknown("wind at the turn", Group.WIND_OF_RUNS, axis, moved, 0.0, sd) for axis in WIND_AXES]
    return out
