"""Two laptops: legs brought together, nothing overwritten."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Event, Trace, WayReading
from fairmargin.core.study.attachments import MOST_BYTES, MOST_OF_A_STUDY, attachment
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


def test_photographs_and_readings_on_the_way_come_along():
    full = driven_study("AB")
    plate = attachment("plate.jpg", b"a plate", "tyre plate")
    here = full.with_(attachments=(plate, attachment("dash.jpg", b"at home", "L01")))
    on_the_way = WayReading(leg="L02", instrument="soc", at_km=4.0, value=62.0, unit="%")
    there = full.with_(
        attachments=(
            plate.with_(file="same-under-another-name.jpg"),
            attachment("dash.jpg", b"in the other car", "L02", note="read off late"),
        ),
        readings=(on_the_way,),
        events=(Event(leg="L02", kind="rain"),),
    )
    made = merge(here, there)
    assert made.attached == ("dash-2.jpg",) and made.noted == 2 and made.too_much == ()
    new = made.study.attachments[-1]
    assert (new.content, new.of, new.note) == (b"in the other car", "L02", "read off late")
    assert made.study.attachments[:2] == here.attachments, "nothing that is here is touched"
    assert made.study.readings == (on_the_way,)
    assert merge(made.study, there).study == made.study, "a second time there is nothing new"


def test_what_a_study_has_no_room_for_is_named():
    full = driven_study("AB")
    many = MOST_OF_A_STUDY // MOST_BYTES
    here = full.with_(attachments=tuple(attachment(f"p{i}.jpg", bytes([i]) * MOST_BYTES, "study") for i in range(many)))
    made = merge(here, full.with_(attachments=(attachment("late.jpg", b"x" * 1000, "load"),)))
    assert made.too_much == ("late.jpg",) and made.study.attachments == here.attachments


def test_a_name_as_long_as_names_may_be_is_taken_under_a_number():
    full, name = driven_study("AB"), "d" * 76 + ".jpg"
    here, there = (
        full.with_(attachments=(attachment("x.jpg", content, "L01").with_(file=name),))
        for content in (b"here", b"there")
    )
    assert merge(here, there).attached == ("d" * 60 + "-2.jpg",)
