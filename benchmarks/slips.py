"""One slip of the pen in an otherwise ordinary study: does it settle the wrong verdict? And is a study without one blocked?

    .venv/bin/python benchmarks/slips.py [studies] [seed]

One to four pairs, there and back, loops, any vehicle, complete and bare notes, several instruments; each study with one
slip: a digit doubled, dropped or swapped with the next, the decimal moved, another leg's reading, the last leg's once
more, a unit mistaken. Prints, by slip and by number of pairs: how often the verdict is settled and wrong (says more where
the truth is less or nothing, says nothing where it is more than what matters), and how often a doubt blocks; the same
studies without a slip last.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from truths.field import FieldDay, field_day
from truths.field.days import EVERYTHING

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Study
from fairmargin.core.units import read_consumption

SIZES = {"aero covers": -3.0, "tyres": 3.0, "payload": 4.0, "cargo": 10.0, "wheels": 3.0, "towing": 60.0}
ORDERS = ("AB", "BA", "ABBA", "ABAB", "ABBAAB", "ABBAABBA")
SLIPS = ("doubled", "dropped", "swapped", "decimal", "wrong leg", "repeated", "unit")
SETTLED = ("uses more", "uses less", "no difference that matters")


def made(seed: int) -> tuple[Study, float]:
    """A study of one to four pairs as testers note it; half of them without any effect."""
    rng = np.random.default_rng([seed, 77])
    kind = str(rng.choice(list(SIZES)))
    plan = FieldDay(
        kind=kind,
        effect_percent=0.0 if rng.random() < 0.5 else SIZES[kind],
        order=str(rng.choice(ORDERS)),
        method="out-and-back" if rng.random() < 0.7 else "loop",
        speed_kmh=float(rng.choice([80.0, 95.0, 110.0])),
        sort=str(rng.choice(["car", "city", "tall", "van"])),
        wind=str(rng.choice(["calm", "mixed"])),
        instrument=str(rng.choice(["average", "average", "energy", "soc"])),
        length_km=float(rng.choice([20.0, 40.0])),
        forget=EVERYTHING if rng.random() < 0.2 else frozenset(),
    )
    day = field_day(40_000 + seed, plan)
    return day.study, day.truth_percent


def digits(text: str, slip: str, rng: np.random.Generator) -> str:
    """A figure with a slip in its digits; the same where it has none to slip."""
    places = [i for i, sign in enumerate(text) if sign.isdigit()]
    at = int(rng.choice(places))
    if slip == "doubled":
        return text[: at + 1] + text[at:]
    if slip == "dropped":
        return text[:at] + text[at + 1 :]
    if slip == "swapped":
        if len(places) < 2:
            return text
        k = int(rng.integers(len(places) - 1))
        i, j = places[k], places[k + 1]
        return text[:i] + text[j] + text[i + 1 : j] + text[i] + text[j + 1 :]
    value = float(text) * (10.0 if rng.random() < 0.5 else 0.1)
    return f"{value:g}"


def slipped(study: Study, slip: str, rng: np.random.Generator) -> Study | None:
    """The study with one slip; None where this slip changes nothing or is refused when it is typed."""
    legs = [leg for leg in study.legs if leg.has_reading]
    k = int(rng.integers(len(legs)))
    leg = legs[k]
    field = "average_shown" if leg.average_shown is not None else "energy_kwh"
    if leg.soc_start_percent is not None:
        field = "soc_end_percent"
    value = getattr(leg, field)
    step = leg.average_step if field == "average_shown" else leg.energy_step_kwh
    if slip in {"wrong leg", "repeated"}:
        other = legs[k - 1] if slip == "repeated" else legs[int(rng.integers(len(legs)))]
        names = ("soc_start_percent", "soc_end_percent") if field.startswith("soc") else (field,)
        changes = {name: getattr(other, name) for name in names}
    elif slip == "unit":
        if field == "soc_end_percent":
            return None
        changes = {field: value * float(rng.choice([1.609344, 1 / 1.609344, 10.0, 0.1]))}
    else:
        text = f"{value:.{0 if not step or step >= 1 else 1 if step >= 0.1 else 2}f}"
        typed = digits(text, slip, rng).removesuffix(".")
        try:
            changes = {field: float(typed)}
        except ValueError:
            return None
        if field != "soc_end_percent":  # a display shows the digits that were typed
            name = "average_step" if field == "average_shown" else "energy_step_kwh"
            changes[name] = 10.0 ** -len(typed.partition(".")[2])
    try:
        if "average_shown" in changes and leg.average_unit:
            read_consumption(f"{changes['average_shown']} {leg.average_unit}", leg.average_unit)
        after = study.with_leg(leg.leg, **changes)
    except ValueError:
        return None  # refused where it is typed
    if field == "soc_end_percent" and slip not in {"wrong leg", "repeated"}:
        end = after.leg(leg.leg).soc_end_percent
        if end is None or (end >= (leg.soc_start_percent or 0.0) and leg.direction != "back"):
            return None
    return None if after == study else after


def wrong(verdict: str, truth: float, smallest: float) -> bool:
    """Whether a settled verdict says what is not so."""
    if verdict == "uses more":
        return truth <= 0
    if verdict == "uses less":
        return truth >= 0
    return verdict == "no difference that matters" and abs(truth) > smallest


def judged(study: Study, truth: float) -> tuple[bool, bool, bool]:
    """Whether it is settled, settled and wrong, and blocked."""
    found = analyse(study).comparisons
    if not found:
        return False, False, False
    c = found[0]
    doubt = any(x.code in {"reading-doubtful", "reading-unconfirmed"} and x.severity == "blocks" for x in c.concerns)
    return c.verdict in SETTLED, wrong(c.verdict, truth, study.smallest_effect_percent), doubt


def one(seed: int) -> tuple[str, int, str, tuple[bool, bool, bool] | None, tuple[bool, bool, bool]]:
    """One study with its slip, and without."""
    study, truth = made(seed)
    rng = np.random.default_rng([seed, 78])
    slip = SLIPS[seed % len(SLIPS)]
    other = slipped(study, slip, rng)
    pairs = len(study.order) // 2
    return slip, pairs, study.method, None if other is None else judged(other, truth), judged(study, truth)


def line(name: str, rows: Sequence[tuple[bool, bool, bool]]) -> str:
    """One row of the table."""
    n = max(len(rows), 1)
    settled, bad, blocked = (sum(r[i] for r in rows) for i in range(3))
    return f"| {name} | {len(rows)} | {settled / n:.1%} | {bad / n:.2%} | {blocked / n:.2%} |"


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    start = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        rows = list(pool.map(one, range(start, start + count), chunksize=10))
    print("| studies | n | settled | settled and wrong | a doubt blocks |\n|---|---|---|---|---|")
    for slip in SLIPS:
        print(line(slip, [r[3] for r in rows if r[0] == slip and r[3]]))
    for pairs in range(1, 5):
        for method in ("out-and-back", "loop"):
            print(line(f"{pairs} pair{'s' if pairs > 1 else ''}, {method}", [r[3] for r in rows if r[1] == pairs and r[2] == method and r[3]]))  # fmt: skip
    print(line("**with a slip**", [r[3] for r in rows if r[3]]))
    print(line("**without**", [r[4] for r in rows]))


if __name__ == "__main__":
    main()
