"""A tester at the real window: an empty logbook, keys and mouse, and what is then read on the screen and in the report."""

import re

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel, QPushButton

from fairmargin.core.result.as_json import as_json
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.dialogs.notes import NotesDialog
from fairmargin.desktop.dialogs.pasting import PasteDialog
from fairmargin.exchange.reports.carried import verify
from tests.desktop.conftest import qapp, qapp_cls, session, type_into, window  # noqa: F401  (fixtures)

#: Fields of a leg that hold what was driven and read.
DRIVEN = {"reading", "soc", "energy", "average", "charger", "fuel", "on_the_way", "distance_km"}
#: Inputs that a job may take beside readings and distances; tests that do more than their job take more, as counted.
MOST_INPUTS = 10


class Tester:
    """Does with keys and mouse what a person does."""

    def __init__(self, qtbot, shown, monkeypatch, tmp_path):
        self.qtbot, self.window, self._patch, self._folder = qtbot, shown, monkeypatch, tmp_path
        #: Fields typed and things chosen, but for readings and distances: what a job costs beside what was driven.
        self.inputs = 0

    # ------------------------------------------------------------ dialogs

    def _answer(self, dialog_class, act):
        def execute(dialog):
            dialog.show()
            QApplication.processEvents()
            act(dialog)
            return dialog.result()

        self._patch.setattr(dialog_class, "exec", execute)

    def units(self, name):
        """Choose units, as the Units dialog does."""
        self.inputs += 1
        self.window.session.set_units(UNIT_CHOICES[name])

    def new(self, aim, title="", *, kind=None, names=(), order=None, method=None, speed="", capacity=""):
        """Begin a study from Home with the dialog; `order` is typed as an order of runs."""
        self.inputs += 1 + sum(bool(x) for x in (title, kind, names, order, method, speed))

        def fill(dialog):
            dialog.aim.setCurrentIndex(dialog.aim.findData(aim))
            self.keys(dialog.title, title)
            if kind:
                dialog.kind.setCurrentText(kind)
            for edit, name in zip((dialog.baseline, dialog.trial), names, strict=False):
                self.keys(edit, name)
            if method:
                dialog.method.setCurrentIndex(dialog.method.findData(method))
            if order is not None:
                at = dialog.order.findData(order)
                if at >= 0:
                    dialog.order.setCurrentIndex(at)
                else:
                    dialog.order.setEditText(order)
            self.keys(dialog.speed, speed)
            self.click(dialog.make)
            assert dialog.fault.isHidden(), dialog.fault.text()

        self._answer(NewStudyDialog, fill)
        self.window.go_home()
        self.click(self.window.home.new)
        assert self.window.session.study is not None
        if capacity:
            self.question("v_usable_capacity_kwh", capacity)
        return self.study

    # ------------------------------------------------------------ keys

    def keys(self, edit, text):
        edit.setFocus()
        edit.selectAll()
        if text:
            self.qtbot.keyClicks(edit, text)

    def click(self, button):
        QApplication.processEvents()
        self.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        QApplication.processEvents()

    def answer(self, words):
        """Click an answer of the question that is asked beside the page."""
        self.inputs += 1
        strip = self.window.questions
        self.window.go_to("drive")
        self.qtbot.waitUntil(lambda: any(words in b.text() for b in strip.buttons), timeout=15000)
        self.click(next(b for b in strip.buttons if words in b.text()))

    def question(self, key, text):
        """Type into a field of the Question stage."""
        self.inputs += 1
        self.window.go_to("question")
        field = self.window.stage("question").fields[key]
        type_into(self.qtbot, field, text)
        assert field.fault.isHidden(), field.fault.text()

    def side(self, which, key, text):
        """Type into a line of the configurations: 0 the baseline, 1 the first trial."""
        self.inputs += 1
        self.window.go_to("question")
        field = self.window.stage("question").sides.field(which, key)
        type_into(self.qtbot, field, text)
        assert field.fault.isHidden(), field.fault.text()

    def known(self, key, text):
        """Type a known other difference of a vehicle or configuration."""
        self.inputs += 1
        self.window.go_to("question")
        field = self.window.stage("question").vehicles.known[key]
        type_into(self.qtbot, field, text)
        assert field.fault.isHidden(), field.fault.text()

    def instrument(self, name, step="", counts=True):
        """Say an instrument's step, and whether it counts."""
        self.inputs += 1
        self.window.go_to("question")
        panel = self.window.stage("question").instruments
        if step:
            type_into(self.qtbot, panel.fields[name], step)
            assert panel.fields[name].fault.isHidden(), panel.fields[name].fault.text()
        if panel.counts[name].isChecked() != counts:
            panel.counts[name].click()

    def vehicle(self, words, **fields):
        """Add a vehicle of the study from the garage's list; fields are typed."""
        self.window.go_to("question")
        panel = self.window.stage("question").vehicles
        panel.garage.setCurrentIndex(panel.garage.findText(words))
        self.click(panel.add)
        name = self.study.vehicles[-1].id
        self.fleet(name, **fields)
        return name

    def fleet(self, vehicle, **fields):
        """Type figures of one of the study's vehicles."""
        self.inputs += len(fields)
        self.window.go_to("question")
        panel = self.window.stage("question").vehicles
        for key, text in fields.items():
            type_into(self.qtbot, panel.fields[vehicle, key], text)
            assert panel.fields[vehicle, key].fault.isHidden(), panel.fields[vehicle, key].fault.text()

    def leg(self, name, refused="", **fields):
        """Type a leg's fields on the run sheet, opening what is not open; `refused`: words of the one that is refused."""
        self.window.go_to("drive")
        card = self.window.drive.cards[name]
        self.inputs += len([key for key in fields if key not in DRIVEN])
        for key, text in fields.items():
            if key not in card.fields:
                self.click(card.more_button)
            field = card.fields[key]
            type_into(self.qtbot, field, text)
            if refused:
                assert refused in field.fault.text()
                return
            assert not field.has_fault, f"{name} {key}: {field.fault.text()}"

    def legs(self, key, *texts):
        """Type one field of the legs, in their order."""
        for leg, text in zip(self.study.legs, texts, strict=True):
            if text:
                self.leg(leg.leg, **{key: text})

    def menu(self, name, *path):
        """Choose from a leg's menu."""
        self.inputs += 1
        self.window.go_to("drive")
        menu = self.window.drive.cards[name].menu
        menu.aboutToShow.emit()
        for i, words in enumerate(path):
            action = next(a for a in menu.actions() if a.text().startswith(words))
            if i == len(path) - 1:
                action.trigger()
            else:
                menu = action.menu()
        QApplication.processEvents()

    def note(self, name, what, **fields):
        """Note what happened on a leg."""

        def fill(dialog):
            line = dialog.lines[-1]
            for key, text in fields.items():
                self.keys(getattr(line, key).edit, text)
            self.click(dialog.keep)
            assert dialog.fault.isHidden(), dialog.fault.text()

        self._answer(NotesDialog, fill)
        self.menu(name, "Note what happened", what)

    def add_run(self, configuration):
        """Add a run from the sheet's button."""
        self.inputs += 1
        self.window.go_to("drive")
        self.window.drive.add_run(configuration)

    def paste(self, text):
        """Paste rows from the clipboard and agree to the preview."""
        self.inputs += 1
        said = []

        def fill(dialog):
            said.append(dialog.words.text())
            self.click(dialog.take)

        self._answer(PasteDialog, fill)
        QApplication.clipboard().setText(text)
        self.window.go_to("drive")
        self.click(self.window.drive.paste_button)
        return said[0]

    def bring_log(self, path, legs, cuts):
        """Bring a logger's file in, type where its pieces begin and end, lay them on legs, agree."""
        from fairmargin.desktop.bringing.log import LogDialog

        def fill(dialog):
            self.click(dialog.read_button)
            self.qtbot.waitUntil(lambda: dialog.log is not None, timeout=10000)
            while len(dialog.pieces) < len(legs):
                self.click(dialog.add_piece)
            for row, ends in enumerate(cuts):
                for column in (1, 0):  # the end first: a piece ends after it begins
                    dialog.list.item(row, column).setText(ends[column])
                    assert "ends after" not in dialog.fault.text()
            for row, name in enumerate(legs):
                box = dialog._leg_box(row)
                box.setCurrentIndex(box.findData(name))
                box.activated.emit(box.currentIndex())
            self.click(dialog.take_button)
            assert dialog.result() == dialog.DialogCode.Accepted, dialog.fault.text()

        self._answer(LogDialog, fill)
        assert self.window.intake.bring_from(path)
        self.qtbot.waitUntil(lambda: not self.window.session._jobs, timeout=20000)

    def bring_as(self, path, words):
        """Bring a file in, and say that it is another thing than it seems; what it is then shown as."""
        from fairmargin.desktop.bringing.log import LogDialog

        seen = []

        def say(dialog):
            box = dialog.kind_choice.box
            box.setCurrentIndex(box.findText(words))
            box.activated.emit(box.currentIndex())

        def look(dialog):
            seen.append(dialog.KIND)
            dialog.reject()

        self._answer(PasteDialog, say)
        self._answer(LogDialog, look)
        self.window.intake.bring_from(path)
        return seen[0] if seen else ""

    def compare(self, one, other):
        """Ask for a comparison of two lines of the results."""
        self.inputs += 1
        self.window.go_to("verdict")
        stage = self.window.stage("verdict")
        for box, wanted in ((stage.one, one), (stage.other, other)):
            at = next(i for i in range(box.count()) if box.itemText(i).startswith(wanted))
            box.setCurrentIndex(at)
        self.click(stage.ask)
        return self.window.session.comparison

    @property
    def load(self):
        """The Load page of Plan."""
        self.window.go_to("plan")
        stage = self.window.stage("plan")
        stage.show_page("load")
        QApplication.processEvents()
        return stage.pages["load"]

    def aboard(self, name, amount, place="aboard"):
        """Add a thing to the load's list."""
        self.inputs += 1
        items = self.load.items
        self.keys(items.name.edit, name)
        self.keys(items.amount.edit, amount)
        items.place.setCurrentText(place)
        self.click(items.add)
        assert items.amount.fault.isHidden(), items.amount.fault.text()

    def loaded(self, key, text):
        """Type a field of the Load page."""
        self.inputs += 1
        field = self.load.fields[key]
        type_into(self.qtbot, field, text)
        assert field.fault.isHidden(), field.fault.text()

    def load_words(self):
        """What the load check says, line by line."""
        from fairmargin.core.planning.load import check_load
        from fairmargin.core.units import in_units

        assert self.load.drawing.isVisible()
        said = {c.name: in_units(c.words, self.window.session.units) for c in check_load(self.study.plan.load)}
        drawn = self.load.drawing.accessibleName()
        assert all(words[:20] in drawn for words in said.values()), drawn
        return said

    def seal(self, pairs):
        """Seal what is said beforehand, with a number of pairs."""
        from fairmargin.desktop.dialogs.sealing import SealDialog

        def fill(dialog):
            self.keys(dialog.pairs.edit, pairs)
            self.click(dialog.seal)
            assert dialog.fault.isHidden(), dialog.fault.text()

        self._answer(SealDialog, fill)
        self.press("question", "Seal")

    def press(self, stage, words):
        """Press a button by its words."""
        self.window.go_to(stage)
        QApplication.processEvents()
        button = next(b for b in self.window.stage(stage).findChildren(QPushButton) if b.text().startswith(words))
        self.click(button)

    # ------------------------------------------------------------ what is there

    @property
    def study(self):
        return self.window.session.study

    @property
    def analysis(self):
        return self.window.session.analysis

    @property
    def effect(self):
        """The comparison that is shown."""
        return self.window.session.comparison

    def result(self, configuration="A", **which):
        """A result by configuration, and sector, speed or vehicle where there are several."""
        found = [
            r
            for r in self.analysis.results
            if r.configuration == configuration and all(getattr(r, k) == v for k, v in which.items())
        ]
        assert len(found) == 1, found
        return found[0]

    def shown(self, stage):
        """Every text that a stage shows, with the bar's and the ledger's."""
        self.window.go_to(stage)
        QApplication.processEvents()
        page = self.window.stage(stage)
        parts = [x.text() for w in (page, self.window.ledger) for x in w.findChildren(QLabel) if x.isVisible()]
        if stage == "verdict":
            table = page.results
            cells = [table.item(i, j) for i in range(table.rowCount()) for j in range(table.columnCount())]
            parts += [c.text() for c in cells if c is not None]
            if page.overview.isVisible():
                parts += page.overview.names
        return " | ".join([*parts, self.window.bar.accessibleName()]).replace("\u2212", "-")

    def report(self):
        """The words of the report, which anybody can work out again."""
        path = self._folder / "report.html"
        assert self.window.packages.report_to(path)
        assert verify(path.read_text(), "report.html") == []
        plain = re.sub(r"<style>.*?</style>|<svg.*?</svg>|<[^>]+>", " ", path.read_text(), flags=re.DOTALL)
        return re.sub(r"\s+", " ", plain).replace("\u2212", "-").replace("&#39;", "'")

    def check(self):
        """What holds of every job: margins add up, the ledger names them, the package gives the same again."""
        from fairmargin.core.analysis import analyse
        from fairmargin.exchange.packages.reading import read_package
        from fairmargin.exchange.packages.writing import write_package

        for c in self.analysis.comparisons:
            squares = sum(x.half_width_percent**2 for x in c.margin) ** 0.5
            assert squares == pytest.approx(c.half_width_percent, rel=0.03)
            assert all(x.cause and x.remedy for x in c.margin)
        write_package(self._folder / "job.zip", self.study, self.window.session.traces)
        package = read_package(self._folder / "job.zip")
        again = as_json(analyse(package.study, package.traces))
        assert again["comparisons"] == as_json(self.analysis)["comparisons"]
        assert again["results"] == as_json(self.analysis)["results"]


@pytest.fixture
def tester(request, qtbot, window, monkeypatch, tmp_path):  # noqa: F811
    made = Tester(qtbot, window, monkeypatch, tmp_path)
    yield made
    marked = request.node.get_closest_marker("inputs")
    most = MOST_INPUTS if marked is None else marked.args[0]
    assert made.inputs <= most, f"{made.inputs} inputs beside readings and distances; at most {most}"
