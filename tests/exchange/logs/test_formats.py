"""A logger that is not built in: a table known by its header, and a binary log, each added in one place, to the effect."""

import struct
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import driven_study
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.core.study import Trace
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.kinds import recognise
from fairmargin.exchange.logs.formats import LogFormat, format_of_file, with_format
from fairmargin.exchange.logs.loggers import Column, ImportedLog, Profile, preview, read_log, with_table
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package

#: A logger that calls its columns by channel: nothing in them says what they are.
CHANNELS = Profile(
    "Channel box", ";", ",", (Column("ch0", "time", "ms"), Column("ch1", "speed", "m/s"), Column("ch2", "power", "W"))
)
MAGIC = b"BOX1"


def read_box(path: Path) -> ImportedLog:
    """Records of three little-endian floats behind four bytes: seconds, metres per second, kilowatts."""
    data = path.read_bytes()[len(MAGIC) :]
    if len(data) % 12 or len(data) < 24:
        raise InvalidInput(f"{path}: {len(data)} bytes of samples; expected records of 12")
    t, v, kw = np.frombuffer(data, dtype="<f4").reshape(-1, 3).astype(float).T
    return ImportedLog(Trace(time_s=t, speed_kmh=3.6 * v, power_kw=kw), datetime(2026, 5, 2, 9), len(t), ())


BOX = LogFormat("a box log", "it begins as box logs do", lambda head: head.startswith(MAGIC), read_box, in_utc=False)


@pytest.fixture
def channels(tmp_path):
    path = tmp_path / "channels.csv"
    rows = [f"{1000 * i};{25 if 5 < i < 700 else 0};15000,0" for i in range(720)]
    path.write_text("\n".join(["ch0;ch1;ch2", *rows]))
    return path


@pytest.fixture
def box(tmp_path):
    path = tmp_path / "drive.box"
    path.write_bytes(MAGIC + b"".join(struct.pack("<3f", i, 25.0 if 5 < i < 730 else 0.0, 15.0) for i in range(740)))
    return path


def test_a_table_is_known_by_its_header(channels):
    assert {c.role for c in preview(channels).profile.columns} == {""}
    assert recognise(channels).kind == "table"
    with with_table(CHANNELS):
        seen = preview(channels)
        assert [c.role for c in seen.profile.columns] == ["time", "speed", "power"]
        assert recognise(channels).kind == "log"
        log = read_log(channels, seen.profile)
    assert log.trace.time_s[-1] == 719.0 and log.trace.speed_kmh.max() == 90.0 and log.trace.power_kw[9] == 15.0


def test_a_binary_log_is_recognised_and_read(box):
    with pytest.raises(InvalidInput, match="no known kind"):
        recognise(box)
    with with_format(BOX):
        assert recognise(box).words == "it begins as box logs do"
        log = format_of_file(box).read(box)
        assert log.rows == 740 and log.trace.speed_kmh.max() == 90.0
        box.write_bytes(MAGIC + b"12345")
        with pytest.raises(InvalidInput, match="5 bytes of samples; expected records of 12"):
            format_of_file(box).read(box)
    with pytest.raises(InvalidInput, match="expected a GPX track"):
        format_of_file(box)


@pytest.mark.parametrize("kind", ["table", "binary"])
def test_it_comes_into_a_package_and_counts(kind, channels, box, tmp_path):
    study = driven_study("AB", method="one-way")
    study = study.with_leg("L01", average_shown=None, average_unit=None, average_step=None)
    write_package(tmp_path / "p", study)
    path = channels if kind == "table" else box
    with with_table(CHANNELS), with_format(BOX):
        done = CliRunner().invoke(app, ["import", str(path), "--into", str(tmp_path / "p"), "--legs", "L01", "--whole"])
    assert done.exit_code == 0, done.output
    back = read_package(tmp_path / "p")
    trace = back.traces["L01"]
    # 15 kW over twelve minutes: 3 kWh.
    assert np.trapezoid(trace.power_kw, trace.time_s) / 3600 == pytest.approx(3.0, rel=0.03)
