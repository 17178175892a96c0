"""Every rule there is: ask them, and look them up."""

from __future__ import annotations

from typing import Any

from fairmargin.core.fairness import design, driving, instruments, statistics, vehicle, weather
from fairmargin.core.fairness.concern import Concern
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext
from fairmargin.core.fairness.everyday import EVERYDAY, EverydayContext
from fairmargin.core.fairness.records import RECORDS
from fairmargin.core.fairness.registry import Rule, Stage

#: Modules whose rules of a test day are registered by importing them.
TEST_DAY_RULES = (design, weather, driving, instruments, vehicle, statistics)


def check(case: ComparisonContext) -> list[Concern]:
    """Concerns of one comparison of a test day."""
    return TEST_DAY.check(case)


def check_everyday(case: EverydayContext) -> list[Concern]:
    """Concerns of one comparison of everyday logs."""
    return EVERYDAY.check(case)


def rules() -> tuple[Rule[Any], ...]:
    """Every rule of every kind of study."""
    return (*TEST_DAY.rules, *EVERYDAY.rules, *RECORDS.rules)


def stage_of(code: str) -> Stage | None:
    """Stage at which one looks into a concern; None for an unknown code."""
    return next((rule.stage for rule in rules() if rule.code == code), None)
