"""The man page is made from the help, and says every command and option."""

import importlib.util
from pathlib import Path

import typer.main

from fairmargin.cli import app

ROOT = Path(__file__).parents[1]


def test_the_man_page_is_that_of_the_help():
    spec = importlib.util.spec_from_file_location("build_man", ROOT / "scripts" / "build_man.py")
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    page = (ROOT / "docs" / "fairmargin.1").read_text(encoding="utf-8")
    assert page == made.man_page(), "make man"
    for name, command in typer.main.get_command(app).commands.items():
        assert f".SS fairmargin {name}".replace("-", "\\-") in page
        for parameter in command.params:
            for option in parameter.opts:
                if option.startswith("--") and option != "--help":
                    assert option.replace("-", "\\-") in page
