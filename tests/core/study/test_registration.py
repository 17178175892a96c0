"""What is sealed before the first reading: refused afterwards, checked by its checksum, and told where it was changed."""

import hashlib
import json
from datetime import datetime

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.fairness.registered import prediction_words
from fairmargin.core.study import Study, new_study
from fairmargin.core.study.registration import checksum_of, said_afterwards, seal_of, sealed, with_look

AT = datetime(2026, 5, 2, 7, 30)


def planned(order="ABBA", **changes):
    study = new_study(title="P", kind="aero covers", order=order, speed_kmh=90, vehicle=VAN)
    return study.with_(change=study.change.with_(prediction_percent=-4.0), **changes)


def driven(order="ABBA", pairs=None, effect=0.96, before=lambda s: s, **changes):
    """A driven study that was sealed before its first reading."""
    study = driven_study(order, effect=effect, **changes)
    return study.with_(registration=seal_of(before(study), AT, pairs))


def only(study):
    (comparison,) = analyse(study).comparisons
    return comparison


def test_the_checksum_is_that_of_the_canonical_json():
    r = sealed(planned(), AT, 4, "held up").registration
    text = (
        '{"confidence":0.95,"leaving_out":"held up","pairs":4,"prediction":-4.0,'
        '"sealed_at":"2026-05-02T07:30:00","smallest_effect_percent":1.0}'
    )
    assert r.checksum == hashlib.sha256(text.encode()).hexdigest()
    assert r.intact
    assert not r.with_(smallest_effect_percent=2.0).intact and not r.with_(pairs=5).intact
    assert r.with_(looks=3, looked_at_pairs=3).intact  # looks come later and are not sealed


def test_a_writer_that_knows_one_kind_of_number_seals_as_well():
    r = sealed(planned(), AT, 4).registration
    other = r.with_(checksum=checksum_of(r, whole_as_integers=True))
    assert other.checksum != r.checksum and other.intact


def test_it_comes_back_from_a_package_as_it_was():
    study = sealed(planned(), AT, 4, "umlauts: häm"[:11])
    back = Study.model_validate_json(study.model_dump_json(by_alias=True))
    assert back.registration == study.registration and back.registration.intact
    raw = json.loads(study.model_dump_json(by_alias=True))["registration"]
    assert {
        "sealed_at",
        "prediction",
        "smallest_effect_percent",
        "confidence",
        "pairs",
        "leaving_out",
        "checksum",
        "looks",
    } <= set(raw)


def test_sealing_is_refused_once_something_was_read_or_sealed():
    with pytest.raises(ValueError, match="said afterwards"):
        sealed(driven_study("AB"), AT, 1)
    one = planned().with_leg("L01", average_shown=170.0, average_unit="Wh/km")
    with pytest.raises(ValueError, match="said afterwards"):
        sealed(one, AT, 1)
    with pytest.raises(ValueError, match="sealed already"):
        sealed(sealed(planned(), AT, 2), AT, 2)


def test_moving_what_matters_after_the_result_leaves_a_trace():
    """The referee's case: ±1 % became ±9 %, and "uses less" became "no difference that matters"."""
    study = driven("ABBAABBA", pairs=4)
    before, moved = only(study), only(study.with_(smallest_effect_percent=9.0))
    assert before.verdict == "uses less" and moved.verdict == "no difference that matters"
    assert "sealed" not in before.reason
    assert "By what was sealed (±1 % matters, 95 %): uses less" in moved.reason
    concern = next(c for c in moved.concerns if c.code == "sealed-changed")
    assert "smallest effect that matters" in concern.message
    assert before.standing.word == "fair" and moved.standing.word == "with reservations"


def test_without_a_seal_it_is_called_said_afterwards():
    study = driven_study("ABBAABBA", effect=0.96)
    late = said_afterwards(study, study.with_(smallest_effect_percent=9.0))
    assert late.said_afterwards == ("smallest effect that matters",)
    c = only(late)
    assert "said-afterwards" in {x.code for x in c.concerns} and c.standing.word == "with reservations"
    again = said_afterwards(late, late.with_(confidence=0.9))
    assert again.said_afterwards == ("smallest effect that matters", "confidence")
    assert said_afterwards(study, study.with_(title="Other")).said_afterwards == ()


def test_a_prediction_said_afterwards_is_called_so_and_costs_nothing():
    study = driven_study("ABBAABBA", effect=0.96)
    late = said_afterwards(study, study.with_(change=study.change.with_(prediction_percent=-4.0)))
    assert prediction_words(late) == "said afterwards"
    assert only(late).standing.word == only(study).standing.word
    kept = driven(before=lambda s: s.with_(change=s.change.with_(prediction_percent=-4.0)))
    assert prediction_words(kept) == "changed since it was sealed 2026-05-02 07:30"
    same = kept.with_(change=kept.change.with_(prediction_percent=-4.0))
    assert prediction_words(same) == "sealed 2026-05-02 07:30"
    assert prediction_words(study) == "not sealed"


def test_a_broken_seal_is_told():
    study = driven("ABBAABBA", pairs=4)
    forged = study.with_(
        registration=study.registration.with_(smallest_effect_percent=9.0), smallest_effect_percent=9.0
    )
    codes = {c.code for c in only(forged).concerns}
    assert "seal-broken" in codes and "seal-broken" not in {c.code for c in only(study).concerns}


def test_looks_are_counted_once_for_each_number_of_pairs():
    study = driven("ABBAABBA", pairs=4)
    for pairs in (1, 1, 2, 2, 4, 4):
        study = with_look(study, pairs)
    assert (study.registration.looks, study.registration.looked_at_pairs) == (2, 2)
    assert study.registration.intact
    assert with_look(driven_study("ABBA"), 1).registration is None
