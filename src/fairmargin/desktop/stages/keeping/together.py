"""What the studies say together: all changes of a vehicle on one scale, ranked, and the questions that were asked again."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.memory.findings import Finding, of_vehicle
from fairmargin.core.memory.network import Joint, LeftOut, joined, repeated
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.keeping.base import KeepingPage
from fairmargin.desktop.state.across_studies import Memory
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import clear, label, link, named_choice, panel, scrolling, show_choice
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.keeping.joinedchart import JointChart
from fairmargin.exchange.words.across import again_lines, effect_words, pair_words, rank_lines, standing_words
from fairmargin.exchange.words.figures import speed_words

AT_ONCE = 100  # comparisons joined without anybody noticing
MOST_AGAIN = 6  # questions asked again that are told at the top, the oftenest first
Joined = tuple[tuple[Joint, ...], tuple[LeftOut, ...], tuple[Joint, ...]]
MANY = 6  # configurations, beyond which only the first is held against each of the others in words
UNNAMED = "no vehicle named"
FIRST = (
    "Nothing is compared yet. Once two studies of a vehicle share a configuration by its name, they are joined here: trials "
    "through their common baseline, and the same question asked again."
)


class TogetherPage(KeepingPage):
    """The joined results of the logbook."""

    studyChosen = Signal(int)

    def __init__(self, session: Session, memory: Memory, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.memory = memory
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        row = QHBoxLayout()
        holder, self.vehicle = named_choice("Vehicle", (), lambda _: self.refresh())
        row.addWidget(holder)
        self.told = label("", "muted", wrap=True)
        row.addWidget(self.told, 1)
        page.addLayout(row)
        self.names = self._names()
        page.addWidget(self.names)
        inner = QWidget()
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(0, 0, 8, 0)
        self.body.setSpacing(12)
        page.addWidget(scrolling(inner), 1)
        self._beside = Background(self)
        self.charts: list[JointChart] = []
        self.joints: tuple[Joint, ...] = ()
        memory.changed.connect(self.touch)

    def _names(self) -> QWidget:
        """Two names that mean the same: studies are joined by names."""
        frame = QWidget()
        row = QHBoxLayout(frame)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("The same by two names:", "muted"))
        self.one, self.other = Choice(), Choice()
        for box, words in ((self.one, "This name"), (self.other, "means this one")):
            box.setAccessibleName(words)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(12)
        row.addWidget(self.one)
        row.addWidget(label("is", "muted"))
        row.addWidget(self.other)
        self.join = QPushButton("Join them")
        self.join.clicked.connect(lambda: self.memory.say_same(self.one.currentText(), self.other.currentText()))
        row.addWidget(self.join)
        self.said = label("", "muted")
        row.addWidget(self.said, 1)
        self.apart = QPushButton("Part them again")
        self.apart.clicked.connect(self._part)
        row.addWidget(self.apart)
        return frame

    def _part(self) -> None:
        for name in list(self.memory.same):
            self.memory.say_same(name, name)

    def _show_names(self, found: list[Finding]) -> None:
        every = sorted({n for f in found for n in (f.baseline, f.trial)}, key=str.casefold)
        for box in (self.one, self.other):
            now = box.currentText()
            if [box.itemText(i) for i in range(box.count())] != every:
                box.clear()
                box.addItems(every)
                if now in every:
                    show_choice(box, now)
        said = self.memory.same
        self.said.setText("; ".join(f"{a} is {b}" for a, b in said.items()))
        self.apart.setVisible(bool(said))
        self.names.setVisible(len({f.study for f in found}) > 1)

    def refresh(self) -> None:
        """Join what the logbook's studies say."""
        known = self.memory.read()
        names = self.memory.vehicles()
        if any(not f.vehicle for f in known.findings):
            names.append(UNNAMED)
        now = self.vehicle.currentText()
        if [self.vehicle.itemText(i) for i in range(self.vehicle.count())] != names:
            self.vehicle.clear()
            self.vehicle.addItems(names)
        if names:
            show_choice(self.vehicle, now if now in names else self._usual(names))
        waiting = len(known.missing)
        self.told.setText(
            f"{waiting} stud{'ies are' if waiting != 1 else 'y is'} still to be analysed and not in it yet."
            if waiting
            else ""
        )
        name = self.vehicle.currentText()
        found = of_vehicle(self.memory.findings(), "" if name == UNNAMED else name)
        self._show_names(found)
        self._show(found)

    def _usual(self, names: list[str]) -> str:
        """The vehicle of most studies."""
        known = self.memory.read().findings
        return max(names, key=lambda n: len(of_vehicle(known, "" if n == UNNAMED else n)))

    def _show(self, found: list[Finding]) -> None:
        """Join and show; of a whole life of studies beside the window."""
        vehicle = found[0].vehicle if found else ""

        def work() -> Joined:
            (joints, left), again = joined(found, vehicle), repeated(found)
            for joint in joints:
                assert joint.placed is not None and joint.pairs is not None  # worked out once, and here
            return joints, left, again

        if len(found) <= AT_ONCE:
            self._beside.forget()
            self._fill(*work())
            return

        def then(result: object, fault: Exception | None) -> None:
            if fault is not None:
                self.session.failed.emit(f"The studies cannot be joined: {fault}")
                return
            self._fill(*cast("Joined", result))

        clear(self.body)
        self.charts = []
        self.body.addWidget(label(f"{len(found)} comparisons are being joined\u2026", "muted"))
        self.body.addStretch()
        self._beside.run(work, then)

    def _fill(self, joints: tuple[Joint, ...], left: tuple[LeftOut, ...], again: tuple[Joint, ...]) -> None:
        clear(self.body)
        self.charts = []
        self.joints = joints
        if not joints:
            self.body.addWidget(label(FIRST, wrap=True))
        oftenest = sorted(again, key=lambda j: -len(j.studies))[:MOST_AGAIN]
        for joint in oftenest:
            self._again(joint)
        if len(again) > len(oftenest):
            more = len(again) - len(oftenest)
            self.body.addWidget(label(f"{more} more questions were asked again; they stand in their groups.", "muted"))
        for joint in joints:
            self._group(joint)
        if left:
            frame, box = panel()
            box.addWidget(label("Not counted", "heading"))
            for x in left:
                box.addWidget(
                    label(
                        in_units(f"\u201c{x.finding.title}\u201d, {x.finding.name}: {x.why}", self.session.own_units),
                        wrap=True,
                    )
                )
            self.body.addWidget(frame)
        self.body.addStretch()

    def _group(self, joint: Joint) -> None:
        """Configurations that hang together: the chart, who uses least, who cannot be told apart."""
        frame, box = panel()
        units = self.session.own_units
        speed = f", {speed_words(joint.speed_kmh, units)}" if joint.speed_kmh else ""
        count = len(joint.studies)
        title = f"Against {joint.reference}{speed}: {count} stud{'ies' if count != 1 else 'y'}"
        box.addWidget(label(title, "heading"))
        chart = JointChart(joint)
        chart.studyChosen.connect(self.studyChosen)
        self.charts.append(chart)
        box.addWidget(chart)
        box.addWidget(label(standing_words(joint), wrap=True))
        if count > 1:
            box.addWidget(label(joint.spread.words, "muted", wrap=True))
        if len(joint.names) > 2:
            best = joint.placed[0].name
            told = joint.pairs if len(joint.names) <= MANY else [p for p in joint.pairs if p.first == best]
            box.addWidget(label("The chance of each place, least consumption first", "heading"))
            box.addWidget(label("\n".join(rank_lines(joint)), wrap=True))
            box.addWidget(label("\n".join(pair_words(p, len(joint.pairs)) for p in told), "muted", wrap=True))
        self.body.addWidget(frame)

    def _again(self, joint: Joint) -> None:
        """A question asked again: each answer, whether it stayed so, what was not alike."""
        frame, box = panel()
        head, *lines = again_lines(joint, self.memory.differences(joint))
        effect, interval = joint.between(joint.names[0], joint.names[1])
        box.addWidget(label(head.rstrip(":"), "heading"))
        box.addWidget(
            label(f"Together {effect_words(effect, interval)} of the baseline's consumption.", "large", wrap=True)
        )
        for line in (x for x in lines if not x.strip().startswith("Together:")):
            box.addWidget(label(in_units(line.strip(), self.session.own_units), wrap=True))
        row = QHBoxLayout()
        for f in joint.findings:
            open_it = link(f"Open \u201c{f.title}\u201d")
            open_it.clicked.connect(lambda _=False, n=f.study: self.studyChosen.emit(n))
            row.addWidget(open_it)
        row.addStretch()
        box.addLayout(row)
        self.body.addWidget(frame)
