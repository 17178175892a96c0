"""Write NOTICES.md: what Fair Margin is shipped with, and under which licences (``make notices``)."""

from __future__ import annotations

import re
from importlib.metadata import Distribution, distribution
from pathlib import Path

ROOT = Path(__file__).parents[1]
PIN = re.compile(r"^([A-Za-z0-9_.-]+)==(\S+?)(?: \\)?$", re.MULTILINE)
#: What a package says of its licence in too many words, or only in a file.
LONG = 60


def pins() -> list[tuple[str, str]]:
    """Names and versions of what the application runs with."""
    return PIN.findall((ROOT / "requirements" / "app.lock").read_text(encoding="utf-8"))


def licence_of(found: Distribution) -> str:
    """The licence as a package states it: an expression, a classifier, or the first line of its text."""
    told = found.metadata
    expression = told.get("License-Expression")
    if expression:
        return str(expression)
    classified = [
        str(c).rpartition(" :: ")[2] for c in told.get_all("Classifier") or [] if str(c).startswith("License ::")
    ]
    stated = str(told.get("License") or "").strip().splitlines()
    short = bool(stated) and len(stated[0]) <= LONG and stated[0].upper() != "UNKNOWN"
    return "; ".join(classified) or (stated[0] if short else "see its own files")


def lines() -> list[str]:
    """The page."""
    out = [
        "# Notices",
        "",
        "Fair Margin is licensed under the Apache License 2.0 (LICENSE). It ships the type *Atkinson Hyperlegible Next* under the",
        "SIL Open Font License 1.1 (`fairmargin/looks/fonts/OFL.txt`), with icons and drawings of its own. It runs with these",
        "packages, each under its own licence, whose text lies beside it where it is installed:",
        "",
        "| Package | Version | Licence |",
        "| --- | --- | --- |",
    ]
    for name, version in sorted(pins(), key=lambda pin: pin[0].lower()):
        out.append(f"| {name} | {version} | {licence_of(distribution(name))} |")
    return [*out, ""]


if __name__ == "__main__":
    (ROOT / "NOTICES.md").write_text("\n".join(lines()), encoding="utf-8")
    print(f"NOTICES.md: {len(pins())} packages")
