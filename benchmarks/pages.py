"""Reads every page of studies of all regimes in four sets of units, as they are seen.

    QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/pages.py [studies]

Prints what breaks a rule: a unit of another set, an interval that runs from high to low, a second figure for the effect.
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent.parent))

from PySide6.QtCore import QSettings
from regimes import REGIMES
from tests.reading_pages import faults, other_figures, read_pages

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.application import make_application
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.window import MainWindow


def main() -> None:
    """Read, and print what is wrong."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    make_application(["fairmargin"])
    found: dict[str, int] = {}
    read = 0
    with tempfile.TemporaryDirectory() as folder:
        session = Session(QSettings(f"{folder}/settings.ini", QSettings.Format.IniFormat))
        session.open_logbook(Path(folder) / "book.fairmargin")
        window = MainWindow(session)
        window.resize(1280, 800)
        window.show()
        chance = random.Random(5)
        for name in chance.sample(sorted(REGIMES), min(count, len(REGIMES))):
            study, traces, _ = REGIMES[name](chance.randrange(40))
            window.show_study(session.add_study(study.with_(title=name), traces) or 0)
            for units, choice in UNIT_CHOICES.items():
                said = read_pages(window, choice)
                assert session.study is not None
                read += len(said)
                wrong = faults(session.study, said, units, session.analysis.legs if session.analysis else ())
                if session.comparison is not None:
                    wrong += other_figures(said, session.comparison)
                for words in wrong:
                    found[f"{name}, {units}: {words}"] = found.get(words, 0) + 1
            window.go_home()
    for words in found:
        print(words)
    print(f"{count} studies in {len(UNIT_CHOICES)} sets of units, {read} texts read; {len(found)} break a rule")


if __name__ == "__main__":
    main()
