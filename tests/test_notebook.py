"""The page of a study worked through says what its blocks say: `make notebook` where it does not."""

import importlib.util
import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_every_block_says_what_stands_below_it():
    spec = importlib.util.spec_from_file_location("write_notebook", ROOT / "scripts" / "write_notebook.py")
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    text = script.PAGE.read_text(encoding="utf-8")
    made, drawn = script.executed(text)
    assert made == text
    assert len(re.findall("```text", made)) == 6
    kept = script.PAGE.with_suffix(".svg").read_text(encoding="utf-8")
    assert drawn.count("<path") == kept.count("<path") > 20
