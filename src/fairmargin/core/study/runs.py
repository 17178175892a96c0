"""Runs as they were driven: added, removed, moved, driven with another configuration, read once over there and back."""

from __future__ import annotations

from collections.abc import Collection

from fairmargin.core.study.layout import Layout, aimed_speeds, runs_in_block, sectors_read, vehicles_beside
from fairmargin.core.study.leg import Leg
from fairmargin.core.study.values import Study


def with_run(study: Study, side: str) -> Study:
    """Return the study with one more planned run of a side: a configuration, or a vehicle where vehicles take turns.

    It is read off by the sectors of the runs before, and aimed at the last one's speed where all have one of their own.
    """
    runs = study.runs()
    last = runs[-1][1][0] if runs else None
    block = last.block if last else "1"
    in_block = sum(legs[0].block == block for _, legs in runs)
    if block.isdigit() and in_block >= runs_in_block(len(study.lettered)):
        block = str(int(block) + 1)
    legs = Layout(study).run(
        side,
        block,
        speed_kmh=last.speed_kmh if last and None not in aimed_speeds(study) else None,
        sectors=sectors_read(study),
        vehicle=last.vehicle if last and vehicles_beside(study) != ("",) else "",
    )
    return study.with_legs((*study.legs, *legs))


def run_of(study: Study, leg: str) -> str:
    """Name of the run that a leg belongs to."""
    return study.leg(leg).run or leg


def without_run(study: Study, run: str) -> Study:
    """Return the study without a run, its readings and its notes."""
    return study.with_legs(leg for leg in study.legs if (leg.run or leg.leg) != run)


def without_leg(study: Study, name: str) -> Study:
    """Return the study without one leg, its readings and its notes."""
    return study.with_legs(leg for leg in study.legs if leg.leg != name)


def driven_with(study: Study, run: str, configuration: str) -> Study:
    """Return the study in which a run was driven with another configuration."""
    return study.with_(
        legs=tuple(leg.with_(configuration=configuration) if (leg.run or leg.leg) == run else leg for leg in study.legs)
    )


def moved(study: Study, run: str, by: int) -> Study:
    """Return the study with a run driven earlier (`by` < 0) or later among the others."""
    runs = study.runs()
    at = next(i for i, (name, _) in enumerate(runs) if name == run)
    to = min(max(at + by, 0), len(runs) - 1)
    runs.insert(to, runs.pop(at))
    return study.with_(legs=tuple(leg for _, legs in runs for leg in legs))


def driven_next(study: Study, leg: str, begun: Collection[str]) -> Study:
    """Return the study with the run of a leg before all of which nothing was driven yet; as it is where it was begun.

    Parameters
    ----------
    study : Study
    leg : str
        The leg that is set off on.
    begun : collection of str
        Legs that were driven, or are being driven.
    """
    run, runs = run_of(study, leg), study.runs()
    untouched = [name for name, legs in runs if not any(x.leg in begun for x in legs)]
    if run not in untouched or run == untouched[0]:
        return study
    names = [name for name, _ in runs]
    return moved(study, run, names.index(untouched[0]) - names.index(run))


def with_run_next(study: Study, side: str, begun: Collection[str]) -> tuple[Study, str]:
    """Return the study with one more run of a side before all of which nothing was driven yet, and its first leg."""
    more = with_run(study, side)
    first = more.legs[len(study.legs)].leg
    return driven_next(more, first, begun), first


def joined(study: Study, run: str) -> Study:
    """Return the study in which a run was read once, over all its legs: there and back as one round.

    Raises
    ------
    ValueError
        If more than one leg of the run has a reading.
    """
    own = [leg for leg in study.legs if (leg.run or leg.leg) == run]
    read = [leg for leg in own if leg.has_reading]
    if len(read) > 1:
        raise ValueError(f"{run}: both legs have readings of their own; clear one of them first")
    kept = (read or own)[0].with_(direction="loop")
    legs = [kept if leg.leg == kept.leg else leg for leg in study.legs]
    gone = {leg.leg for leg in own} - {kept.leg}
    return study.with_legs(leg for leg in legs if leg.leg not in gone)


def way_words(study: Study, leg: Leg) -> str:
    """Which way a leg was driven: out, back, loop; "there and back" where one reading covers both; "" where nobody said."""
    both = leg.direction == "loop" and study.method == "out-and-back"
    return "there and back" if both else leg.direction
