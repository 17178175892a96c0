"""Every rule there is: ask them, and look them up."""

from __future__ import annotations

from typing import Any

from fairmargin.core.conditions import registry
from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.rules import Rule, Stage
from fairmargin.core.fairness import registered, statistics
from fairmargin.core.fairness.coasting import COASTING, CoastingContext
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext
from fairmargin.core.fairness.everyday import EVERYDAY, EverydayContext
from fairmargin.core.fairness.records import RECORDS

#: Modules whose rules are registered by importing them; the others are the conditions' own.
RULES_OF = (statistics, registered)


def check(case: ComparisonContext) -> list[Concern]:
    """Concerns of one comparison of a test day."""
    own = [concern for rule in registry.concerns() for concern in rule.concerns(case)]
    return own + TEST_DAY.check(case)


def check_everyday(case: EverydayContext) -> list[Concern]:
    """Concerns of one comparison of everyday logs."""
    return EVERYDAY.check(case)


def check_coasting(case: CoastingContext) -> list[Concern]:
    """Concerns of one comparison of coasting runs."""
    return COASTING.check(case)


def rules() -> tuple[Rule[Any], ...]:
    """Every rule of every kind of study."""
    return (*registry.concerns(), *TEST_DAY.rules, *EVERYDAY.rules, *COASTING.rules, *RECORDS.rules)


def stage_of(code: str) -> Stage | None:
    """Stage at which one looks into a concern; None for an unknown code."""
    return next((rule.stage for rule in rules() if rule.code == code), None)
