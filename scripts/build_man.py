"""Build the man page from the help of the commands: scripts/build_man.py."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import typer.main

from fairmargin import __version__
from fairmargin.cli import app

TARGET = Path(__file__).parents[1] / "docs" / "fairmargin.1"


def escaped(text: str) -> str:
    """Text as troff takes it."""
    text = text.replace("\\", "\\e").replace("-", "\\-").replace("\u2026", "...")
    return re.sub(r"^([.'])", r"\\&\1", text, flags=re.MULTILINE)


def _parameter(parameter: Any) -> list[str]:
    """One argument or option: its names, its words, its default."""
    option = parameter.param_type_name == "option"
    names = ", ".join(parameter.opts) if option else str(parameter.name).upper()
    default = parameter.default
    known = option and isinstance(default, (str, int, float)) and default not in ("", False)
    words = (parameter.help or "") + (f" [default: {default}]" if known else "")
    return [".TP", f".B {escaped(names)}", escaped(words)]


def man_page() -> str:
    """The whole page."""
    group: Any = typer.main.get_command(app)
    lines = [
        f'.TH FAIRMARGIN 1 "" "Fair Margin {__version__}" "User commands"', ".SH NAME",
        escaped(f"fairmargin - {_short(group)}"), ".SH SYNOPSIS", ".B fairmargin", "[COMMAND] [ARGUMENTS]", ".br", ".B fairmargin", "[FILE]",
        ".SH DESCRIPTION", escaped(group.help or ""), "Without a command, or with a file alone, the window opens.", ".SH COMMANDS",
    ]  # fmt: skip
    for name, command in sorted(group.commands.items()):
        lines += [f".SS fairmargin {escaped(name)}", escaped(command.help or "")]
        for parameter in command.params:
            if parameter.name != "help" and not getattr(parameter, "hidden", False):
                lines += _parameter(parameter)
    lines += [".SH EXIT STATUS", "0 done; 1 differs; 2 something given cannot be used, said in one line each."]
    return "\n".join(line for line in lines if line) + "\n"


def _short(group: Any) -> str:
    return (group.help or "").partition(":")[2].strip().rstrip(".") or "what a change does to a vehicle's consumption"


if __name__ == "__main__":
    TARGET.write_text(man_page(), encoding="utf-8")
    print(f"{TARGET}: {len(man_page().splitlines())} lines")
