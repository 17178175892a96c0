"""The examples in the docstrings of the core run, and give what they say."""

import doctest
from importlib import import_module

import pytest

WITH_EXAMPLES = (
    "intervals",
    "analysis",
    "laws.aero",
    "laws.disturbance",
    "laws.driveline",
    "laws.rolling",
    "laws.wind",
)


@pytest.mark.parametrize("name", WITH_EXAMPLES)
def test_examples_run(name):
    found = doctest.testmod(import_module(f"fairmargin.core.{name}"))
    assert found.attempted > 0 and found.failed == 0
