"""Files of strangers: nothing is let in that costs the laptop, the terminal, a spreadsheet or a column its place."""

import csv
import io
import json
import random
import re
import subprocess
import sys
import zipfile
from datetime import datetime

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Trace
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.kinds import read_workbook, recognise
from fairmargin.exchange.files.plain import armed, printable, unarmed
from fairmargin.exchange.logs.loggers import preview, read_log
from fairmargin.exchange.logs.tracks import parse_gpx, read_track
from fairmargin.exchange.meteorology.forecasts import read_hours
from fairmargin.exchange.meteorology.stations import read_weather
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.samples import read_trace
from fairmargin.exchange.packages.writing import package_files, write_package
from fairmargin.exchange.route import read_gpx, typed_route
from fairmargin.exchange.tables.receipts import read_receipts

HEAD = '{"format": "fairmargin-study", "version": 1, "configurations": [{"id": "A", "baseline": true}], '


def refused(study_json, tmp_path, legs="leg,configuration\nL01,A\n"):
    folder = tmp_path / "p"
    folder.mkdir(exist_ok=True)
    (folder / "study.json").write_text(study_json)
    (folder / "legs.csv").write_text(legs)
    with pytest.raises(InvalidInput) as fault:
        read_package(folder)
    return fault.value.faults[0]


@pytest.mark.parametrize(
    ("rest", "words"),
    [
        ('"x": ' + "[" * 900 + "]" * 900 + "}", "nested 901 deep; expected at most 40"),
        (", ".join(f'"k{i}": 1' for i in range(20_001)) + "}", "more than 20000 keys"),
        ('"title": "\\ud800"}', "half a character"),
        ('"target_speed_kmh": 1e400}', "target_speed_kmh"),
        ('"target_speed_kmh": NaN}', "not a finite number"),
    ],
    ids=["deep", "keys", "surrogate", "1e400", "NaN"],
)
def test_a_study_that_is_none_is_refused_in_a_moment(tmp_path, rest, words):
    assert words in refused(HEAD + rest, tmp_path)


@pytest.mark.parametrize(
    ("legs", "words"),
    [
        ("leg,configuration," + ",".join(f"c{i}" for i in range(50_000)) + "\nL01,A\n", "a header of"),
        ("leg,configuration," + ",".join(f"c{i}" for i in range(600)) + "\nL01,A\n", "602 columns; expected at most 512"),
        ("leg,configuration,note\nL01,A,\"" + "x" * 40_000 + '"\n', "a cell of more than 32767 characters"),
        ("leg,configuration\n" + "".join(f"L{i},A\n" for i in range(5_002)), "more than 1000 rows"),
        ("leg,configuration,distance_km\nL01,A,1e400\n", "not a finite number"),
    ],
    ids=["columns", "many columns", "cell", "rows", "1e400"],
)  # fmt: skip
def test_a_table_larger_than_any_is_refused_with_its_limit(tmp_path, legs, words):
    assert words in refused(HEAD + '"title": "x"}', tmp_path, legs)


