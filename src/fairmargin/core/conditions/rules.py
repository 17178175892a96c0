"""Where concerns are registered: a function for each, with its code, stage, what it needs, and whether it is covered."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Generic, Literal, TypeVar

from fairmargin.core.conditions.concern import Concern, Severity

Context = TypeVar("Context")
#: Stage of the work at which one looks into a concern.
Stage = Literal["question", "plan", "drive", "examine", "correct"]


@dataclass(frozen=True, slots=True)
class Finding:
    """What a rule found: a concern but for what is registered with the rule."""

    severity: Severity
    bias_percent: float | None
    legs: tuple[str, ...]
    title: str
    message: str
    next_step: str
    signed: bool = False
    suggested: str = ""
    unsettles: bool = False
    covered: bool | None = None  # only where the rule is registered as covered by size


Check = Callable[[Context], Iterable[Finding]]


@dataclass(frozen=True, slots=True)
class Rule(Generic[Context]):
    """One concern: how it is found, and what is known of it beforehand."""

    code: str
    stage: Stage
    needs: str  # what has to be noted, or driven, for it to be seen
    covered: bool | None  # None: it depends on its size
    check: Check[Context]

    def concerns(self, context: Context) -> Iterable[Concern]:
        """Run the check.

        Raises
        ------
        ValueError
            If the check says what is registered already, or leaves open what only it can say.
        """
        for found in self.check(context):
            if (found.covered is None) is (self.covered is None):
                raise ValueError(f"{self.code}: whether it is covered is said by the rule or by the check, once")
            covered = found.covered if self.covered is None else self.covered
            yield Concern(
                self.code,
                found.severity,
                found.bias_percent,
                found.legs,
                found.title,
                found.message,
                found.next_step,
                covered=bool(covered),
                signed=found.signed,
                suggested=found.suggested,
                unsettles=found.unsettles,
            )


@dataclass(frozen=True, slots=True)
class Registry(Generic[Context]):
    """The rules of one kind of study, in the order in which they are asked."""

    rules: list[Rule[Context]] = field(default_factory=list)

    def rule(
        self, code: str, *, stage: Stage, needs: str, covered: bool | None
    ) -> Callable[[Check[Context]], Check[Context]]:
        """Register the function below as a rule; `covered` None means that each finding says so itself."""

        def register(check: Check[Context]) -> Check[Context]:
            self.rules.append(Rule(code, stage, needs, covered, check))
            return check

        return register

    def check(self, context: Context) -> list[Concern]:
        """Ask every rule."""
        return [concern for rule in self.rules for concern in rule.concerns(context)]
