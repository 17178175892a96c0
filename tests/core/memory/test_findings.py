"""What a study leaves for others to lean on."""

from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.memory.findings import findings
from fairmargin.core.memory.network import joined


def test_two_states_of_one_name_are_told_apart_by_their_ids():
    study = driven_study("ABBA")
    study = study.with_(configurations=tuple(c.with_(name="Discs") for c in study.configurations))
    (found,) = findings(study, analyse(study), 1)
    assert (found.baseline, found.trial) == ("Discs (A)", "Discs (B)")
    (joint,), _ = joined([found], found.vehicle)  # and the joining does not break
    assert {p.name for p in joint.placed} == {"Discs (A)", "Discs (B)"}
