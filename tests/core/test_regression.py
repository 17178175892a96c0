"""What the analysis says of some sixty studies is what it said before, to a billionth: no truth, a regression set."""

import json

from tests.regression.data import RESULTS, differences, results


def test_no_figure_has_moved():
    before, now = json.loads(RESULTS.read_text(encoding="utf-8")), results()
    assert len(now) >= 60 and sum(map(len, now.values())) > 5000
    moved = differences(before, now, 1e-9, 1e-9)
    assert not moved, f'{len(moved)} figures moved; if they should: make regression WHY="..."\n' + "\n".join(moved[:20])


def test_a_figure_that_moves_comes_or_goes_is_named():
    before = {"a": {"x": 1.0, "word": "yes", "gone": 1.0}}
    now = {"a": {"x": 1.0 + 3e-9, "word": "no", "new": None}}
    assert differences(before, now, 1e-9, 1e-9) == [
        "a, gone: 1.0 became (absent)",
        "a, new: (absent) became None",
        "a, word: yes became no",
        "a, x: 1.0 became 1.000000003",
    ]
    assert differences(before, before, 1e-9, 1e-9) == []