def test_a_zip_is_unpacked_within_a_budget_and_its_sizes_are_not_believed(tmp_path, monkeypatch):
    path = tmp_path / "bomb.zip"
    write_package(path, driven_study("AB"), {})
    with zipfile.ZipFile(path, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("samples/L01.csv", b"time_s,speed_kmh\n" + b"0,0\n" * (1 << 20))
    monkeypatch.setattr(budget, "SAMPLES_BYTES", 1 << 20)
    with pytest.raises(InvalidInput, match=r"samples/L01.csv: 2 MB is too large; expected at most 1 MB"):
        read_package(path)
    with zipfile.ZipFile(path) as archive, pytest.raises(InvalidInput, match="unpacks to more than 1 MB"):
        budget.Unpacking(archive, 1 << 20).read("samples/L01.csv", 1 << 30, "samples/L01.csv")


def test_damaged_zips_are_refused_never_a_traceback(tmp_path):
    """Every byte of a compressed package may be wrong (zlib raises its own error)."""
    path = tmp_path / "p.zip"
    trace = Trace(time_s=np.arange(50.0), speed_kmh=np.full(50, 80.0))
    write_package(path, driven_study("AB"), {"L01": trace})
    good, dice = path.read_bytes(), random.Random(3)
    for _ in range(60):
        data = bytearray(good)
        for _ in range(dice.choice([1, 1, 3])):
            data[dice.randrange(len(data))] = dice.randrange(256)
        path.write_bytes(data)
        try:
            read_package(path)
            recognise(path)
        except InvalidInput:
            continue


def test_an_endless_view_in_place_of_a_trace_table_is_not_followed(tmp_path):
    import os

    package = tmp_path / "p"
    write_package(package, driven_study("AB"), {})
    (package / "samples").mkdir()
    os.mkfifo(package / "samples" / "L01.csv")
    assert read_package(package).traces == {}  # a pipe is no file
    (package / "samples" / "L01.csv").unlink()
    (package / "samples" / "L01.csv").symlink_to("/dev/zero")
    assert read_package(package).traces == {}
    with pytest.raises(InvalidInput, match="it is not a file"):
        preview("/dev/zero")


# ---------------------------------------------------------------- columns stay where they are

LOG = "time,speed,power\n" + "".join(f"{i},{80 + i % 3},{12.5}{{}}\n" for i in range(40))


@pytest.mark.parametrize("end", ["", ",", ",,", ", "])
def test_a_delimiter_at_the_end_of_rows_moves_no_column(tmp_path, end):
    path = tmp_path / "log.csv"
    path.write_text(LOG.replace("{}", end))
    trace = read_log(path, preview(path).profile).trace
    assert trace.time_s[5] == 5 and trace.speed_kmh[0] == 80 and trace.power_kw[0] == 12.5
    data = LOG.replace("{}", end).replace("time", "time_s").replace("speed", "speed_kmh").replace("power", "power_kw")
    again = read_trace(data.encode(), "samples/L01.csv")
    assert again.time_s[5] == 5 and again.speed_kmh[0] == 80 and again.power_kw[0] == 12.5


def test_filled_cells_beyond_the_header_are_refused_with_their_row(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(LOG.replace("{}", ",7"))
    with pytest.raises(InvalidInput, match="row 2: 4 cells; expected 3, as many as the header"):
        read_log(path, preview(path).profile)
    late = LOG.replace("{}", "") * 1 + "".join(f"{i},80,12.5\n" for i in range(40, 900)) + "900,80,12.5,9\n"
    path.write_text(late)
    with pytest.raises(InvalidInput, match=r"Expected 3 fields in line 902, saw 4|901|902"):
        read_log(path, preview(path).profile)


def test_whole_numbers_beyond_any_are_left_empty(tmp_path):
    path = tmp_path / "log.csv"
    rows = "".join(f"{i},{'9' * 400 if i == 7 else 80},{'x' if i == 3 else 12}\n" for i in range(30))
    path.write_text("time,speed,power\n" + rows)
    log = read_log(path, preview(path).profile)
    assert len(log.trace.time_s) == 29 and 7 not in log.trace.time_s


def test_columns_of_one_name_are_told_apart_by_their_place(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text("time,speed,temp,temp\n" + "".join(f"{i},80,15,{i}\n" for i in range(30)))
    seen = preview(path)
    assert [c.header for c in seen.profile.columns] == ["time", "speed", "temp", "temp (2)"]
    assert read_log(path, seen.profile).trace.temperature_c[3] == 15


# ---------------------------------------------------------------- clocks


@pytest.mark.parametrize(("unit", "factor"), [("", 1), ("milliseconds", 1e3), ("microseconds", 1e6)])
def test_stamps_since_1970_are_read_whatever_their_unit(tmp_path, unit, factor):
    """1 777 712 400 s is 2026-05-02 09:00 UTC (checked with `date -u -d @1777712400`)."""
    path = tmp_path / "log.csv"
    rows = "".join(f"{round((1_777_712_400 + i) * factor)},80,12\n" for i in range(30))
    path.write_text("timestamp,speed,power\n" + rows)
    log = read_log(path, preview(path).profile)
    assert f"{log.started_at:%Y-%m-%d %H:%M:%S}" == "2026-05-02 09:00:00"
    assert log.trace.time_s[-1] == pytest.approx(29.0)
    assert any(unit in n for n in log.notices) or not unit


def test_a_log_whose_time_is_none_is_refused_in_words(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text("time,speed\n" + "".join(f"{5e9 + i},80\n" for i in range(30)))
    with pytest.raises(InvalidInput, match="is no time of a drive"):
        read_log(path, preview(path).profile)


@pytest.mark.parametrize("style", ["{:%H:%M:%S}", "2026-05-02T{:%H:%M:%S}", "02.05.2026 {:%H:%M:%S}"])
def test_a_blank_first_clock_cell_is_a_row_without_time(tmp_path, style):
    from datetime import datetime, timedelta

    start = datetime(2026, 5, 2, 9, 0)
    rows = [style.format(start + timedelta(seconds=i)) for i in range(30)]
    path = tmp_path / "log.csv"
    path.write_text("time,speed\n" + "".join(f"{'' if i in {0, 7} else t},80\n" for i, t in enumerate(rows)))
    profile = preview(path).profile
    profile = type(profile)(
        profile.name,
        ",",
        ".",
        tuple(type(c)(c.header, c.role, "clock" if c.role == "time" else c.unit) for c in profile.columns),
    )
    log = read_log(path, profile)
    assert len(log.trace.time_s) == 28 and log.trace.time_s[-1] == 28
    assert "2 rows without time or speed dropped" in log.notices


def test_times_with_and_without_offset_and_a_clock_that_is_set_are_asked_about(tmp_path):
    path = tmp_path / "log.csv"
    stamps = [f"2026-03-29T00:{m:02d}:00{'Z' if m != 7 else ''}" for m in range(20)]
    path.write_text("time,speed\n" + "".join(f"{t},80\n" for t in stamps))
    notices = read_log(path, preview(path).profile).notices
    assert any("1 of 20 times state no offset from UTC" in n for n in notices)
    stamps = [f"2026-03-29T0{1 if m < 10 else 2}:{m:02d}:00" for m in range(20)]  # summer time begins
    path.write_text("time,speed\n" + "".join(f"{t},80\n" for t in stamps))
    notices = read_log(path, preview(path).profile).notices
    assert any("the clock jumps by +60 min on the way" in n for n in notices)


# ---------------------------------------------------------------- amounts, spreadsheets, terminals


def test_an_amount_is_read_whole_or_not_at_all():
    from datetime import datetime

    day = datetime(2026, 5, 2)
    for bad in ("1e400", "1,234.5", "4.1 gal"):
        with pytest.raises(ValueError, match="no row has a time"):
            read_receipts(f"start;kWh\n2026-05-02 12:40;{bad}", day)
        with pytest.raises(ValueError, match="kWh"):
            read_receipts(f"12:40 {bad}", day)
    assert read_receipts("12:40 4100 Wh", day)[0][0].kwh == pytest.approx(4.1)
    assert read_receipts("start;kWh\n2026-05-02 12:40;4,1", day)[0][0].kwh == pytest.approx(4.1)


@pytest.mark.parametrize("text", ["=1+1", "+1", "-cold", "@x", "\tx", "'=1", "''=1", "plain", "'quoted'", "", "3-2"])
def test_text_cells_are_no_formulas_in_a_spreadsheet_and_come_back(text):
    assert armed(text)[:1] not in {"=", "+", "-", "@", "\t", "\r"} and unarmed(armed(text)) == text


def test_an_exported_package_holds_no_formula_and_comes_back(tmp_path):
    study = driven_study("AB").with_leg("L01", note='=HYPERLINK("x")', reason="-", mode="@eco")
    table = dict(package_files(study, {}))["legs.csv"].decode()
    cells = [c for row in csv.reader(io.StringIO(table)) for c in row]
    assert not [c for c in cells if re.match(r"[=+@]", c) or (c[:1] == "-" and not re.fullmatch(r"-?\d.*", c))]
    write_package(tmp_path / "p.zip", study, {})
    assert read_package(tmp_path / "p.zip").study == study


def test_what_a_terminal_would_obey_is_not_sent_to_it(tmp_path):
    assert printable("a\x1b[31mb\x9bc\u202ed\te\n") == "a\ufffd[31mb\ufffdc\ufffdd\te\n"
    study = driven_study("AB", title="\x1b]0;owned\x07Caf\u00e9")
    write_package(tmp_path / "p.zip", study, {})
    for encoding, options in (("utf-8", []), ("ascii", ["--json"])):
        done = subprocess.run(
            [sys.executable, "-m", "fairmargin.cli", "analyse", str(tmp_path / "p.zip"), *options],
            check=False,
            capture_output=True,
            env={"PATH": "/usr/bin", "PYTHONIOENCODING": encoding, "HOME": str(tmp_path)},
        )
        assert done.returncode == 0, done.stderr
        assert b"\x1b" not in done.stdout + done.stderr and b"\x07" not in done.stdout
        if options:
            assert json.loads(done.stdout)["title"] == study.title


@pytest.mark.parametrize("name", ["x" * 300, "a\x00b"])
def test_names_no_file_can_have_are_told(name):
    for read in (read_package, recognise, preview):
        with pytest.raises(InvalidInput):
            read(name)


def test_a_workbook_that_uses_the_last_column_is_read_in_a_moment(tmp_path):
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    sheet["A1"], sheet["XFD1"] = "time", "far"
    for row in range(2, 60):
        sheet[f"A{row}"], sheet[f"XFD{row}"] = row, 1
    book.save(tmp_path / "wide.xlsx")
    sheets, _ = read_workbook(tmp_path / "wide.xlsx")
    assert len(next(iter(sheets.values()))) == 59
    assert max(len(r) for r in next(iter(sheets.values()))) <= budget.COLUMNS


def test_a_track_with_definitions_of_its_own_is_refused(tmp_path):
    path = tmp_path / "t.gpx"
    path.write_text('<?xml version="1.0"?><!DOCTYPE g [<!ENTITY a "b">]><gpx>&a;</gpx>')
    with pytest.raises(InvalidInput, match="definitions of its own"):
        parse_gpx(path)


def test_a_long_column_of_times_that_are_none_is_refused_at_once():
    from datetime import datetime

    text = "time;wind\n" + "".join(f"about {i} o'clock;3\n" for i in range(50_000))
    with pytest.raises(ValueError, match="no row has a time"):
        read_weather(text, datetime(2026, 5, 2))


def test_points_that_lie_nowhere_take_no_speed_with_them(tmp_path):
    """A position that is not a number in the middle of a track: the speeds after it stay."""
    points = "".join(
        f'<trkpt lat="{"NaN" if i == 5 else f"52.{i:03d}"}" lon="0.1"><time>2026-05-02T09:00:{3 * i:02d}Z</time></trkpt>'
        for i in range(15)
    )
    path = tmp_path / "track.gpx"
    path.write_text(f'<?xml version="1.0"?><gpx version="1.1"><trk><trkseg>{points}</trkseg></trk></gpx>')
    log = read_track(path)
    assert len(log.trace.time_s) == 14
    assert np.isfinite(log.trace.speed_kmh).all() and log.trace.speed_kmh[-3] == pytest.approx(133.5, abs=1)
    assert "1 points without a place on earth dropped" in log.notices
    route, _ = read_gpx(path)
    assert all(np.isfinite(p.latitude) for p in route)


def test_deep_files_are_refused_before_they_are_copied(tmp_path):
    path = tmp_path / "deep.gpx"
    path.write_text("<?xml version='1.0'?><gpx version='1.1'><extensions>" + "<a>" * 150_000)
    with pytest.raises(InvalidInput, match="nested more than 40 deep"):
        read_track(path)


@pytest.mark.parametrize(
    ("read", "text", "words"),
    [
        (typed_route, "3 N -900 m", "line 1: -900 m is no height of a road; expected -500 to 6000 m"),
        (lambda t: read_hours(t, datetime(2026, 5, 2)), "time,wind\n9:00,400", "row 2: 400 is not possible; expected 0 to 60"),
    ],
)  # fmt: skip
def test_refusals_are_words_without_an_address(read, text, words):
    with pytest.raises(ValueError, match=words) as caught:
        read(text)
    assert "http" not in str(caught.value)
