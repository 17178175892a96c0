"""The first screen is a list: it loads nothing that only a study needs."""

import os
import subprocess
import sys

FIRST_SCREEN = """
import sys
from fairmargin.desktop.application import make_application, open_first, settings
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.window import MainWindow
application = make_application([])
window = MainWindow(Session(settings()))
window.show()
application.processEvents()
open_first(window, None, demo=True)
application.processEvents()
print(len(window.home.list.entries))
print(" ".join(sys.modules))
"""
#: By what is loaded with them.
LATER = ("scipy", "pandas", "pyarrow", "pyqtgraph", "matplotlib", "sqlalchemy", "alembic")
LATER_OF_OURS = (
    "core.analysis",
    "core.inference",
    "core.result",
    "core.fairness",
    "core.memory",
    "core.planning",
    "simulation.day",
)


def test_the_list_is_there_before_anything_that_analyses_is_loaded(tmp_path):
    home = {"XDG_DATA_HOME": str(tmp_path), "XDG_CONFIG_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    ran = subprocess.run(
        [sys.executable, "-c", FIRST_SCREEN], env={**os.environ, **home}, capture_output=True, text=True, check=True
    )
    studies, loaded = ran.stdout.splitlines()
    assert int(studies) > 3
    modules = set(loaded.split())
    assert {"fairmargin.core.study", "fairmargin.logbook"} <= modules
    assert not modules & {*LATER, *(f"fairmargin.{name}" for name in LATER_OF_OURS)}
