"""Tables of samples: the faster reader finds what pandas finds, and leaves to pandas what it does not understand."""

import numpy as np
import pandas as pd
import pytest

from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.tables import frames

ALL_NUMBERS = {
    "empty and NaN": (b"t,v\n1,2.5\n2,3\n3,\n4,NaN\n5,None\n", ",", "."),
    "decimal comma": (b"t;v\n1;2,5\n2;3,25\n", ";", ","),
    "spaces": (b"t,v\n1, 2.5\n 2,3 \n", ",", "."),
    "infinite": (b"t,v\n1,inf\n2,-inf\n3,1e400\n", ",", "."),
    "plus": (b"t,v\n1,+2.5\n2,3\n", ",", "."),
    "a trailing delimiter": (b"t,v\n1,2,\n2,3,\n", ",", "."),
    "byte order mark": (b"\xef\xbb\xbft,v\n1,2\n2,3\n", ",", "."),
    "empty lines": (b"\n\nt,v\n1,2\n\n2,3\n", ",", "."),
    "lines of Windows": (b"t,v\r\n1,2\r\n2,3\r\n", ",", "."),
    "tabs": (b"t\tv\n1\t2\n2\t3\n", "\t", "."),
    "nanoseconds": (b"t,v\n1700000000123456789,1\n1700000000223456789,3\n", ",", "."),
    "the same name twice": (b"t,t\n1,2\n", ",", "."),
}
OTHERS = {
    "a word": (b"t,v\n1,2\n2,x\n", ",", "."),
    "a short row": (b"t,v,w\n1,2\n2,3,4\n", ",", "."),
    "hexadecimal": (b"t,v\n1,0x10\n2,3\n", ",", "."),
    "truth": (b"t,v\n1,True\n2,False\n", ",", "."),
    "thousands": (b"t;v\n1;1.234,5\n2;3,25\n", ";", ","),
    "quotes": (b'"t","v"\n1,2\n2,3\n', ",", "."),
}


def numbers(data, delimiter, decimal, **how):
    frame = frames.read_frame(data, "x", delimiter, decimal, "utf-8", "samples", **how)
    return [frames.as_numbers(frame[c]) for c in frame.columns], list(frame.columns)


@pytest.mark.parametrize("name", [*ALL_NUMBERS, *OTHERS])
def test_both_readers_find_the_same(name, monkeypatch):
    data, delimiter, decimal = {**ALL_NUMBERS, **OTHERS}[name]
    found, names = numbers(data, delimiter, decimal, numbers=True)
    slow, same_names = numbers(data, delimiter, decimal)
    assert names == same_names
    for (values, bad), (expected, expected_bad) in zip(found, slow, strict=True):
        np.testing.assert_array_equal(values, expected)
        np.testing.assert_array_equal(bad, expected_bad)
    monkeypatch.setattr(pd, "read_csv", None)  # the faster one asks pandas for nothing that is all numbers
    if name in ALL_NUMBERS:
        assert numbers(data, delimiter, decimal, numbers=True)[1] == names
    else:
        with pytest.raises(InvalidInput):
            numbers(data, delimiter, decimal, numbers=True)


def test_a_day_in_figures_stays_as_it_is_written():
    """20260501 and 083000 are no numbers where a column is wanted as text."""
    frame = frames.read_frame(b"d,v\n20260501,2\n20260502,3\n", "x", ",", ".", "utf-8", "samples")
    assert frame["d"].astype(str).tolist() == ["20260501", "20260502"]


def test_too_many_rows_are_refused(monkeypatch):
    monkeypatch.setattr(budget, "ROWS", 3)
    with pytest.raises(InvalidInput, match="more than 3 rows"):
        numbers(b"t,v\n1,2\n2,2\n3,2\n4,2\n5,2\n", ",", ".", numbers=True)
