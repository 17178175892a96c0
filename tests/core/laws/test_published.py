"""The laws against published figures, which stand in ``published.toml`` with their source and how close to come."""

import tomllib
from importlib import import_module
from pathlib import Path

import pytest

VALUES = tomllib.loads((Path(__file__).parent / "published.toml").read_text(encoding="utf-8"))["value"]


def ours(entry):
    module, name = entry["law"].split(".")
    law = getattr(import_module(f"fairmargin.core.laws.{module}"), name)
    found = law(*entry["given"]) if "given" in entry else law
    return float(getattr(found, "value", found))


@pytest.mark.parametrize("entry", VALUES, ids=lambda e: f"{e['law']} {e['source'][:30]}")
def test_a_law_comes_as_close_as_it_should(entry):
    assert ours(entry) == pytest.approx(entry["value"], abs=entry["within"])


def test_every_figure_names_its_source_unit_and_reason():
    for entry in VALUES:
        assert {"source", "unit", "why", "memory"} <= entry.keys() and entry["within"] > 0
