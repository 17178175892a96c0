"""Logs of any logger: guessed, shown, read, cut; nothing dropped in silence."""

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairmargin.core.study import Trace
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.cuts import cut, split_at_stops
from fairmargin.exchange.logs.loggers import Profile, load_profiles, preview, read_log, save_profiles


def write(path, text, encoding="utf-8"):
    path.write_bytes(text.encode(encoding))
    return path


def roles(path):
    return {c.header: (c.role, c.unit) for c in preview(path).profile.columns if c.role}


def test_a_plain_log_is_taken_for_what_it_is(tmp_path):
    path = write(tmp_path / "a.csv", "time_s,speed_kmh,power_kw,lat,lon,note\n0,90,15,52,0.1,x\n1,91,16,52,0.1,y\n")
    assert roles(path) == {
        "time_s": ("time", "s"),
        "speed_kmh": ("speed", "km/h"),
        "power_kw": ("power", "kW"),
        "lat": ("latitude", "\u00b0"),
        "lon": ("longitude", "\u00b0"),
    }
    assert preview(path).notices == ("not used: note",)
    log = read_log(path, preview(path).profile)
    assert log.trace.power_kw.tolist() == [15, 16] and log.rows == 2 and log.notices == ()


def test_semicolons_decimal_commas_and_units_in_headers(tmp_path):
    path = write(
        tmp_path / "b.csv",
        "Zeit;Geschwindigkeit [m/s];Leistung [W];Temp [\u00b0F]\n08:00:00;25,0;15000,5;50,0\n08:00:01;25,5;15100,0;50,0\n",
        "cp1252",
    )
    found = preview(path)
    assert (found.profile.delimiter, found.profile.decimal) == (";", ",")
    trace = read_log(path, found.profile).trace
    assert trace.speed_kmh.tolist() == pytest.approx([90, 91.8])
    assert trace.power_kw.tolist() == pytest.approx([15.0005, 15.1])
    assert trace.temperature_c.tolist() == pytest.approx([10, 10])
    assert trace.time_s.tolist() == [0, 1]


def test_voltage_and_current_make_power_and_say_so(tmp_path):
    path = write(tmp_path / "c.csv", "t\tspeed mph\tpack volts\tpack amps\n0\t56\t380\t40\n1\t56\t380\t42\n")
    log = read_log(path, preview(path).profile)
    assert log.trace.power_kw.tolist() == pytest.approx([15.2, 15.96])
    assert log.trace.speed_kmh[0] == pytest.approx(90.12, abs=0.01)
    assert any("voltage times current" in n for n in log.notices)


@pytest.mark.parametrize(
    "stamps",
    [
        ("2026-05-02T09:30:00", "2026-05-02T09:30:01", "2026-05-02T09:30:02.5"),
        ("2026-05-02 09:30:00+02:00", "2026-05-02 09:30:01+02:00", "2026-05-02 09:30:02.5+02:00"),
        ("1777714200", "1777714201", "1777714202.5"),
        ("23:59:59", "00:00:00", "00:00:01,5"),
    ],
)
def test_time_in_its_many_forms(tmp_path, stamps):
    rows = "".join(f"{s};90\n" for s in stamps)
    log = read_log(path := write(tmp_path / "d.csv", "timestamp;speed\n" + rows), preview(path).profile)
    assert log.trace.time_s.tolist() == pytest.approx([0, 1, 2.5])
    if stamps[0].startswith("2026"):
        assert isinstance(log.started_at, datetime)


def test_what_is_dropped_is_counted(tmp_path):
    text = "time,speed,power\n0,90,1\n1,,1\n2,91,x\n2,92,1\n1.5,90,1\nx,90,1\n4,-3,1\n"
    path = write(tmp_path / "e.csv", text)
    profile = preview(write(tmp_path / "head.csv", "time,speed,power\n0,90,1\n"), "mine").profile
    log = read_log(path, profile)
    assert log.trace.time_s.tolist() == [0, 2, 4]
    said = " ".join(log.notices)
    assert "2 rows without time or speed" in said and "2 rows whose time does not advance" in said
    assert "1 negative speeds" in said and "power: 1 cells are not numbers" in said


