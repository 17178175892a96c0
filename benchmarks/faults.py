"""Kills and damage: how many acknowledged edits come back, and what a damaged file does.

Run: ``python benchmarks/faults.py [--kills 300] [--damaged 200] [--inputs 50000] [--attacks]``. Prints one table a kind. Kills are
real (SIGKILL of a process that edits, at a random moment, and at the worst one: between the synced journal and the
commit); damage is bit flips, lost sectors, truncations and swapped values in files that the application opens.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import textwrap
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from fairmargin.logbook import Logbook, LogbookDamaged, LogbookFault, StudyDamaged

WRITERS = {
    "edits": """
        book = Logbook.open(path); study = driven_study("ABBA"); key = book.add(study); say(-1)
        for i in range(100000):
            study = study.with_leg("L01", note=f"edit {i}"); book.save(key, study); say(i)
    """,
    "traces": """
        book = Logbook.open(path); study = driven_study("AB"); key = book.add(study); say(-1)
        for i in range(100000):
            t = np.arange(4000.0); trace = Trace(time_s=t, speed_kmh=np.full(4000, 80.0), power_kw=np.full(4000, float(i)))
            study = study.with_leg("L01", note=f"edit {i}"); book.save(key, study, traces={"L01": trace}); say(i)
    """,
    "creation": """
        say(-1); book = Logbook.open(path); say(0); key = book.add(driven_study("AB").with_leg("L01", note="edit 1")); say(1)
        time.sleep(1)
    """,
    "migration": """
        say(-1); book = Logbook.open(path); say(0); time.sleep(1)
    """,
    "hot journal": """
        book = Logbook.open(path); study = driven_study("ABBA").with_leg("L01", note="edit 0"); key = book.add(study); say(0)
        book.close(); c = sqlite3.connect(path); c.execute("PRAGMA cache_size = 1")
        c.execute("CREATE TABLE filler (x)"); c.executemany("INSERT INTO filler VALUES (?)", [("y" * 3000,)] * 40)
        c.execute("UPDATE study SET title = 'never committed', body = body || ' '")
        os.kill(os.getpid(), 9)
    """,
}
HEAD = """
    import os, sys, time, sqlite3, numpy as np
    from fairmargin.core.study import Trace
    from fairmargin.logbook import Logbook
    from tests.conftest import driven_study
    path = sys.argv[1]
    def say(i): print(i, flush=True)
