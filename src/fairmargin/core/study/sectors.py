"""Sectors of a study: which part of its route each of them is."""

from __future__ import annotations

from fairmargin.core.study.values import RoutePoint, Study


def marked(route: tuple[RoutePoint, ...]) -> list[str]:
    """Sector of every point of a route; a point without one goes on with that of the point before it."""
    names, now = [], ""
    for point in route:
        now = point.sector or now
        names.append(now)
    return names


def route_of(study: Study, sector: str) -> tuple[RoutePoint, ...]:
    """The points of a sector's own road, up to where the next one begins.

    Parameters
    ----------
    study : Study
    sector : str
        As legs name it.

    Returns
    -------
    tuple of RoutePoint
        All of the route where it does not mark the sector, or marks it as more than one stretch.
    """
    if not sector:
        return study.route
    own = [i for i, name in enumerate(marked(study.route)) if name == sector]
    if not own or own[-1] - own[0] + 1 != len(own):
        return study.route
    part = study.route[own[0] : own[-1] + 2]
    return part if len(part) > 1 else study.route


def on_own_road(study: Study, sector: str) -> Study:
    """The study with the road of one sector for its route; what is placed along the route is moved with it.

    Parameters
    ----------
    study : Study
    sector : str
        As legs name it.
    """
    part = route_of(study, sector)
    if len(part) == len(study.route):
        return study
    first, last = part[0].distance_m, part[-1].distance_m
    whole = study.route[0].distance_m

    def at(place_m: float | None) -> float | None:
        return None if place_m is None else min(max(whole + place_m - first, 0.0), last - first)

    cuts = []
    for cut in study.left_out_stretches:
        begin, end = at(cut.from_m) or 0.0, at(cut.to_m) or 0.0
        if end > begin:
            cuts.append(cut.with_(from_m=begin, to_m=end))
    low, high = at(study.plan.gate_start_m), at(study.plan.gate_end_m)
    inside = low is None or high is None or high > low
    plan = study.plan.with_(gate_start_m=low if inside else None, gate_end_m=high if inside else None)
    return study.with_(
        route=tuple(p.with_(distance_m=p.distance_m - first) for p in part), left_out_stretches=tuple(cuts), plan=plan
    )
