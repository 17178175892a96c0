"""A logger's table or a track: how it is read, where it is cut, and which legs get its pieces."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QProgressBar, QPushButton, QTableWidgetItem, QVBoxLayout, QWidget

from fairmargin.desktop.bringing.base import days_of
from fairmargin.desktop.bringing.cutting import CuttingDialog
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.inputs import Choice, Line
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.formats import format_of_file
from fairmargin.exchange.logs.legs import pieces_of
from fairmargin.exchange.logs.loggers import (
    ROLES,
    Column,
    ImportedLog,
    Preview,
    Profile,
    load_profiles,
    preview,
    profiles_path,
    read_log,
    roles_notices,
    save_profiles,
)

#: What a positive power may be, and how a profile keeps it.
POWER_WORDS: Final = {
    "power: as the drive tells": "",
    "power: positive is drawn": "drawn",
    "power: positive is given back": "given",
}
SESSION_OF_COASTS: Final = 3  # from so many on a log is one of coasting


class LogDialog(CuttingDialog):
    """A logger's table or a track: its columns, then its cuts, then its legs."""

    KIND = "log"

    ready = Signal()  # the whole log has been read

    def __init__(self, session: Session, path: Path, kind: str, parent: QWidget | None = None, name: str = "") -> None:
        super().__init__(session, f"Bring in {name or path.name}", "Put the pieces into their legs", parent)
        self.path, self.kind = path, kind
        self._background = Background(self)
        self._combos: list[tuple[QComboBox, QComboBox]] = []
        self._profiles: dict[str, Profile] = {}
        self.columns, box = panel()
        self._build_columns(box)
        self.page.addWidget(self.columns, 1)
        self.cutting, box = panel()
        self._build_cutting(box)
        self.page.addWidget(self.cutting, 2)
        self.cutting.hide()
        self.progress = QProgressBar()
        self.progress.setRange(0, 0)
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(5)
        self.progress.hide()
        self.page.addWidget(self.progress)
        if kind == "track":
            self.columns.hide()
            self.read_whole()
        else:
            self._show_preview(preview(path, name or path.stem))

    # ------------------------------------------------------------ columns

    def _build_columns(self, box: QVBoxLayout) -> None:
        head = QHBoxLayout()
        head.addWidget(label("How each column is read", "heading"), 1)
        head.addWidget(label("Profile"))
        self.profile = Choice()
        self.profile.setAccessibleName("Saved profile")
        self.profile.addItem("guessed", "")
        try:
            self._profiles = load_profiles(profiles_path())
        except InvalidInput as fault:
            self.fault.setText(str(fault))
        for name in self._profiles:
            self.profile.addItem(name, name)
        self.profile.activated.connect(self._use_profile)
        head.addWidget(self.profile)
        self.profile_name = Line()
        self.profile_name.setPlaceholderText("keep it as\u2026")
        self.profile_name.setAccessibleName("Name to keep this profile under")
        self.profile_name.setMaximumWidth(150)
        head.addWidget(self.profile_name)
        box.addLayout(head)
        self.separators = label("", "muted")
        box.addWidget(self.separators)
        self.sheet = Table(0, 0, "What the log holds", as_typed=True)
        box.addWidget(self.sheet, 1)
        row = QHBoxLayout()
        self.notices = label("", "muted", wrap=True)
        row.addWidget(self.notices, 1)
        self.power = Choice()
        self.power.setAccessibleName("What a positive power is")
        for words, sign in POWER_WORDS.items():
            self.power.addItem(words, sign)
        row.addWidget(self.power)
        self.read_button = QPushButton("Read the whole log")
        self.read_button.clicked.connect(self.read_whole)
        row.addWidget(self.read_button)
        self.stop_button = QPushButton("Stop")
        self.stop_button.clicked.connect(self.stop_reading)
        self.stop_button.hide()
        row.addWidget(self.stop_button)
        box.addLayout(row)

    def _show_preview(self, seen: Preview) -> None:
        self._seen = seen
        profile = seen.profile
        self.power.setCurrentIndex(max(self.power.findData(profile.power), 0))
        self._ask_power([c.role for c in profile.columns])
        self._combos = []
        self.sheet.clear()
        self.sheet.setColumnCount(len(profile.columns))
        self.sheet.setRowCount(2 + len(seen.rows))
        self.sheet.setHorizontalHeaderLabels([c.header or "(no name)" for c in profile.columns])
        for i, column in enumerate(profile.columns):
            role, unit = Choice(), Choice()
            role.setAccessibleName(f"Column {column.header} is")
            unit.setAccessibleName(f"Unit of {column.header}")
            role.addItem("not used", "")
            for name in ROLES:
                role.addItem(name, name)
            role.setCurrentIndex(max(0, role.findData(column.role)))
            self._fill_units(unit, column.role, column.unit)
            role.activated.connect(lambda _=0, k=i: self._other_role(k))
            self._combos.append((role, unit))
            self.sheet.setCellWidget(0, i, role)
            self.sheet.setCellWidget(1, i, unit)
            for j, row in enumerate(seen.rows):
                item = QTableWidgetItem(row[i] if i < len(row) else "")
                item.setForeground(theme.colour("ink" if column.role else "muted"))
                self.sheet.setItem(j + 2, i, item)
        for i in range(len(profile.columns)):
            widest = max((len(row[i]) for row in seen.rows if i < len(row)), default=0)
            self.sheet.setColumnWidth(i, max(118, 9 * min(widest, 30)))
        for r in (0, 1):
            self.sheet.setRowHeight(r, 32)
        names = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
        self.separators.setText(
            f"Columns are parted by a {names.get(profile.delimiter, profile.delimiter)}, decimals by a "
            f"{'comma' if profile.decimal == ',' else 'point'}. The first {len(seen.rows)} rows:"
        )
        self.notices.setText("; ".join(seen.notices))

    @staticmethod
    def _fill_units(box: QComboBox, role: str, unit: str) -> None:
        box.clear()
        for name in ROLES.get(role, ()):
            box.addItem(name, name)
        box.setCurrentIndex(max(0, box.findData(unit)))
        box.setEnabled(box.count() > 1)

    def _other_role(self, index: int) -> None:
        role, unit = self._combos[index]
        self._fill_units(unit, str(role.currentData()), "")
        chosen = [str(r.currentData()) for r, _ in self._combos]
        self.notices.setText("; ".join(roles_notices(chosen, self._seen.profile)))
        self._ask_power(chosen)

    def _ask_power(self, roles: Sequence[str]) -> None:
        """What a positive power is may be said where there is one."""
        self.power.setVisible("power" in roles or {"voltage", "current"} <= set(roles))

    def _use_profile(self) -> None:
        chosen = self._profiles.get(str(self.profile.currentData()))
        try:
            seen = preview(self.path)
        except InvalidInput as fault:
            self.fault.setText(str(fault))
            return
        if chosen is not None:
            have = [c.header for c in seen.profile.columns]
            missing = [c.header for c in chosen.columns if c.role and c.header not in have]
            if missing:
                self.fault.setText(f"This log has no column {', '.join(missing)}, which that profile reads.")
                return
            roles = {c.header: c for c in chosen.columns}
            columns = tuple(roles.get(h, Column(h, "", "")) for h in have)
            seen = Preview(
                Profile(chosen.name, chosen.delimiter, chosen.decimal, columns, chosen.dates, chosen.power),
                seen.rows,
                seen.notices,
            )
        self.fault.clear()
        self._show_preview(seen)

    def chosen_profile(self) -> Profile:
        """Return the profile as the columns are set now."""
        seen = self._seen.profile
        columns = tuple(
            Column(c.header, str(role.currentData()), str(unit.currentData() or ""))
            for c, (role, unit) in zip(seen.columns, self._combos, strict=True)
        )
        return Profile(
            self.profile_name.text().strip() or seen.name,
            seen.delimiter,
            seen.decimal,
            columns,
            self.dates.order or seen.dates,
            self.power.currentData(),
        )

    def read_again(self) -> None:
        self.read_whole()

    def read_whole(self) -> None:
        """Read all of it off the GUI thread; it can be stopped."""
        path = self.path
        if self.kind == "track":
            work = lambda: format_of_file(path).read(path)  # noqa: E731
        else:
            profile = self.chosen_profile()
            used = [c.role for c in profile.columns if c.role]
            twice = next((r for r in used if used.count(r) > 1), None)
            if twice:
                self.fault.setText(f"Two columns are taken for {twice}; expected one.")
                return
            days = days_of(self.study)
            work = lambda: read_log(path, profile, days)  # noqa: E731
        self.fault.clear()
        self.progress.show()
        self.read_button.setEnabled(False)
        self.stop_button.show()
        self._background.run(work, self._arrived)

    def stop_reading(self) -> None:
        """Do not wait for the log any longer."""
        self._background.forget()
        self._idle()
        self.words.setText("Stopped; nothing was taken.")

    def _idle(self) -> None:
        self.progress.hide()
        self.stop_button.hide()
        self.read_button.setEnabled(True)

    def _arrived(self, result: object, fault: Exception | None) -> None:
        self._idle()
        if fault is not None or not isinstance(result, ImportedLog):
            self.refuse(fault or ValueError("nothing was read"))
            return
        self.log = result
        name = self.profile_name.text().strip()
        if name and self.kind != "track":
            try:
                save_profiles(profiles_path(), [*(p for p in self._profiles.values() if p.name != name), self.chosen_profile()])  # fmt: skip
            except OSError as error:
                self.fault.setText(f"The profile could not be kept: {error.strerror or error}")
            except InvalidInput as error:
                self.fault.setText(f"The profile could not be kept: {error.faults[0]}")
        t = result.trace.time_s
        said = [f"{len(t)} of {result.rows} rows taken, {(t[-1] - t[0]) / 60:.0f} min", *result.notices]
        self.words.setText("; ".join(said) + ".")
        self.sheet.setMaximumHeight(104)
        self.page.setStretch(0, 0)
        self.cutting.show()
        coasts = len(pieces_of(self.study, result.trace, "coasts"))
        gates = bool(pieces_of(self.study, result.trace, "gates"))
        # A fall of speed at the end of a drive is none: of a session of coasting there are several.
        self.how.setCurrentIndex(
            self.how.findData("coasts" if coasts >= SESSION_OF_COASTS else "gates" if gates else "stops")
        )
        if coasts >= SESSION_OF_COASTS:
            self.words.setText(f"{self.words.text()} {coasts} coasting runs are in it.")
        self.recut()
        self.ready.emit()

    def done(self, result: int) -> None:
        self._background.forget()
        super().done(result)
