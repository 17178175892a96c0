"""The demo logbook that is shipped is the one that would be made: ``make demo-logbook`` where it is not."""

import json
import stat

import numpy as np
import pytest

from fairmargin.demo import make_demo_logbook
from fairmargin.demo.studies import build_demo_logbook
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.logbook import Logbook
from fairmargin.logbook.freshen import stale


@pytest.fixture(scope="module")
def both(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    make_demo_logbook(folder / "shipped.fairmargin")
    build_demo_logbook(folder / "made.fairmargin")
    with Logbook.open(folder / "shipped.fairmargin") as a, Logbook.open(folder / "made.fairmargin") as b:
        yield a, b


def same(a, b, at=""):
    """Equal, figures to a millionth: machines add in other orders."""
    if isinstance(a, dict):
        assert a.keys() == b.keys(), at
        for key in a:
            same(a[key], b[key], f"{at}/{key}")
    elif isinstance(a, list):
        assert len(a) == len(b), at
        for i, (x, y) in enumerate(zip(a, b, strict=True)):
            same(x, y, f"{at}/{i}")
    elif isinstance(a, float) and isinstance(b, float):
        assert a == pytest.approx(b, rel=1e-6, abs=1e-9), at
    else:
        assert a == b, at


def test_studies_and_readings_are_those_of_the_simulator(both):
    shipped, made = both
    entries, others = shipped.studies(), made.studies()
    assert [e.title for e in entries] == [e.title for e in others] and len(entries) == 14
    for own, other in zip(entries, others, strict=True):
        a, b = shipped.read(own.id), made.read(other.id)
        same(json.loads(a.study.model_dump_json()), json.loads(b.study.model_dump_json()), own.title)
        assert a.traces.keys() == b.traces.keys()
        for leg in a.traces:
            assert np.allclose(a.traces[leg].time_s, b.traces[leg].time_s)


def test_the_lines_of_the_list_are_what_opening_a_study_would_show(both):
    shipped, made = both
    for own, other in zip(shipped.studies(), made.studies(), strict=True):
        same(json.loads(own.summary), json.loads(other.summary), own.title)
    assert stale(shipped) == []


def test_it_is_private_and_what_is_there_is_left_alone(tmp_path):
    path = tmp_path / "new" / "folder" / "demo.fairmargin"
    make_demo_logbook(path)
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    path.write_bytes(b"mine")
    make_demo_logbook(path)
    assert path.read_bytes() == b"mine"


def test_a_folder_that_cannot_be_written_is_told(tmp_path):
    (tmp_path / "file").write_text("no folder")
    with pytest.raises((InvalidInput, OSError)):
        make_demo_logbook(tmp_path / "file" / "demo.fairmargin")
