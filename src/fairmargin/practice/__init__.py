"""Practice: cases with hidden flaws and known truth; twenty that ship, and any number from chance."""

from fairmargin.practice.cases import Case, generated, shipped

__all__ = ["Case", "generated", "shipped"]
