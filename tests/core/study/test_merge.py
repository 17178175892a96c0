"""Two laptops: legs brought together, nothing overwritten."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Event, Trace
from fairmargin.core.study.merge import decide, merge, traces_to_take


def test_empty_fields_are_filled_and_new_legs_added():
    full = driven_study("ABBA")
    here = full.with_legs(
        leg.with_(average_shown=None, average_unit=None, average_step=None) if leg.run == "R2" else leg
        for leg in full.legs[:6]
    )
    made = merge(here, full)
    assert made.study == full
    assert made.added == ("L07", "L08") and made.conflicts == ()
    assert ("L03", "average_shown") in made.filled


def test_what_differs_stays_until_somebody_decides():
    here = driven_study("AB")
    there = here.with_leg("L02", average_shown=180.0, note="read by the passenger")
    made = merge(here, there)
    assert made.study.leg("L02").average_shown == here.leg("L02").average_shown
    assert made.study.leg("L02").note == "read by the passenger"
    (conflict,) = made.conflicts
    assert (conflict.leg, conflict.field, conflict.there) == ("L02", "average_shown", 180.0)
    assert decide(made, []).leg("L02").average_shown == 170
    assert decide(made, [conflict]).leg("L02").average_shown == 180


def test_events_are_joined_once_and_a_second_merge_changes_nothing():
    here = driven_study("AB").with_(events=(Event(leg="L01", kind="gust"),))
    there = here.with_(events=(Event(leg="L01", kind="gust"), Event(leg="L02", kind="rain")))
    once = merge(here, there).study
    assert [e.kind for e in once.events] == ["gust", "rain"]
    again = merge(once, there)
    assert again.study == once and not again.added and not again.filled


def test_a_leg_left_out_there_is_a_question_here():
    here = driven_study("AB")
    made = merge(here, here.with_leg("L01", included=False, reason="queue"))
    assert made.study == here and not made.filled
    assert [(c.field, c.there) for c in made.conflicts] == [("included", False), ("reason", "queue")]
    assert not decide(made, made.conflicts).leg("L01").included


@pytest.mark.parametrize(
    "change, words", [({"configuration": "B"}, "not the same drive"), ({"direction": "back"}, "not the same drive")]
)
def test_another_drive_of_the_same_name_is_refused(change, words):
    here = driven_study("AB")
    with pytest.raises(ValueError, match=words):
        merge(here, here.with_leg("L01", **change))


def test_another_study_is_refused():
    here = driven_study("AB")
    strange = tuple(leg.model_copy(update={"configuration": "Z"}) for leg in here.legs)
    there = here.model_copy(update={"legs": strange})
    with pytest.raises(ValueError, match="not the same study"):
        merge(here, there)


def log_of(power=15.0):
    t = np.arange(0.0, 100.0)
    return Trace(time_s=t, speed_kmh=np.full(100, 90.0), power_kw=np.full(100, power))


def test_logs_come_along_and_unlike_ones_are_a_conflict(abba):
    here = {"L01": log_of(), "L02": log_of()}
    there = {"L01": log_of(), "L02": log_of(14.0), "L03": log_of()}
    merged = merge(abba, abba, here, there)
    assert set(merged.traces) == {"L03"} and ("L03", "samples") in merged.filled
    assert [(c.leg, c.field) for c in merged.conflicts] == [("L02", "samples")]
    assert traces_to_take(merged, []) == {"L03": there["L03"]}  # what is here stays
    both = traces_to_take(merged, merged.conflicts)
    assert both["L02"].same_as(there["L02"]) and decide(merged, merged.conflicts) == abba
