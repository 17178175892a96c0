"""Spreadsheets and tables of other programs than the one that everybody has: ODS, Parquet; in the order they show."""

import zipfile
from datetime import datetime

import numpy as np
import pandas as pd
import pytest
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.kinds import as_text, read_workbook, recognise
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package


def ods(path, sheets):
    """The least that is an OpenDocument spreadsheet (OASIS OpenDocument 1.3, part 3, section 9; from memory)."""

    def cell(value):
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p></table:table-cell>'

    tables = "".join(
        f'<table:table table:name="{name}">'
        + "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
        + "</table:table>"
        for name, rows in sheets.items()
    )
    content = (
        '<?xml version="1.0"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
        'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" '
        f'office:version="1.3"><office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>'
    )
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
        archive.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
    return path


ROWS = [
    ["Leg", "Configuration", "Distance (km)", "Average (kWh/100 km)"],
    ["L01", "A", 18.4, 16.9],
    ["L02", "B", 18.4, 16.2],
]


def test_an_ods_spreadsheet_is_read_sheet_by_sheet(tmp_path):
    path = ods(tmp_path / "legs.ods", {"Legs": ROWS, "Nothing": [], "Notes": [["calm day"]]})
    assert recognise(path).kind == "workbook"
    sheets, notices = read_workbook(path)
    assert list(sheets) == ["Legs", "Notes"] and "sheets without anything left out: 1" in notices
    assert sheets["Legs"][1] == ["L01", "A", "18.4", "16.9"]
    assert as_text(sheets["Legs"]).splitlines()[0] == "Leg\tConfiguration\tDistance (km)\tAverage (kWh/100 km)"


def test_a_parquet_table_is_read_with_its_names_and_moments(tmp_path):
    path = tmp_path / "samples.parquet"
    frame = pd.DataFrame(
        {"time": pd.date_range(datetime(2026, 5, 2, 8, 30), periods=3, freq="s"), "speed_kmh": [90.0, 90.5, np.nan]}
    )
    frame.to_parquet(path)
    assert recognise(path).kind == "workbook"
    sheets, _ = read_workbook(path)
    assert sheets["samples"][:3] == [
        ["time", "speed_kmh"],
        ["2026-05-02 08:30:00", "90"],
        ["2026-05-02 08:30:01", "90.5"],
    ]


def test_what_is_damaged_is_told_with_its_name(tmp_path):
    path = tmp_path / "cut.parquet"
    path.write_bytes(b"PAR1 and no more")
    with pytest.raises(InvalidInput, match="not a spreadsheet that can be read") as fault:
        read_workbook(path)
    assert str(path) in str(fault.value)


def test_the_command_line_cuts_a_parquet_log_into_a_package(tmp_path, abba):
    write_package(tmp_path / "p", abba)
    t = np.arange(0.0, 700.0)
    pd.DataFrame(
        {"time (s)": t, "speed (km/h)": np.full(len(t), 90.0), "power (kW)": np.full(len(t), 15.0)}
    ).to_parquet(tmp_path / "log.parquet")
    done = CliRunner().invoke(
        app, ["import", str(tmp_path / "log.parquet"), "--into", str(tmp_path / "p"), "--whole", "--legs", "L01"]
    )
    assert done.exit_code == 0, done.stderr
    trace = read_package(tmp_path / "p").traces["L01"]
    assert trace.speed_kmh == pytest.approx(np.full(700, 90.0)) and trace.power_kw == pytest.approx(np.full(700, 15.0))


def test_of_several_sheets_the_command_line_asks_which(tmp_path, abba):
    write_package(tmp_path / "p", abba)
    path = ods(tmp_path / "two.ods", {"One": ROWS, "Two": ROWS})
    done = CliRunner().invoke(app, ["import", str(path), "--into", str(tmp_path / "p")])
    assert done.exit_code == 2 and "2 sheets, One, Two; say which with --sheet" in done.stderr
    done = CliRunner().invoke(app, ["import", str(path), "--into", str(tmp_path / "p"), "--sheet", "Three"])
    assert done.exit_code == 2 and 'no sheet "Three"' in done.stderr
