"""Every page of many studies, read as it is seen: one figure for one thing, in the units of whoever reads it."""

import os
from functools import cache

import pytest
from tests.conftest import driven_study
from tests.reading_pages import Said, faults, other_figures, read_pages
from tests.unlike import unlike

from fairmargin.core.kinds import change_kinds
from fairmargin.core.result.verdict import SETTLED
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.words import signed
from fairmargin.demo.studies import demo_studies

SETS = tuple(UNIT_CHOICES)


@cache
def studies():
    """Of the demo, of every kind, and those that are unlike in one thing each."""
    made = {f"demo: {m.study.title}": (m.study, m.traces) for m in demo_studies()}
    made |= {f"kind: {kind}": (driven_study("ABBA", kind=kind), {}) for kind in change_kinds()}
    others = sorted(unlike().items())
    made |= {f"unlike: {name}": found for name, found in others[:: max(1, len(others) // (40 - len(made)))]}
    return dict(list(made.items())[:40])


#: Two of five, in every set of units; all of them with PAGES=40 (`make chaos`).
NUMBERS = range(40) if os.environ.get("PAGES") else [n for n in range(40) if n % 5 in {0, 2}]


@pytest.mark.parametrize("number", NUMBERS)
def test_every_page_says_one_thing_in_ones_own_units(window, session, number):
    name, (study, traces) = list(studies().items())[number]
    units = SETS[number % len(SETS)]
    window.show_study(session.add_study(study, traces))
    said = read_pages(window, UNIT_CHOICES[units])
    assert len({x.page for x in said}) == 15
    assert faults(study, said, units, session.analysis.legs if session.analysis else ()) == [], name
    c = session.comparison
    if c is None:
        return
    assert other_figures(said, c) == [], name
    if c.verdict in SETTLED and c.verdict != "no difference that matters":
        # the bar below every page and the verdict's sentence say it alike
        size = f"{abs(c.effect_percent):.1f}"
        assert all(any(size in x.text for x in said if x.page == page) for page in ("verdict", "drive", "use, range"))
        on_range = [
            x.text for x in said if x.page == "use, range" and f": range {signed(c.range_change_percent)} %" in x.text
        ]
        asked = any(x.page == "use, range" and ": range " in x.text for x in said)
        assert bool(on_range) is asked, name  # as the road at the left has it
    window.go_home()


def test_the_reader_finds_what_it_is_there_for():
    study = driven_study("ABBA")
    bad = {
        "us": ["30 km leg", "49 km/h", "L05 weighs 3 kg"],
        "metric": ["at 57 mph"],
        "uk": ["\ue0003.0|km|0\ue001", "4.06 to 3.31 mi/kWh", "-1.0"],
    }
    for units, texts in bad.items():
        for text in texts:
            assert faults(study, [Said("verdict", text)], units), text
    assert faults(study.with_(title="Vans at 80 km/h"), [Said("verdict", "“Vans at 80 km/h”, 50 mph")], "us") == []
