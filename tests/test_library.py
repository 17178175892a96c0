"""The library: what docs/library.md shows runs; tables add up; nothing heavy is loaded unasked."""

import doctest
import re
import subprocess
import sys
from importlib import import_module
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import fairmargin
from fairmargin.core.study import Study
from tests.conftest import driven_study

DOCUMENT = Path(__file__).parent.parent / "docs" / "library.md"


@pytest.fixture
def discs(tmp_path, monkeypatch):
    from fairmargin.simulation import DayPlan, simulate

    made = simulate(4, DayPlan())
    fairmargin.write(tmp_path / "discs", made.study, made.traces)
    monkeypatch.chdir(tmp_path)
    return tmp_path


def test_the_page_of_the_library_runs(discs, capsys):
    blocks = re.findall(r"```python\n(.*?)```", DOCUMENT.read_text(encoding="utf-8"), re.DOTALL)
    assert len(blocks) >= 6
    names: dict[str, object] = {}
    for block in blocks:
        exec(compile(block, str(DOCUMENT), "exec"), names)
    said = capsys.readouterr().out
    assert re.search(r"[+-]\d+\.\d % \([+-]\d", said)
    assert "the frame, row 2, temperature_c: 400 is not possible; expected -50 to 60 \u00b0C" in said
    assert (discs / "margin.svg").stat().st_size > 2000
    assert fairmargin.read(discs / "own.zip").study == names["study"]


def test_every_public_name_is_there_and_documented():
    for name in fairmargin.__all__:
        assert getattr(fairmargin, name) is not None
    for made in (fairmargin.read, fairmargin.write, fairmargin.analyse, fairmargin.from_frame, fairmargin.Analysis):
        assert made.__doc__
    for section in ("Parameters", "Returns", "Raises"):
        assert section in (fairmargin.from_frame.__doc__ or "")
    with pytest.raises(AttributeError, match="no attribute 'forecast'"):
        _ = fairmargin.forecast


def test_importing_it_loads_nothing_heavy():
    code = "import sys, fairmargin; assert not {'numpy', 'pandas', 'PySide6', 'matplotlib'} & set(sys.modules), 'heavy'"
    code += "; fairmargin.analyse; assert not {'pandas', 'PySide6', 'matplotlib'} & set(sys.modules), 'table or plot'"
    subprocess.run([sys.executable, "-c", code], check=True)


def test_a_frame_says_what_the_same_study_says():
    study = driven_study("ABBA")
    keys = [
        "leg",
        "run",
        "block",
        "configuration",
        "direction",
        "average_shown",
        "average_unit",
        "average_step",
        "distance_km",
    ]
    keys += [
        "duration_s",
        "started_at",
        "temperature_c",
        "pressure_hpa",
        "humidity_percent",
        "wind_speed_ms",
        "wind_from_deg",
    ]
    keys += ["climate", "road"]
    frame = pd.DataFrame([{k: getattr(leg, k) for k in keys} for leg in study.legs])
    route = pd.DataFrame([p.model_dump() for p in study.route])
    made = fairmargin.from_frame(
        frame, kind="aero covers", speed_kmh=90, vehicle=study.vehicle.model_dump(exclude_none=True), route=route
    )
    assert isinstance(made, Study)
    ours, theirs = (fairmargin.analyse(s).effects[0] for s in (made, study))
    assert ours.effect_percent == pytest.approx(theirs.effect_percent, abs=1e-6)
    assert ours.interval_percent == pytest.approx(theirs.interval_percent, abs=1e-6)


def test_a_missing_value_is_unknown_and_never_zero():
    frame = pd.DataFrame({"configuration": ["A", "B"], "average_shown": [170.0, 160.0], "average_unit": "Wh/km"})
    study = fairmargin.from_frame(frame.assign(temperature_c=[np.nan, 12.0], distance_km=20.0))
    assert study.legs[0].temperature_c is None and study.legs[1].temperature_c == 12.0
    assert [leg.leg for leg in study.legs] == ["L01", "L02"] and study.baseline.id == "A"


def test_what_cannot_be_is_refused_in_words():
    frame = pd.DataFrame({"configuration": ["A"], "average_shown": [170.0]})
    with pytest.raises(fairmargin.InvalidInput, match="row 2: average_unit is missing"):
        fairmargin.from_frame(frame)
    good = frame.assign(average_unit="Wh/km")
    with pytest.raises(ValueError, match='baseline "Z" has no leg; expected one of A'):
        fairmargin.from_frame(good, baseline="Z")
    with pytest.raises(ValueError, match='"sails" is no kind of change'):
        fairmargin.from_frame(good, kind="sails")
    with pytest.raises(fairmargin.InvalidInput, match="column configuration is missing"):
        fairmargin.from_frame(good.drop(columns="configuration"))
    one = fairmargin.analyse(fairmargin.from_frame(good))
    with pytest.raises(ValueError, match="there is no effect 0"):
        one.plot()
    with pytest.raises(ValueError, match='"sums" is no table; expected one of effects, ledger, legs'):
        one.to_frame("sums")


def test_the_examples_of_the_library_run():
    done = doctest.testmod(import_module("fairmargin.library"))
    assert done.attempted >= 3 and done.failed == 0