@pytest.mark.parametrize(
    "content, words",
    [
        (b"", "empty"),
        (b"only one column\n1\n", "one column"),
        (b"time,speed\n", "no rows"),
        (b"a,b\n1,2\n", "no column is taken for time"),
        (b"time,speed\n5,90\n", "fewer than two"),
        (b"time,speed\nsoon,90\nlater,91\n", "not a time"),
    ],
)
def test_what_cannot_be_read_is_said(tmp_path, content, words):
    path = tmp_path / "x.csv"
    path.write_bytes(content)
    with pytest.raises(InvalidInput, match=words):
        read_log(path, preview(path).profile)
    with pytest.raises(InvalidInput, match="cannot be read"):
        preview(tmp_path / "none.csv")


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.one_of(st.binary(max_size=300), st.text('time,sped;0123456789.\n\t -:"', max_size=200).map(str.encode)))
def test_no_bytes_crash_the_reader(tmp_path, data):
    path = tmp_path / "fuzz.csv"
    path.write_bytes(data)
    try:
        read_log(path, preview(path).profile)
    except InvalidInput as fault:
        assert fault.faults and all(fault.faults)


def test_a_long_log_is_cut_at_stops():
    t = np.arange(0.0, 3000.0)
    speed = np.where((t > 900) & (t < 1100), 0.0, 90.0)  # a long stand
    speed[(t > 2000) & (t < 2030)] = 0.0  # a traffic light
    speed[(t > 2900)] = 0.0
    trace = Trace(time_s=t, speed_kmh=speed, power_kw=speed / 6)
    pieces = split_at_stops(trace)
    assert pieces == [(0, 900), (1100, 2900)]
    part = cut(trace, *pieces[1])
    assert part.time_s[0] == 0 and part.time_s[-1] == 1800
    assert split_at_stops(Trace(time_s=t, speed_kmh=np.zeros(3000))) == []


def test_profiles_are_kept_by_name(tmp_path):
    profile = preview(write(tmp_path / "a.csv", "time,speed\n0,1\n1,2\n"), "My logger").profile
    save_profiles(tmp_path / "deep" / "p.json", [profile])
    assert load_profiles(tmp_path / "deep" / "p.json") == {"My logger": profile}
    assert load_profiles(tmp_path / "none.json") == {}
    (tmp_path / "bad.json").write_text('[{"name": 1}]')
    with pytest.raises(InvalidInput, match="not a file of profiles"):
        load_profiles(tmp_path / "bad.json")
    with pytest.raises(ValueError, match="is not known"):
        Profile.from_json(
            {
                "name": "x",
                "delimiter": ",",
                "decimal": ".",
                "columns": [{"header": "v", "role": "speed", "unit": "furlongs"}],
            }
        )


def drive_csv(path, sign=1.0, accelerates=True):
    """Two minutes: speeding up and slowing down by half a metre a second squared, or a held speed; power by the road's laws."""
    t = np.arange(0.0, 120.0)
    v = 15.0 + (5.0 * np.sin(t / 10.0) if accelerates else 0.0 * t)
    power = (300.0 * v + 1500.0 * v * np.gradient(v, t)) / 1000.0
    rows = [f"{a:.0f},{3.6 * b:.2f},{sign * c:.3f}" for a, b, c in zip(t, v, power, strict=True)]
    path.write_text("\n".join(["time [s],speed [km/h],power [kW]", *rows]))
    return path, float(np.trapezoid(power, t)) / 3600.0


def test_a_log_that_counts_power_the_other_way_round_is_turned_and_that_is_said(tmp_path):
    for sign in (1.0, -1.0):
        path, kwh = drive_csv(tmp_path / f"{sign}.csv", sign)
        found = read_log(path, preview(path).profile)
        energy = float(np.trapezoid(found.trace.power_kw, found.trace.time_s)) / 3600.0
        assert energy == pytest.approx(kwh, rel=1e-3)
        assert any("counted the other way round, and is turned" in n for n in found.notices) == (sign < 0)


def test_what_nothing_tells_is_asked_and_what_is_chosen_is_kept(tmp_path):
    path, kwh = drive_csv(tmp_path / "held.csv", -1.0, accelerates=False)
    seen = preview(path).profile
    open_question = read_log(path, seen)
    assert any("nothing tells whether that is drawn or given back: say which it is" in n for n in open_question.notices)
    assert open_question.trace.power_kw.mean() < 0  # as it was written, until somebody says
    turned = replace(seen, power="given")
    found = read_log(path, turned)
    assert float(np.trapezoid(found.trace.power_kw, found.trace.time_s)) / 3600.0 == pytest.approx(kwh, rel=1e-3)
    assert any("as chosen" in n for n in found.notices)
    assert Profile.from_json(turned.to_json()) == turned
    path, _ = drive_csv(tmp_path / "right.csv")
    against = read_log(path, replace(preview(path).profile, power="given"))
    assert "the drive itself says the other of its power" in against.notices
