"""What the run sheet does to legs and runs: every edit is one undo step."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from PySide6.QtWidgets import QInputDialog

from fairmargin.core.conditions.typed import columns_of, read_leg_field, read_on_the_way
from fairmargin.core.study import Study
from fairmargin.core.study.entry import READING_FIELDS, replaced_readings, show_readings, words_of
from fairmargin.core.study.runs import driven_with, joined, moved, run_of, without_leg, without_run
from fairmargin.desktop.commands.leaving_out import toggle_left_out
from fairmargin.desktop.stages.base import Stage


class LegEdits(Stage):
    """A stage whose legs can be edited."""

    def commit(self, name: str, key: str, text: str, study_id: int | None, apart: Sequence[str] = ()) -> None:
        """Store one field typed for a study; ValueError in words when it is refused."""
        after = self._typed(self._still_open(study_id), name, key, text, apart)
        if not self.session.edit(after, f"{key.split('_')[0]} of {name}"):
            raise ValueError("could not be saved")

    def commit_cells(self, cells: Sequence[tuple[str, str, str]], study_id: int | None) -> dict[int, str]:
        """Store several cells (leg, field, text) in one undo step: what is refused is told by its place, the others are kept.

        Raises
        ------
        ValueError
            If another study is open by now, or nothing could be saved.
        """
        study, faults = self._still_open(study_id), {}
        for i, (name, key, text) in enumerate(cells):
            try:
                study = self._typed(study, name, key, text)
            except ValueError as error:
                faults[i] = str(error)
        if not self.session.edit(study, f"{len(cells)} cells"):
            raise ValueError("could not be saved")
        return faults

    def _still_open(self, study_id: int | None) -> Study:
        study = self.session.study
        if study is None or study_id != self.session.study_id:
            raise ValueError("another study is open by now; nothing of it was changed")
        return study

    def _typed(self, study: Study, name: str, key: str, text: str, apart: Sequence[str] = ()) -> Study:
        """The study with one field as it was typed; ValueError in words when it is refused."""
        if all(leg.leg != name for leg in study.legs):
            raise ValueError(f"leg {name} is no longer in the study")
        leg = study.leg(name)
        day = next((x.started_at for x in study.legs if x.started_at), None)
        try:
            if key == "on_the_way":
                others = tuple(r for r in study.readings if r.leg != name)
                return study.with_(readings=(*others, *read_on_the_way(text, name, self.session.units)))
            changes = read_leg_field(key, text, self.session.units_of(leg), leg, day or datetime.now(), study)
            if key == "reading" and text.strip():
                changes = replaced_readings(changes, apart)
            return study.with_leg(name, **changes)
        except ValueError as error:
            raise ValueError(words_of(error)) from error

    def confirm_reading(self, name: str, study_id: int | None) -> None:
        """Say that the instruments showed what stands there (one undo step)."""
        study = self.session.study
        if study is not None and study_id == self.session.study_id:
            shown = show_readings(study.leg(name))
            self.session.edit(study.with_leg(name, confirmed=shown), f"confirm {name}")

    def clear_leg(self, name: str) -> None:
        """Take every reading off a leg (one undo step)."""
        assert self.session.study is not None
        gone = dict.fromkeys((*READING_FIELDS, "distance_km", "gps_distance_km", "duration_s", "started_at", "temperature_c", "wind_speed_ms", "wind_from_deg", "wind_gust_ms", "pressure_hpa"))  # fmt: skip
        self.session.edit(self.session.study.with_leg(name, **gone), f"clear {name}")

    def toggle_left_out(self, name: str, reason: str | None = None) -> None:
        """Leave a leg out with a reason, or take it back in."""
        toggle_left_out(self.session, self, name, reason)

    def comment(self, name: str) -> None:
        """Ask what there is to say now, and add it to the leg's note with the time."""
        text, said = QInputDialog.getText(self, f"Comment on {name}", "What is there to say now?")
        if said and text.strip():
            self.comment_at(name, text.strip(), datetime.now())

    def comment_at(self, name: str, text: str, now: datetime) -> None:
        """Add a comment to a leg's note, after those before it, with the time of day it was made at."""
        study = self.session.study
        if study is None:
            return
        before = study.leg(name).note
        note = f"{before}; {now:%H:%M} {text}" if before else f"{now:%H:%M} {text}"
        self.session.edit(study.with_leg(name, note=note), f"comment on {name}")

    def edit_notes(self, name: str, kind: str = "") -> None:
        """Show what happened on a leg, to add, change or remove; `kind` begins a new note."""
        from fairmargin.desktop.dialogs.notes import NotesDialog

        study = self.session.study
        if study is None or self.session.read_only:
            return
        dialog = NotesDialog(study, name, self.session.units, kind, self)
        if dialog.exec() and dialog.result_study is not None:
            self.session.edit(dialog.result_study, f"notes of {name}")
        dialog.deleteLater()

    def same_for_all(self, name: str, keys: Sequence[str]) -> None:
        """Copy fields of a leg to every other leg (one undo step)."""
        study = self.session.study
        if study is None:
            return
        leg = study.leg(name)
        alike = {column: getattr(leg, column) for key in keys for column in columns_of(key)}
        self.session.edit(study.with_(legs=tuple(x.with_(**alike) for x in study.legs)), "same for all legs")

    def change_run(self, name: str, what: str, value: str = "") -> None:
        """Remove, move or join the run of a leg, or give it another configuration (one undo step)."""
        study = self.session.study
        if study is None:
            return
        run = run_of(study, name)
        try:
            after = {
                "configuration": lambda: driven_with(study, run, value),
                "join": lambda: joined(study, run),
                "earlier": lambda: moved(study, run, -1),
                "later": lambda: moved(study, run, 1),
                "remove": lambda: without_run(study, run),
                "remove leg": lambda: without_leg(study, name),
            }[what]()
        except ValueError as error:
            self.session.failed.emit(words_of(error))
            return
        self.session.edit(after, f"{what} {run}")
