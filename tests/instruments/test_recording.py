"""Recordings: a really killed process, torn lines, silences bridged and not bridged."""

import json
import os
import signal
import subprocess
import sys
import textwrap
import time
from datetime import datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.recording import Columns, Recorder, close_recording, read_recording, to_trace, unfinished
from fairmargin.instruments.samples import Sample, Trouble

ORIGIN = datetime(2026, 5, 2, 9, 0)


def gps(at, speed=90.0, **more):
    return Sample(float(at), "gps", {"speed_kmh": speed, "latitude": 52.0 + at * 2e-4, "longitude": 0.1, **more})


def bus(at, power=15.0, **more):
    return Sample(float(at), "vehicle", {"power_kw": power, **more})


def test_a_killed_process_loses_less_than_a_second(tmp_path):
    """A child records 50 samples a second and is killed with SIGKILL; the clock of the last line tells."""
    path = tmp_path / "L01.drive"
    code = textwrap.dedent(f"""
        import sys, time
        from datetime import datetime
        from pathlib import Path
        from fairmargin.instruments.recording import Recorder
        from fairmargin.instruments.samples import Sample
        r = Recorder(Path({str(path)!r}), "L01", datetime(2026, 5, 2, 9))
        r.mark(0.0, "reset")
        print("ready", flush=True)
        while True:
            r.put(Sample(time.monotonic(), "gps", {{"speed_kmh": 90.0, "latitude": 52.0, "longitude": 0.1}}))
            time.sleep(0.02)
    """)
    child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE)
    assert child.stdout.readline().strip() == b"ready"
    time.sleep(0.7)
    os.kill(child.pid, signal.SIGKILL)
    killed = time.monotonic()
    child.wait()
    child.stdout.close()
    kept = read_recording(path)
    assert kept.damaged == 0 and kept.marked("reset") == 0.0
    assert killed - kept.samples[-1].at < 1.0
    assert len(kept.samples) > 15
    assert unfinished(tmp_path) == [path]


def test_everything_comes_back(tmp_path):
    path = tmp_path / "a" / "L01.drive"
    recorder = Recorder(path, "L01", ORIGIN)
    recorder.mark(1.0, "reset")
    recorder.put(gps(2))
    recorder.put(Trouble(3.0, "gps", "lost", "GPS is silent since 4 s"))
    recorder.mark(4.0, "event", kind="rain")
    recorder.mark(9.0, "finished")
    recorder.close()
    recorder.put(gps(10))  # late samples of a feed thread are nobody's any more
    kept = read_recording(path)
    assert (kept.leg, kept.origin) == ("L01", ORIGIN)
    assert kept.samples == (gps(2),)
    assert kept.troubles[0].words == "GPS is silent since 4 s"
    assert kept.marks[1].details["kind"] == "rain"
    assert kept.moment(60.0) == datetime(2026, 5, 2, 9, 1)
    assert unfinished(path.parent) == []


def test_a_recording_is_never_written_over(tmp_path):
    Recorder(tmp_path / "x.drive", "L01", ORIGIN).close()
    with pytest.raises(FileExistsError):
        Recorder(tmp_path / "x.drive", "L01", ORIGIN)


def test_a_torn_last_line_costs_one_sample(tmp_path):
    path = tmp_path / "x.drive"
    recorder = Recorder(path, "L01", ORIGIN)
    for i in range(5):
        recorder.put(gps(i))
    recorder.close()
    path.write_bytes(path.read_bytes()[:-9])
    kept = read_recording(path)
    assert len(kept.samples) == 4 and kept.damaged == 1
    close_recording(path, "abandoned")
    assert read_recording(path).marked("abandoned") is not None and unfinished(tmp_path) == []


@given(st.binary(max_size=400))
@settings(max_examples=100, deadline=None)
def test_any_bytes_give_a_recording_or_a_sentence(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("r") / "x.drive"
    head = json.dumps({"format": "fairmargin-recording", "leg": "L01", "origin": ORIGIN.isoformat()}).encode()
    path.write_bytes(head + b"\n" + data)
    assert read_recording(path).leg == "L01"
    path.write_bytes(data)
    with pytest.raises(InvalidInput, match="not a recording"):
        read_recording(path)


def test_missing_file(tmp_path):
    with pytest.raises(InvalidInput, match="cannot be read"):
        read_recording(tmp_path / "no.drive")


def test_bus_and_gps_on_one_time_base():
    """GPS a quarter of a second after the bus; power integrates to the same energy: 15 kW over 10 s."""
    samples = [x for i in range(11) for x in (bus(i), gps(i + 0.25))]
    trace, notices = to_trace(samples, 0.0, 10.0)
    assert notices == () and len(trace.time_s) == 11
    assert np.trapezoid(trace.power_kw, trace.time_s) == pytest.approx(150.0)
    assert trace.latitude[5] == pytest.approx(52.0 + 5 * 2e-4)


def test_only_what_lies_between_reset_and_read_off():
    trace, _ = to_trace([gps(i, speed=float(i)) for i in range(20)], 5.0, 12.0)
    assert trace.time_s[0] == 0.0 and trace.speed_kmh.tolist() == [5, 6, 7, 8, 9, 10, 11, 12]


def test_a_lost_gps_is_filled_by_the_vehicles_own_speed_and_told():
    """The speedometer over-reads by 4 %: where it fills in, its error is taken out."""
    samples = [bus(i, speed_kmh=93.6) for i in range(31)] + [gps(i) for i in range(31) if not 10 < i < 20]
    trace, notices = to_trace(samples, 0.0, 30.0, speed_error_percent=4.0)
    assert trace.speed_kmh == pytest.approx(np.full(31, 90.0))
    assert "GPS speed missing at" in notices[0]
    assert np.isnan(trace.latitude[15]) and np.isfinite(trace.latitude[25])


def test_a_silent_bus_leaves_a_gap_not_an_invention():
    samples = [gps(i) for i in range(61)] + [bus(i) for i in range(61) if not 20 < i < 40]
    trace, _ = to_trace(samples, 0.0, 60.0)
    inside = (trace.time_s > 21) & (trace.time_s < 39)
    assert not inside.any() or np.isnan(trace.power_kw[inside]).all()


def test_too_little_makes_no_trace():
    trace, notices = to_trace([gps(1)], 0.0, 10.0)
    assert trace is None and "no speed was recorded" in notices[0]
    assert to_trace([bus(i) for i in range(5)], 0.0, 10.0)[0] is None


def test_columns_hold_what_samples_said_in_order_of_time():
    """Two sources that arrive out of order; of equal times the smaller value, as a sorted list would keep."""
    samples = [
        Sample(2.0, "gps", {"speed_kmh": 90.0, "latitude": 52.0}),
        Sample(1.0, "gps", {"speed_kmh": 80.0}),
        Sample(1.5, "vehicle", {"speed_kmh": 83.0, "power_kw": 12.0}),
        Sample(2.0, "gps", {"speed_kmh": 85.0}),
    ]
    drive = Columns(samples)
    assert len(drive) == 4 and drive.last_at == 2.0
    at, speed = drive.series("speed_kmh", "gps")
    assert at.tolist() == [1.0, 2.0] and speed.tolist() == [80.0, 85.0]
    assert drive.series("speed_kmh")[0].tolist() == [1.0, 1.5, 2.0]
    assert drive.series("soc_percent")[0].size == 0
    assert drive.mean("speed_kmh", "vehicle", 0.0, 9.0) == 83.0
    assert drive.mean("speed_kmh", "vehicle", 3.0, 9.0) is None
    assert not Columns() and Columns().last_at is None