"""
SAVED = Path(__file__).parent.parent / "tests" / "logbook" / "saved" / "schema-0001.fairmargin"


def one_kill(kind: str, folder: Path, dice: random.Random) -> str:
    path = folder / "book.fairmargin"
    if kind == "migration":
        shutil.copy(SAVED, path)
    script = textwrap.dedent(HEAD) + textwrap.dedent(WRITERS[kind])
    with subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, text=True) as process:
        first = process.stdout.readline()
        assert first, "the writer did not start"
        if kind != "hot journal":
            time.sleep(dice.uniform(0.0, 0.12 if kind in {"creation", "migration"} else 0.4))
            os.kill(process.pid, signal.SIGKILL)
        rest = [first, *process.stdout.read().split("\n")]
    told = max(int(x) for x in rest if x.strip().lstrip("-").isdigit())
    try:
        with Logbook.open(path) as book:
            if book.read_only:
                return "opened for reading only"
            entries = book.studies()
            if kind == "migration":
                study, traces = book.load(entries[0].id)
                good = len(entries) == 2 and study.title == "Wheel discs" and len(traces["L01"].time_s) == 40
                return "all back" if good else "LOST"
            if not entries:
                return "all back" if told < 1 and kind == "creation" else "LOST"
            note = book.load(entries[-1].id)[0].leg("L01").note
    except LogbookFault as fault:
        return f"REFUSED: {str(fault)[:60]}"
    number = int(note.split()[1]) if note else -1
    return "all back" if number in {told, told + 1} else f"LOST: told {told}, found {number}"


def kills(count: int) -> Counter[str]:
    dice = random.Random(11)
    table: Counter[str] = Counter()
    names = list(WRITERS)
    for i in range(count):
        kind = names[i % len(names)]
        with tempfile.TemporaryDirectory() as folder:
            table[f"{kind}: {one_kill(kind, Path(folder), dice)}"] += 1
    return table


# ---------------------------------------------------------------- damage


def a_book(path: Path) -> None:
    import numpy as np
    from tests.conftest import driven_study

    from fairmargin.core.study import Trace

    with Logbook.open(path) as book:
        for i in range(12):
            t = np.arange(900.0)
            traces = {
                leg: Trace(time_s=t, speed_kmh=np.full(900, 80.0), power_kw=12 + np.sin(t + i))
                for leg in ("L01", "L02")
            }
            study = driven_study("ABBA", title=f"Study {i}").with_leg("L02", note="a note " * 20)
            book.add(study, traces if i % 3 == 0 else None, f'{{"words": "not settled", "effect": {i}.5}}')


def state_of(book: Logbook) -> dict[int, object]:
    """Everything a window would show of each study; damage as words."""
    found: dict[int, object] = {}
    for entry in book.studies():
        if entry.damage:
            found[entry.id] = "told"
            continue
        try:
            record = book.read(entry.id)
        except StudyDamaged:
            found[entry.id] = "told"
            continue
        found[entry.id] = (
            entry.title,
            record.study,
            {k: {n: v.tobytes() for n, v in t.columns().items()} for k, t in record.traces.items()},
            "told" if record.damage else "",
            entry.summary,
        )
    return found


def damage(data: bytearray, kind: str, dice: random.Random) -> None:
    size = len(data)
    if kind == "bit flip":
        at = dice.randrange(100, size)
        data[at] ^= 1 << dice.randrange(8)
    elif kind == "ten bit flips":
        for _ in range(10):
            data[dice.randrange(size)] ^= 1 << dice.randrange(8)
    elif kind == "lost sector":
        at = dice.randrange(size // 512) * 512
        data[at : at + 512] = bytes(512)
    elif kind == "foreign sector":
        at = dice.randrange(size // 512) * 512
        data[at : at + 512] = dice.randbytes(512)
    elif kind == "truncated":
        del data[dice.randrange(size // 4, size) :]
    elif kind == "flip in a value":
        word = dice.choice([b"170.0", b"18.4", b"a note", b"Study", b"2026", b"not settled", b"L0", b'"A"'])
        places = [i for i in range(size) if data.startswith(word, i)]
        data[dice.choice(places) + dice.randrange(len(word))] ^= 1 << dice.randrange(7)


KINDS = ("bit flip", "ten bit flips", "lost sector", "foreign sector", "truncated", "flip in a value")


def one_damaged(good: bytes, truth: dict[int, object], kind: str, dice: random.Random, folder: Path) -> str:
    from fairmargin.logbook.rescue import rescue

    path = folder / "book.fairmargin"
    data = bytearray(good)
    damage(data, kind, dice)
    path.write_bytes(data)
    try:
        with Logbook.open(path) as book:
            found = state_of(book)
            told = list(book.healed)
    except LogbookDamaged:
        try:
            back = rescue(path, folder / "back.fairmargin")
        except LogbookFault:
            return "refused in words, nothing rescued"
        with Logbook.open(back.path) as book:
            now = {r[1].title: r for r in state_of(book).values()}
        for shown in now.values():
            for row in truth.values():
                if row[1].title == shown[1].title and row[1] != shown[1]:
                    return "SILENTLY CHANGED in what was rescued"
        return f"refused in words, {'all' if back.studies == len(truth) else 'some'} studies rescued"
    except LogbookFault:
        return "refused in words, nothing rescued"
    gone = set(truth) - set(found)
    if gone and not told:
        return "SILENTLY LOST a study"
    for key, shown in found.items():
        if shown == "told":
            continue
        was = truth.get(key)
        if was is None or shown[:2] != was[:2] or (shown[2] != was[2] and not shown[3]):
            return "SILENTLY CHANGED"
        if shown[4] not in {was[4], ""}:
            return "SILENTLY CHANGED in the list"
    if all(x == "told" for x in found.values()) and found:
        return "NO study open"
    doubts = sum(x == "told" or bool(x[3]) for x in found.values()) + len(told)
    return "told, all others open" if doubts else "nothing the reader sees was hit"


def damaged(count: int) -> Counter[str]:
    dice = random.Random(5)
    table: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a_book(folder / "good.fairmargin")
        good = (folder / "good.fairmargin").read_bytes()
        with Logbook.open(folder / "good.fairmargin") as book:
            truth = state_of(book)
        for i in range(count):
            kind = KINDS[i % len(KINDS)]
            inner = folder / str(i)
            inner.mkdir()
            try:
                said = one_damaged(good, truth, kind, dice, inner)
            except Exception as error:  # what the table is for
                said = f"UNCAUGHT {type(error).__name__}: {str(error)[:60]}"
            table[f"{kind}: {said}"] += 1
            shutil.rmtree(inner)
    return table


# ---------------------------------------------------------------- inputs of strangers

BIG = (
    "[" * 50,
    "]" * 50,
    '"',
    "\x00",
    "\ud800",
    "1e400",
    "-",
    "\n" * 40,
    "," * 700,
    ";",
    "9" * 400,
    "NaN",
    "\u202e",
    "'",
    "\t",
)


def seeds(folder: Path) -> dict[str, tuple[bytes, str]]:
    """One good input a reader, with the ending its file has."""
    import io

    import numpy as np
    import openpyxl
    from tests.conftest import driven_study

    from fairmargin.core.study import Trace
    from fairmargin.exchange.packages.writing import package_files, write_package

    t = np.arange(60.0)
    trace = Trace(time_s=t, speed_kmh=80 + np.sin(t), power_kw=12 + np.cos(t))
    study = driven_study("AB", events=())
    files = dict(package_files(study, {"L01": trace}))
    write_package(folder / "seed.zip", study, {"L01": trace})
    book = openpyxl.Workbook()
    for row in [["time", "speed"], *[[i, 80] for i in range(40)]]:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    log = "Zeit;Geschw [km/h];Leistung [W]\n" + "".join(f"09:00:{i:02d};80,{i};12000\n" for i in range(60))
    points = "".join(
        f'<trkpt lat="52.{i:03d}" lon="0.1"><ele>10</ele><time>2026-05-02T09:00:{i:02d}Z</time></trkpt>'
        for i in range(50)
    )
    gpx = f'<?xml version="1.0"?><gpx version="1.1"><trk><trkseg>{points}</trkseg></trk></gpx>'
    drive = (
        '{"format": "fairmargin-recording", "version": 1, "leg": "L01", "origin": "2026-05-02T09:00:00"}\n'
        + "".join(
            f'{{"t": {i}.0, "s": "gps", "v": {{"speed_kmh": 80.0, "latitude": 52.0, "longitude": 0.1}}}}\n'
            for i in range(40)
        )
    )
    return {
        "package zip": ((folder / "seed.zip").read_bytes(), "zip"),
        "study.json": (files["study.json"], "json"),
        "legs.csv": (files["legs.csv"], "csv"),
        "route.csv": (files["route.csv"], "csv"),
        "samples": (files["samples/L01.csv"], "csv"),
        "logger table": (log.encode(), "csv"),
        "track": (gpx.encode(), "gpx"),
        "workbook": (out.getvalue(), "xlsx"),
        "METAR": (b"METAR ZZZZ 020950Z 24008G18KT 9999 -RA 15/09 Q1016=\n" * 6, "txt"),
        "station": (b"time,temp,wind m/s,dir\n2026-05-02T09:00,15,3,240\n2026-05-02T09:10,15.1,3.2,250\n", "csv"),
        "receipts": (b"12:40 4.1 kWh home\n14:10 3,9 kWh\n", "txt"),
        "receipt table": (b"date,time,minutes,energy (MJ)\n02.05.2026,12:40,25,14\n03.05.2026,14:10,31,18\n", "csv"),
        "headers": (
            b"Date;Time;Air [K];QNH mmHg;Wind mi/h;Gust Bft;RH\n02/05/2026;9:40;288,1;760;10;4;0,55\n13/05/2026;9:50;288,2;760;11;4;0,56\n",
            "csv",
        ),
        "chargers": (b"at (mi);name;power [kW];price\n87;Mill Quay;150;0.45\n120 km Hythe 50 kW\n", "txt"),
        "forecast": (b"time,wind (kn),gust,from,temp F,rain\n9:00,8,15,SW,57,no\n10:00,9,17,SW,58,yes\n", "txt"),
        "pasted": (b"Date\tTime\tReading\tTrip time (h:mm)\n02.05.2026\t9:40\t15.4; 2.9 kWh\t0:12\n", "txt"),
        "recording": (drive.encode(), "drive"),
        "logbook": (SAVED.read_bytes(), "fairmargin"),
    }


def mutated(data: bytes, dice: random.Random) -> bytes:
    made = bytearray(data)
    for _ in range(dice.choice((1, 1, 2, 4, 12))):
        at = dice.randrange(len(made)) if made else 0
        kind = dice.randrange(7)
        if kind == 0 and made:
            made[at] = dice.randrange(256)
        elif kind == 1:
            del made[at : at + dice.choice((1, 3, 40, 400))]
        elif kind == 2:
            made[at:at] = dice.choice(BIG).encode("utf-8", "surrogatepass")
        elif kind == 3:
            made[at:at] = made[at : at + dice.choice((5, 60, 500))] * dice.choice((2, 30, 200))
        elif kind == 4:
            del made[at:]
        elif kind == 5:
            made[at:at] = bytes(dice.randrange(256) for _ in range(8))
        else:
            text = dice.choice((b'"', b",", b"\n", b"{", b"}", b":", b"-", b".", b"0"))
            made[at : at + 1] = text * dice.choice((1, 2, 5000))
    return bytes(made)


def read_as(kind: str, path: Path, folder: Path) -> None:
    """Read one input as the application would."""
    from datetime import datetime

    from tests.conftest import driven_study

    from fairmargin.core.analysis import analyse
    from fairmargin.core.units import UNIT_CHOICES
    from fairmargin.exchange.files.kinds import read_workbook, recognise
    from fairmargin.exchange.logs.loggers import preview, read_log
    from fairmargin.exchange.logs.tracks import read_track
    from fairmargin.exchange.meteorology.forecasts import read_hours
    from fairmargin.exchange.meteorology.stations import read_weather
    from fairmargin.exchange.packages.reading import read_package, read_route
    from fairmargin.exchange.packages.samples import read_trace
    from fairmargin.exchange.tables.chargers import read_chargers
    from fairmargin.exchange.tables.pasted import apply_cells, read_cells
    from fairmargin.exchange.tables.receipts import read_receipts
    from fairmargin.instruments.recording import read_recording

    now = datetime(2026, 5, 2, 10, 0)
    if kind == "logbook":
        with Logbook.open(path) as book:
            state_of(book)
        return
    if kind in {"study.json", "legs.csv"}:
        shutil.copy(path, folder / "package" / kind)
        package = read_package(folder / "package")
        analyse(package.study, package.traces)
        return
    if kind not in {"chargers", "forecast", "pasted"}:  # typed or pasted, never a file that is looked at first
        recognise(path)
    if kind == "package zip":
        read_package(path)
    elif kind == "route.csv":
        read_route(path)
    elif kind == "samples":
        read_trace(path.read_bytes(), "samples/L01.csv", [])
    elif kind == "logger table":
        read_log(path, preview(path).profile)
    elif kind == "track":
        read_track(path)
    elif kind == "workbook":
        read_workbook(path)
    elif kind == "recording":
        read_recording(path)
    elif kind in {"receipts", "receipt table"}:
        read_receipts(path.read_text("utf-8", "replace"), now)
    elif kind == "chargers":
        read_chargers(path.read_text("utf-8", "replace"), 420.0)
    elif kind == "forecast":
        read_hours(path.read_text("utf-8", "replace"), now)
    elif kind == "pasted":
        pasted = read_cells(path.read_text("utf-8", "replace"))
        apply_cells(driven_study("AB"), pasted, pasted.roles, UNIT_CHOICES["metric"], "L01", now)
    else:
        read_weather(path.read_text("utf-8", "replace"), now)


def strangers(count: int) -> Counter[str]:
    import resource
    import warnings

    from fairmargin.core.units import UnitError
    from fairmargin.core.units.dates import UndecidedDates
    from fairmargin.exchange.files.faults import InvalidInput

    warnings.simplefilter("ignore")
    dice = random.Random(17)
    table: Counter[str] = Counter()
    slowest: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        good = seeds(folder)
        for i in range(count):
            kind = list(good)[i % len(good)]
            data, ending = good[kind]
            if kind in {"study.json", "legs.csv"}:
                (folder / "package").mkdir(exist_ok=True)
                for other in ("study.json", "legs.csv"):
                    (folder / "package" / other).write_bytes(good[other][0])
            path = folder / f"input.{ending}"
            for left in folder.glob("input.*"):
                shutil.rmtree(left) if left.is_dir() else left.unlink()
            data = mutated(data, dice)
            path.write_bytes(data)
            begin = time.perf_counter()
            try:
                read_as(kind, path, folder)
                said = "read"
            except (InvalidInput, LogbookFault):
                said = "refused in words"
            except ValueError as error:
                plain = kind in {
                    "METAR", "station", "receipts", "receipt table", "headers", "chargers", "forecast", "pasted", "study.json",
                    "legs.csv",
                }  # fmt: skip
                said = (
                    "refused in words"
                    if plain and type(error) in {ValueError, UnitError, UndecidedDates}
                    else f"UNCAUGHT {type(error).__name__}: {str(error)[:70]}"
                )
            except Exception as error:  # what the table is for
                said = f"UNCAUGHT {type(error).__name__}: {str(error)[:70]}"
                (Path(tempfile.gettempdir()) / f"uncaught-{kind.replace(' ', '-')}-{i}").write_bytes(data)
            slowest[kind] = max(slowest.get(kind, 0.0), time.perf_counter() - begin)
            table[f"{kind}: {said}"] += 1
    for kind, seconds in slowest.items():
        table[f"{kind}: slowest {seconds:.2f} s"] += 0
    table[f"memory at most {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB"] += 0
    return table


# ---------------------------------------------------------------- attacks: small files that are a lot of work


def an_attack(name: str, folder: Path) -> Path:
    """A file made to kill, stall or fill whatever reads it."""
    import zipfile

    from tests.conftest import driven_study

    from fairmargin.exchange.packages.writing import package_files

    path = folder / name
    if name == "deep.gpx":
        inner = "<a>" * 150_000 + "</a>" * 150_000
        path.write_text(f'<?xml version="1.0"?><gpx version="1.1"><extensions>{inner}</extensions></gpx>')
    elif name == "notes.zip":
        files = dict(package_files(driven_study("AB"), {}))
        files["study.json"] = files["study.json"].replace(b'"notes": ""', b'"notes": "' + b"a" * (30 << 20) + b'"', 1)
        assert len(files["study.json"]) > 1 << 20
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for member, data in files.items():
                archive.writestr(member, data)
    elif name == "samples.zip":
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for member, data in package_files(driven_study("AB"), {}):
                archive.writestr(member, data)
            rows = "".join(f"{i}.0,80.123456,12.345678\n" for i in range(7_000_000)).encode()
            for leg in ("L01", "L02"):
                archive.writestr(f"samples/{leg}.csv", b"time_s,speed_kmh,power_kw\n" + rows)
    elif name == "legs":
        path.mkdir()
        files = dict(package_files(driven_study("AB"), {}))
        head, first, *_ = files["legs.csv"].decode().splitlines()
        many = [first.replace("L01", f"M{i}").replace("R1", f"Q{i}") for i in range(5000)]
        (path / "study.json").write_bytes(files["study.json"])
        (path / "legs.csv").write_text("\n".join([head, *many]))
    elif name == "sparse.xlsx":
        import openpyxl

        book = openpyxl.Workbook()
        for row in range(1, 1_048_576, 4096):
            book.active.cell(row=row, column=16_000, value=1)
        book.save(path)
    elif name == "deep.xlsx":
        import openpyxl

        book = openpyxl.Workbook()
        book.active["A1"] = 1
        book.save(folder / "plain.xlsx")
        with zipfile.ZipFile(folder / "plain.xlsx") as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
            for info in old.infolist():
                data = old.read(info)
                if info.filename.endswith("sheet1.xml"):
                    data = data.replace(b"<sheetData>", b"<sheetData>" + b"<x>" * 400_000 + b"</x>" * 400_000)
                new.writestr(info, data)
    elif name == "chargers.txt":
        path.write_text("140 km" + " " * 160 + "x\n" + "140" + "," * 160 + "x\n" + "1" * 40_000 + " " * 40_000 + "x")
    else:
        path.write_text("12:40 " + "4" * 100_000 + "\n" + "9:00," * 100_000)
    return path


ATTACKS = ("deep.gpx", "notes.zip", "samples.zip", "legs", "sparse.xlsx", "deep.xlsx", "chargers.txt", "receipts.txt")


def attacked(name: str, path: str) -> None:
    """Read one attack, in a process of its own, as the application would; prints what was said, time and memory."""
    from fairmargin.core.analysis import analyse
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import read_package

    kind = {
        "deep.gpx": "track",
        "sparse.xlsx": "workbook",
        "deep.xlsx": "workbook",
        "chargers.txt": "chargers",
        "receipts.txt": "receipts",
    }
    begin = time.perf_counter()
    try:
        if name in kind:
            read_as(kind[name], Path(path), Path(path).parent)
        else:
            package = read_package(path)
            analyse(package.study, package.traces)
        said = "read"
    except (InvalidInput, ValueError) as error:
        said = f"refused: {str(error).splitlines()[0][-90:]}"
    taken = time.perf_counter() - begin
    # Not `ru_maxrss`, which a process begins with from the one that started it.
    most = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM"))
    print(f"{name}: {taken:.1f} s, {int(most.split()[1]) / 1024:.0f} MB, {said}")


def attacks() -> Counter[str]:
    """Every attack in a process of its own."""
    table: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as name:
        for attack in ATTACKS:
            path = an_attack(attack, Path(name))
            done = subprocess.run(
                [sys.executable, __file__, "--attacked", attack, str(path)],
                capture_output=True,
                text=True,
                timeout=300,
                check=False,
            )
            table[(done.stdout.strip() or f"{attack}: died with {done.returncode}: {done.stderr.strip()[-120:]}")] += 1
    return table


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--attacks", action="store_true", help="only the attacks")
    parser.add_argument("--attacked", nargs=2)
    parser.add_argument("--kills", type=int, default=300)
    parser.add_argument("--damaged", type=int, default=204)
    parser.add_argument("--inputs", type=int, default=50_000)
    given = parser.parse_args()
    sys.stdout.reconfigure(line_buffering=True)
    if given.attacked:
        attacked(*given.attacked)
        return
    if given.attacks:
        for words in attacks():
            print(f"  {words}")
        return
    for title, table in (
        (f"{given.kills} kills", kills(given.kills)),
        (f"{given.damaged} damaged files", damaged(given.damaged)),
        (f"{given.inputs} inputs of strangers", strangers(given.inputs)),
        ("attacks", attacks()),  # last: making them takes memory
    ):
        print(title)
        for words, count in sorted(table.items()):
            print(f"  {count:5d}  {words}")


if __name__ == "__main__":
    main()
