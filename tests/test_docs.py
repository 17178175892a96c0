"""The documents point at what is there, and name what the code has."""

import re
from pathlib import Path

import pytest

from fairmargin.core.model.parameters import Parameter

ROOT = Path(__file__).parent.parent
DOCUMENTS = (*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md"))


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda p: p.name)
def test_every_link_leads_somewhere(document):
    text = document.read_text(encoding="utf-8")
    targets = [t for t in re.findall(r"\]\(([^)#]+)[^)]*\)", text) if "://" not in t]
    lost = [t for t in targets if not (document.parent / t).exists()]
    assert not lost


def test_every_parameter_of_the_model_has_its_symbol_and_unit():
    text = (ROOT / "docs" / "nomenclature.md").read_text(encoding="utf-8")
    assert [p.name for p in Parameter if f"`{p.name}`" not in text] == []


def test_the_map_of_where_things_are_names_files_that_are_there():
    text = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    table = text[text.index("## Where is it?") :]
    core = ROOT / "src" / "fairmargin" / "core"
    files = re.findall(r"`([a-z/_]+\.py)`", table)
    assert len(files) > 10 and [f for f in files if not (core / f).exists()] == []
    for file, name in re.findall(r"`([a-z/_]+\.py)`, `(\w+)`", table):
        assert re.search(rf"\b{name}\b", (core / file).read_text(encoding="utf-8")), (file, name)
