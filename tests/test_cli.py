"""The command line: words, faults, statuses; some of it as its users call it, in a real process."""

import json
import subprocess
import sys

import pytest
from typer.testing import CliRunner

from fairmargin import __version__
from fairmargin.cli import app
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package
from tests.conftest import driven_study


class Done:
    """What a command said."""

    def __init__(self, result):
        self.returncode, self.stdout, self.stderr = result.exit_code, result.stdout, result.stderr


def run(*arguments):
    """A command in this process: the same words and statuses, without a second of starting up."""
    return Done(CliRunner().invoke(app, [str(a) for a in arguments]))


def process(*arguments, **environment):
    """A command as its users call it: a process of its own."""
    import os

    return subprocess.run(
        [sys.executable, "-m", "fairmargin.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        env={**os.environ, **environment},
        check=False,
    )


def test_version_and_convert():
    assert process("--version").stdout.strip() == f"fairmargin {__version__}"
    assert float(run("convert", "3.4", "mi/kWh", "Wh/km").stdout) == pytest.approx(182.756, abs=0.001)
    bad = run("convert", "3.4", "mi/kWh", "bananas")
    assert bad.returncode == 2 and "not a consumption unit" in bad.stderr and not bad.stdout


def test_analyse_json_is_one_line_per_package_in_order(tmp_path):
    for name, effect in (("b", 0.95), ("a", 1.1)):
        write_package(tmp_path / name, driven_study("ABBA", effect=effect, title=name))
    (tmp_path / "broken").mkdir()
    (tmp_path / "broken" / "study.json").write_text("{")
    (tmp_path / "broken" / "legs.csv").write_text("leg,configuration\n")
    out = run("analyse", tmp_path / "b", tmp_path / "broken", tmp_path / "a", "--json")
    assert out.returncode == 2
    lines = [json.loads(line) for line in out.stdout.splitlines()]
    assert [x["title"] for x in lines] == ["b", "a"]
    assert out.stderr.count("\n") == 1 and "study.json, row 1, column 2" in out.stderr and "Traceback" not in out.stderr
    comparison = lines[0]["comparisons"][0]
    assert set(comparison) >= {
        "baseline", "trial", "speed_kmh", "sector", "as_measured_percent", "effect_percent", "interval_percent",
        "confidence", "baseline_wh_per_km", "trial_wh_per_km", "verdict", "pairs", "pairs_needed", "range_change_percent",
    }  # fmt: skip
    assert comparison["as_measured_percent"] == pytest.approx(-5.0, abs=0.001)
    leg = lines[0]["legs"][0]
    assert leg["corrected_wh_per_km"] == pytest.approx(
        leg["measured_wh_per_km"] + sum(leg["corrections_wh_per_km"].values()), abs=0.01
    )
    assert set(leg["corrections_wh_per_km"]) >= {
        "speed",
        "elevation",
        "wind",
        "air_density",
        "tyre_temperature",
        "climate",
    }


def test_readable_summary_and_views(tmp_path):
    write_package(tmp_path / "p.zip", driven_study("ABBA"))
    out = run("analyse", tmp_path / "p.zip", "--view", "as-measured")
    assert out.returncode == 0 and "of baseline consumption" in out.stdout
    assert run("analyse", tmp_path / "p.zip", "--view", "x").returncode == 2


def test_simulate_analyse_report_chain(tmp_path):
    assert (
        process("simulate", tmp_path / "s", "--seed", 7, "--kind", "tyres", "--effect", "6", "--samples").returncode
        == 0
    )
    truth = json.loads((tmp_path / "s" / "truth.json").read_text())
    assert truth["effect_percent"] == pytest.approx(6.0, abs=0.01)
    result = json.loads(run("analyse", tmp_path / "s", "--json").stdout)
    low, high = result["comparisons"][0]["interval_percent"]
    assert low - 2 < 6 < high + 2
    assert run("report", tmp_path / "s", tmp_path / "r.html").returncode == 0
    bad = run("report", tmp_path / "s", tmp_path / "r.doc")
    assert bad.returncode == 2 and ".html or .pdf" in bad.stderr
    assert run("simulate", tmp_path / "t", "--seed", 7, "--kind", "magic").returncode == 2


def test_nothing_but_the_window_imports_qt(tmp_path):
    write_package(tmp_path / "p", driven_study("AB"))
    script = (
        "import sys\n"
        "class Block:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in {'PySide6', 'pyqtgraph', 'shiboken6'}: raise ImportError('Qt is not here: ' + name)\n"
        "sys.meta_path.insert(0, Block())\n"
        f"sys.argv = ['fairmargin', 'analyse', {str(tmp_path / 'p')!r}]\n"
        "import fairmargin.cli, fairmargin.core.analysis, fairmargin.exchange.reports.writing, fairmargin.demo.studies\n"
        "fairmargin.cli.main()\n"
    )
    out = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert out.returncode == 0, out.stderr
    assert "Trial against Baseline" in out.stdout


def test_without_a_display_it_says_so():
    out = process(DISPLAY="", WAYLAND_DISPLAY="", QT_QPA_PLATFORM="")
    assert out.returncode == 2
    assert "no display here" in out.stderr and "xvfb-run" in out.stderr


def test_plan_compares_designs_and_lays_out_the_day(tmp_path):
    write_package(tmp_path / "p", driven_study("ABBA"))
    out = run("plan", tmp_path / "p", "--days", "10", "--ics", tmp_path / "day.ics")
    assert out.returncode == 0 and not out.stderr
    assert "ABBA" in out.stdout and "pairs needed" in out.stdout and "Warm-up drive" in out.stdout
    assert (tmp_path / "day.ics").read_bytes().startswith(b"BEGIN:VCALENDAR")
    made = json.loads(run("plan", tmp_path / "p", "--days", "10", "--json").stdout)
    assert {d["order"] for d in made["designs"]} == {"ABBA", "BAAB", "ABAB", "AABB", "random"}
    assert sum(d["recommended"] for d in made["designs"]) == 1
    assert [s["run"] for s in made["timetable"] if s["kind"] == "run"] == ["R1", "R2", "R3", "R4"]


def test_plan_refuses_in_words(tmp_path):
    out = run("plan", tmp_path / "none")
    assert out.returncode == 2 and "no such file" in out.stderr
    write_package(tmp_path / "p", driven_study("AB"))
    out = run("plan", tmp_path / "p", "--runs", "3")
    assert out.returncode == 2 and "even number" in out.stderr
    write_package(tmp_path / "weeks", driven_study("AB").with_(method="everyday"))
    out = run("plan", tmp_path / "weeks")
    assert out.returncode == 2 and "everyday has no order of runs" in out.stderr


def test_analyse_takes_the_testers_scatter_from_a_logbook(tmp_path):
    from fairmargin.demo import make_demo_logbook

    make_demo_logbook(tmp_path / "book.fairmargin")
    write_package(tmp_path / "p", driven_study("AB"))
    common = json.loads(run("analyse", tmp_path / "p", "--json").stdout)["comparisons"][0]
    own = json.loads(run("analyse", tmp_path / "p", "--json", "--logbook", tmp_path / "book.fairmargin").stdout)[
        "comparisons"
    ][0]
    assert own["interval_percent"] != common["interval_percent"]
    missing = run("analyse", tmp_path / "p", "--logbook", tmp_path / "none")
    assert missing.returncode == 2 and "none" in missing.stderr


def test_a_loggers_file_becomes_samples_of_a_package(tmp_path):
    bare = driven_study("AB", method="one-way")
    empty = dict.fromkeys(("average_shown", "average_unit", "average_step", "distance_km", "duration_s"))
    write_package(tmp_path / "p", bare.with_legs(leg.with_(**empty) for leg in bare.legs))
    rows = ["Zeit;Geschwindigkeit [km/h];Leistung [kW]"]
    for i in range(1800):
        standing = 760 < i < 1000
        rows.append(f"{i};{0 if standing else 90},0;{0 if standing else 15 if i < 800 else 14},0")
    (tmp_path / "log.csv").write_text("\n".join(rows))
    home = {"XDG_CONFIG_HOME": str(tmp_path / "config")}
    seen = process("import", tmp_path / "log.csv", "--into", tmp_path / "p", "--preview", **home)
    assert "Leistung [kW]: power, kW" in seen.stdout
    done = process("import", tmp_path / "log.csv", "--into", tmp_path / "p", "--profile", "van", **home)
    assert done.returncode == 0, done.stderr
    assert "L01: 0 to 760 s, 761 samples" in done.stdout and "L02: 1000 to 1799 s" in done.stdout
    result = json.loads(process("analyse", tmp_path / "p", "--json").stdout)["comparisons"][0]
    assert result["as_measured_percent"] == pytest.approx((14 / 15 - 1) * 100, abs=0.05)
    again = process(
        "import", tmp_path / "log.csv", "--into", tmp_path / "p", "--profile", "van", "--legs", "L01,L02", **home
    )
    assert again.returncode == 2 and "nothing is overwritten" in again.stderr
    assert "van" in (tmp_path / "config" / "fairmargin" / "profiles.json").read_text()


def test_a_study_of_a_logbook_is_exported(tmp_path):
    from fairmargin.exchange.packages.reading import read_package
    from fairmargin.logbook.store import Logbook

    with Logbook.open(tmp_path / "b.fairmargin") as book:
        book.add(driven_study("AB", title="One"))
        book.add(driven_study("ABBA", title="Two"))
    assert run("export", tmp_path / "b.fairmargin", "Two", tmp_path / "two.zip").returncode == 0
    assert read_package(tmp_path / "two.zip").study.title == "Two"
    assert run("export", tmp_path / "b.fairmargin", "1", tmp_path / "one").returncode == 0
    assert read_package(tmp_path / "one").study.title == "One"
    missing = run("export", tmp_path / "b.fairmargin", "Three", tmp_path / "x")
    assert missing.returncode == 2 and "1: One; 2: Two" in missing.stderr


def test_weather_is_imported_and_what_is_there_stays(tmp_path, abba):
    package = tmp_path / "p"
    write_package(package, abba, {})
    reports = tmp_path / "metar.txt"
    reports.write_text("METAR ZZZZ 020950Z 24008KT 9999 15/09 Q1016\nMETAR ZZZZ 021050Z 25009KT 9999 15/09 Q1016\n")
    assert run("import", reports, "--into", package, "--preview").returncode == 0
    assert read_package(package).study.weather == ()
    assert "2 new reports, 0 there already" in run("import", reports, "--into", package).stdout
    assert "0 new reports, 2 there already" in run("import", reports, "--into", package).stdout
    assert len(read_package(package).study.weather) == 2


def test_an_unknown_cut_or_file_is_one_line(tmp_path, abba):
    package = tmp_path / "p"
    write_package(package, abba, {})
    log = tmp_path / "l.csv"
    log.write_text("time,speed\n0,90\n1,90\n")
    bad = run("import", log, "--into", package, "--cut", "corners")
    assert bad.returncode == 2 and "expected stops, gates, coasts or whole" in bad.stderr
    gone = run("import", tmp_path / "no.csv", "--into", package)
    assert gone.returncode == 2 and "cannot be read" in gone.stderr and "Traceback" not in gone.stderr


def test_a_command_and_the_window_share_a_logbook(tmp_path):
    """While a window saves, a command reads whole states; it neither blocks nor spoils the saves."""
    from fairmargin.logbook import Logbook

    path = tmp_path / "book.fairmargin"
    study = driven_study("AB")
    with Logbook.open(path) as book:
        number = book.add(study)
        for i in range(2):
            study = study.with_leg("L01", note=f"edit {i}")
            book.save(number, study)
            out = tmp_path / f"out{i}"
            done = process("export", path, "A study", out)
            assert done.returncode == 0, done.stderr
            assert read_package(out).study == study
            said = run(
                "practise",
                "1",
                "--verdict",
                "not settled",
                "--flaw",
                "none",
                "--low",
                "-3",
                "--high",
                "3",
                "--logbook",
                path,
            )
            assert said.returncode == 2 or book.practice()  # kept, or refused in words: never lost in silence
        assert book.read(number).study == study
    assert process("export", path, "A study", tmp_path / "last").returncode == 0


def test_a_report_from_the_command_line_wants_no_toolkit(tmp_path):
    """Its type and colours are those of the window, and the window is not needed for them."""
    write_package(tmp_path / "study", driven_study("AB"))
    script = (
        "import sys; from fairmargin.cli import app\n"
        f"try: app(['report', {str(tmp_path / 'study')!r}, {str(tmp_path / 'report.html')!r}])\n"
        "except SystemExit as end: assert not end.code, end.code\n"
        "assert not [m for m in sys.modules if m.startswith(('PySide6', 'fairmargin.desktop'))]"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert (
        "Atkinson" in (tmp_path / "report.html").read_text() or "@font-face" in (tmp_path / "report.html").read_text()
    )


def test_sensitivity_is_worked_out_when_it_is_asked_for(tmp_path):
    write_package(tmp_path / "s", driven_study("ABBA", effect=0.9))
    plain = json.loads(run("analyse", "--json", tmp_path / "s").stdout)["comparisons"][0]
    asked = json.loads(run("analyse", "--json", "--sensitivity", tmp_path / "s").stdout)["comparisons"][0]
    assert "sensitivity" not in plain
    rows = asked.pop("sensitivity")
    assert asked == plain and len(rows) > 90
    assert set(rows[0]) == {"prior", "change", "effect_percent", "interval_percent", "verdict"}
    assert all(r["interval_percent"][0] < r["effect_percent"] < r["interval_percent"][1] for r in rows)
    words = run("analyse", "--sensitivity", tmp_path / "s").stdout
    assert f"stands under all {len(rows)} changes of what is believed beforehand" in words


def zipped(tmp_path, **more):
    write_package(tmp_path / "s.zip", driven_study("ABBA", effect=0.95, **more))
    return tmp_path / "s.zip"


def test_quantities_are_said_in_the_units_asked_for(tmp_path):
    """90 km/h are 56 mph, and 1 Wh/km is 1.609 Wh/mi: the figures of both sides, in the order of their names."""
    path = zipped(tmp_path)
    metric, us = run("analyse", path).stdout, run("analyse", path, "--units", "us").stdout
    assert "90 km/h" in metric and "56 mph" in us and "km" not in us.replace("fairmargin", "")
    c = json.loads(run("analyse", path, "--json").stdout)["comparisons"][0]
    trial, base = c["trial_wh_per_km"], c["baseline_wh_per_km"]
    names = [x.label for x in read_package(path).study.configurations]
    assert f"{names[1]} {trial:.0f}, {names[0]} {base:.0f} Wh/km" in metric
    line = next(x for x in us.splitlines() if "Wh/mi" in x)
    figures = [float(w.strip(",")) for w in line.replace(";", " ").split() if w.strip(",").replace(".", "").isdigit()]
    assert figures[:2] == pytest.approx([trial * 1.609344, base * 1.609344], abs=0.6)
    for command in (("range", path), ("plan", path, "--days", "5"), ("practise", "8")):
        told = run(*command, "--units", "us")
        assert told.returncode == 0, told.stderr
        assert "km/h" not in told.stdout and "°C" not in told.stdout, (command, told.stdout)
    bad = run("analyse", path, "--units", "furlongs")
    assert bad.returncode == 2 and "furlongs" in bad.stderr and "metric-wh" in bad.stderr
    assert "90 km/h" in run("analyse", path).stdout, "the next command has its own again"


def test_a_package_on_standard_input(tmp_path):
    path = zipped(tmp_path)
    done = subprocess.run(
        [sys.executable, "-m", "fairmargin.cli", "analyse", "-", "--json"],
        input=path.read_bytes(), capture_output=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    piped, plain = json.loads(done.stdout), json.loads(run("analyse", path, "--json").stdout)
    assert piped["comparisons"] == plain["comparisons"]


def test_a_mistyped_word_and_a_logbook_are_told_apart_from_files(tmp_path):
    done = process("analize", tmp_path / "x")
    assert done.returncode == 2 and "Did you mean 'analyse'?" in done.stderr
    alone = process("analize")  # alone too: no window opens on it
    assert alone.returncode == 2 and "No such command 'analize'" in alone.stderr
    from fairmargin.logbook import Logbook

    Logbook.open(tmp_path / "book.fairmargin").close()
    told = run("analyse", tmp_path / "book.fairmargin")
    assert told.returncode == 2 and "a logbook; export a study of it first: fairmargin export" in told.stderr


def test_a_reader_that_leaves_early_is_no_fault(tmp_path):
    path = zipped(tmp_path)
    line = f"{sys.executable} -m fairmargin.cli analyse {' '.join([str(path)] * 4)} | head -c 1"
    done = subprocess.run(["bash", "-c", line], capture_output=True, text=True, check=False)
    assert "Traceback" not in done.stderr and "BrokenPipe" not in done.stderr


def test_many_packages_are_said_as_each_alone_and_in_their_order(tmp_path):
    """On every core, faults between them."""
    paths = []
    for seed in range(5):
        paths.append(tmp_path / f"p{seed}")
        write_package(paths[-1], driven_study("ABBA", effect=0.9 + 0.02 * seed))
    paths.insert(2, tmp_path / "nothing there")
    together = process("analyse", "--json", *paths)
    assert together.returncode == 2
    lines = together.stdout.splitlines()
    assert [json.loads(line)["path"] for line in lines] == [str(p) for i, p in enumerate(paths) if i != 2]
    assert len(together.stderr.splitlines()) == 1 and "nothing there" in together.stderr
    alone = [
        line for i, p in enumerate(paths) if i != 2 for line in process("analyse", "--json", p).stdout.splitlines()
    ]
    assert alone == lines
    assert process("analyse", *paths[3:], *paths[:2]).returncode == 0
