"""A study's problem before it is solved."""

from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare


def prepared(study):
    found = gather(study, {})
    return prepare(study, list(found.conditions.values()), found.observations, found.logs[""], FitOptions())
