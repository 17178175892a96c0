"""Run the blocks of docs/notebook.md in an empty folder and write below each what it said (``make notebook``)."""

from __future__ import annotations

import contextlib
import io
import os
import re
import sys
import tempfile
from pathlib import Path

PAGE = Path(__file__).parents[1] / "docs" / "notebook.md"
FIGURE = "days.svg"
_BLOCK = re.compile(r"```python\n(.*?)```\n(?:\n```text\n.*?```\n)?", re.DOTALL)


def executed(text: str) -> tuple[str, str]:
    """The page with what each block says below it, and the figure that it draws."""
    names: dict[str, object] = {}

    def run(match: re.Match[str]) -> str:
        said = io.StringIO()
        with contextlib.redirect_stdout(said):
            exec(compile(match[1], str(PAGE), "exec"), names)
        output = "\n".join(line.rstrip() for line in said.getvalue().rstrip().splitlines())
        return f"```python\n{match[1]}```\n" + (f"\n```text\n{output}\n```\n" if output else "")

    here = Path.cwd()
    with tempfile.TemporaryDirectory() as folder:
        os.chdir(folder)
        try:
            made = _BLOCK.sub(run, text)
            drawn = re.sub(r"<metadata>.*?</metadata>", "", Path(FIGURE).read_text(encoding="utf-8"), flags=re.DOTALL)
        finally:
            os.chdir(here)
    return made, drawn


if __name__ == "__main__":
    page, svg = executed(PAGE.read_text(encoding="utf-8"))
    PAGE.write_text(page, encoding="utf-8")
    PAGE.with_suffix(".svg").write_text(svg, encoding="utf-8")
    print(f"{PAGE}: {page.count('```text')} outputs", file=sys.stderr)
