"""What the window asks for in dialogs of its own: a new study, the units, whatever is looked for by name."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QTimer

from fairmargin.core.study import Study, Vehicle
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.widgets.stage_rail import STAGES
from fairmargin.logbook.store import Logbook


def new_study(window: Shell) -> None:
    """Ask what is compared and lay out the runs."""
    from fairmargin.desktop.dialogs.new_study import NewStudyDialog

    session = window.session
    if session.read_only:
        window.tell(session.logbook.read_only_because if session.logbook else "No logbook is open.")
        return
    dialog = NewStudyDialog(session.units, *_garage(session.logbook), window, session.memory)
    if dialog.exec() and dialog.study is not None and session.add_study(dialog.study) is not None:
        driven = dialog.study.circumstances.outing is not None
        window.go_to("drive" if driven else "question")
        if driven:
            QTimer.singleShot(0, window.drive, window.drive.begin_typing)  # straight to the first reading


def _garage(book: Logbook | None) -> tuple[list[Vehicle], list[Study]]:
    """Vehicles (by name, the latest description of each) and roads (by name) of a logbook's studies."""
    if book is None:
        return [], []
    vehicles: dict[str, Vehicle] = {}
    for _, study in book.vehicles():  # newest first: the latest description of each name
        if study.vehicle.name:
            vehicles.setdefault(study.vehicle.name, study.vehicle)
    roads: dict[str, Study] = {}
    for title, study in book.roads():
        roads.setdefault(study.route_name or title, study)
    return list(vehicles.values()), list(roads.values())


def choose_units(window: Shell) -> None:
    """Ask for the units."""
    from fairmargin.desktop.dialogs.forms import UnitsDialog

    dialog = UnitsDialog(window.session.own_units, window)
    if dialog.exec():
        window.session.set_units(dialog.choice())


def find_anything(
    window: Shell, show_study: Callable[[int], object], commands: Sequence[tuple[str, Callable[[], object]]]
) -> None:
    """Find a stage, a study or a command by a few letters."""
    from fairmargin.desktop.dialogs.forms import FindDialog

    session = window.session
    entries: list[tuple[str, str, Callable[[], object]]] = []
    if session.study is not None:
        entries += [(n.capitalize(), "stage", lambda n=n: window.go_to(n)) for n in STAGES]  # type: ignore[misc]
    for entry in session.logbook.studies() if session.logbook else []:
        entries.append((entry.title, "study", lambda i=entry.id: show_study(i)))  # type: ignore[misc]
    entries += [(words, "command", run) for words, run in commands]
    dialog = FindDialog(entries, window)
    if dialog.exec() and dialog.picked is not None:
        QTimer.singleShot(0, window, dialog.picked)
