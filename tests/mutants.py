"""One-line mutants of rules that no test may let live: each is put into a copy of the tree and must fail its tests.

Run: ``make mutants``. A mutant is a file, a text of it that stands there once, what stands there instead, and the tests
that are to notice. Survivors are listed, and end the run with status 1.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE, BOOK = "src/fairmargin/core", "src/fairmargin/logbook"

MUTANTS: tuple[tuple[str, str, str, str], ...] = (
    # the logbook's promises
    (f"{BOOK}/files.py", "PRAGMA synchronous = EXTRA", "PRAGMA synchronous = OFF", "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", 'if found != "ok":', 'if found == "":', "tests/logbook/test_damage.py"),
    (f"{BOOK}/opening.py", 'copies.keep(path, f"before {schema.HEAD}")', "pass", "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", 'connect(opened.database, "rw" if writable else "ro")', 'connect(opened.database, "ro")', "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", "if earlier or (because and _hot(path) and because != OTHER_WINDOW):", "if earlier:", "tests/logbook/test_opening.py"),
    (f"{BOOK}/store.py", 'return _parsed(row["body"]) if row["body_check"] == check_of(row["body"]) else None', 'return _parsed(row["body"])', "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", 'if row["row_check"] == row_check(row):\n                entry = _entry(row)', "if True:\n                entry = _entry(row)", "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", 'raise ValueError("not what was written")', "pass", "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", "there < written:", "there > written:", "tests/logbook/test_damage.py"),
    (f"{BOOK}/copies.py", "if why == DAILY and not is_whole(copied):", "if False:", "tests/logbook/test_copies.py"),
    (f"{BOOK}/copies.py", "journal_of(path).unlink(missing_ok=True)", "pass", "tests/logbook/test_copies.py"),
    # rules of the trade
    (f"{CORE}/evidence/conditions.py", "((gust or 0.0) - sustained) / 3.0", "0.0", "tests/core/evidence/test_conditions.py"),
    (f"{CORE}/evidence/conditions.py", "math.exp(-pause / 3600.0)", "1.0", "tests/core/evidence/test_conditions.py"),
    (f"{CORE}/evidence/conditions.py", "second + (leg.duration_s or 0.0) / 2, offset", "second, offset", "tests/core/fairness/test_recordings.py"),
    (f"{CORE}/evidence/conditions.py", "date != last", "True", "tests/core/fairness/test_recordings.py"),
    (f"{CORE}/planning/load.py", "train = load.vehicle_kg + aboard_kg(load) + load.trailer_kg", "train = load.vehicle_kg + aboard_kg(load) + load.trailer_kg + (_nose(load) or 0.0)", "tests/core/planning/test_load.py"),
    (f"{CORE}/evidence/readings.py", "                wh_per_km * shown_km,", "                wh_per_km * shown_km / (1.0 + (study.vehicle.distance_error_percent or 0.0) / 100.0),", "tests/core/evidence/test_conditions.py"),
    (f"{CORE}/fairness/recordings.py", "forward < -FORWARD_SHARE", "forward > FORWARD_SHARE", "tests/core/fairness/test_recordings.py"),
    (f"{CORE}/fairness/recordings.py", "over > OVERLAP_S", "over < OVERLAP_S", "tests/core/fairness/test_recordings.py"),
    # what comes from outside
    ("src/fairmargin/exchange/frames.py", "if any(cell.strip() for cell in row[len(header) :]):", "if False:", "tests/exchange/test_strangers.py"),
    ("src/fairmargin/exchange/budget.py", "if size > limit:\n                        raise", "if False:\n                        raise", "tests/exchange/test_strangers.py"),
    ("src/fairmargin/exchange/plain.py", "return f\"'{text}\" if _FORMULA.match(text) else text", "return text", "tests/exchange/test_strangers.py"),
    ("src/fairmargin/core/units.py", "base = unit_of(quantity, number.rest).to_base(number.value)", "base = unit_of(quantity, unit).to_base(number.value)", "tests/desktop/test_units_typed.py"),
)  # fmt: skip


def lives(file: str, old: str, new: str, tests: str) -> bool:
    """Whether the tests pass with the mutant in place."""
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder)
        for name in ("src", "tests", "pyproject.toml"):
            source = ROOT / name
            if source.is_dir():
                shutil.copytree(source, tree / name, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(source, tree / name)
        target = tree / file
        text = target.read_text(encoding="utf-8")
        if text.count(old) != 1:
            raise SystemExit(f"{file}: {old!r} stands there {text.count(old)} times; expected once")
        target.write_text(text.replace(old, new), encoding="utf-8")
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", tests],
            cwd=tree,
            env={
                "PATH": "/usr/bin:/bin",
                "PYTHONPATH": f"{tree / 'src'}:{tree}",
                "QT_QPA_PLATFORM": "offscreen",
            },
            capture_output=True,
            check=False,
        )
        return done.returncode == 0


def main() -> None:
    """Try every mutant and list the survivors."""
    for tests in dict.fromkeys(m[3] for m in MUTANTS):  # a test that fails without a mutant kills nothing
        if not lives(MUTANTS[0][0], MUTANTS[0][1], MUTANTS[0][1], tests):
            raise SystemExit(f"{tests}: fails without any mutant")
    alive = []
    for mutant in MUTANTS:
        survived = lives(*mutant)
        print("LIVES " if survived else "killed", mutant[0], "|", mutant[1].splitlines()[0][:90], flush=True)
        if survived:
            alive.append(mutant)
    print(f"{len(MUTANTS) - len(alive)} of {len(MUTANTS)} killed")
    sys.exit(bool(alive))


if __name__ == "__main__":
    main()
