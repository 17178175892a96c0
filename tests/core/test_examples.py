"""The examples in the docstrings of the core run, and give what they say."""

import doctest
import linecache
import pkgutil
from importlib import import_module

import pytest

import fairmargin.core

EVERY = tuple(m.name for m in pkgutil.walk_packages(fairmargin.core.__path__, "fairmargin.core."))


@pytest.mark.parametrize("name", EVERY)
def test_examples_run(name, monkeypatch):
    # The debugger that doctest keeps ready for every example asks after every source file that a run has seen.
    monkeypatch.setattr(linecache, "checkcache", lambda filename=None: None)
    assert doctest.testmod(import_module(name)).failed == 0


def test_there_are_examples():
    finder = doctest.DocTestFinder()
    assert sum(len(t.examples) for name in EVERY for t in finder.find(import_module(name))) > 30
