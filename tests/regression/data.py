"""A regression data set: what the analysis said of some sixty studies. It is no truth, only what was said before.

``studies.zip`` holds the packages (made once by the simulator and the demo, and by hand where the simulator has no such
method); ``results.json`` the numbers. A change of the heart shows here in every figure that it moves. Run
``make regression WHY="..."`` to take new numbers; the reason goes into ``WHY.md``.
"""

from __future__ import annotations

import io
import json
import math
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent.parent))
STUDIES, RESULTS, REASONS = HERE / "studies.zip", HERE / "results.json", HERE / "WHY.md"


def packages() -> Iterator[tuple[str, Any]]:
    """Yield name and package of every study of the set."""
    from fairmargin.exchange.packages.reading import read_package

    with zipfile.ZipFile(STUDIES) as archive, tempfile.TemporaryDirectory() as folder:
        for name in sorted(archive.namelist()):
            path = Path(folder) / name
            path.write_bytes(archive.read(name))
            yield name.removesuffix(".zip"), read_package(path)


def numbers_of(result: Any) -> dict[str, float | str | None]:
    """Every figure of an analysis, by where it stands."""
    from fairmargin.core.units import plain

    found: dict[str, float | str | None] = {"missing": result.missing}
    for i, c in enumerate(result.comparisons):
        at = f"comparison {i}, {c.trial} at {c.speed_kmh:g}"
        found |= {
            f"{at}: as measured": c.as_measured_percent,
            f"{at}: effect": c.effect_percent,
            f"{at}: low": c.interval_percent[0],
            f"{at}: high": c.interval_percent[1],
            f"{at}: baseline": c.baseline_wh_per_km,
            f"{at}: trial": c.trial_wh_per_km,
            f"{at}: open charge": c.open_charge_percent,
            f"{at}: verdict": c.verdict,
            f"{at}: pairs needed": c.pairs_needed,
        }
        found |= {f"{at}: margin of {name}": value for name, value in c.margin_budget}
        for d in c.directions:
            found[f"{at}: {d.direction}"] = d.effect_percent
    for leg in result.legs:
        found[f"leg {leg.leg}: measured"] = leg.measured_wh_per_km
        found[f"leg {leg.leg}: corrected"] = leg.corrected_wh_per_km
        found |= {f"leg {leg.leg}: {name}": value for name, value in leg.corrections_wh_per_km.items()}
    for concern in result.concerns:
        found[f"concern {concern.code}, {plain(concern.title)}: charge"] = concern.bias_percent
        found[f"concern {concern.code}, {plain(concern.title)}: severity"] = concern.severity
        found[f"concern {concern.code}, {plain(concern.title)}: legs"] = " ".join(concern.legs)
        found[f"concern {concern.code}, {plain(concern.title)}: words"] = plain(
            f"{concern.message} {concern.next_step}"
        )
        found[f"concern {concern.code}, {plain(concern.title)}: flags"] = (
            f"covered {concern.covered}, signed {concern.signed}"
        )
    for climb in result.climbs:
        found[f"climb {climb.configuration}: returned"] = climb.returned_percent
    return found


def results() -> dict[str, dict[str, float | str | None]]:
    """Analyse the set."""
    from fairmargin.core.analysis import analyse

    return {name: numbers_of(analyse(p.study, p.traces)) for name, p in packages()}


def differences(before: Any, now: Any, relative: float, absolute: float) -> list[str]:
    """Figures that moved, came or went, in words."""
    moved = []
    for name in sorted(before.keys() | now.keys()):
        old, new = before.get(name, {}), now.get(name, {})
        for where in sorted(old.keys() | new.keys()):
            a, b = old.get(where, "(absent)"), new.get(where, "(absent)")
            same = a == b
            if isinstance(a, int | float) and isinstance(b, int | float):
                same = math.isclose(a, b, rel_tol=relative, abs_tol=absolute)
            if not same:
                moved.append(f"{name}, {where}: {a} became {b}")
    return moved


def settled(before: Any, now: Any) -> Any:
    """The figures of now; those that did not move keep their last digits, so that a diff shows what did."""

    def close(a: Any, b: Any) -> bool:
        numbers = isinstance(a, int | float) and isinstance(b, int | float)
        return numbers and math.isclose(a, b, rel_tol=1e-9, abs_tol=1e-9)

    return {
        name: {
            where: old if close(old := before.get(name, {}).get(where), new) else new for where, new in figures.items()
        }
        for name, figures in now.items()
    }


# ---------------------------------------------------------------- making the set


def _simulated() -> Iterator[tuple[str, Any, Any]]:
    from fairmargin.simulation import DayPlan, simulate

    plans: list[dict[str, Any]] = []
    # kinds and winds, instruments and orders, methods, days apart, sizes, logged
    for kind, effect in (("aero covers", -4.0), ("tyres", 4.5), ("payload", 5.0), ("cargo", 9.0), ("towing", 45.0)):
        for wind in ("calm", "mixed", "windy"):
            plans.append({"kind": kind, "effect_percent": effect, "wind": wind})
    for instrument in ("average", "energy", "charge-back", "soc"):
        for order in ("ABBA", "AABB", "ABAB"):
            plans.append({"instrument": instrument, "order": order})
    for method in ("loop", "laps", "one-way"):
        for days in (1, 2):
            plans.append({"method": method, "days": days})
    for days, gap in ((2, 1), (2, 21), (3, 7)):
        plans.append({"days": days, "day_gap": gap, "kind": "tyres", "effect_percent": 4.0, "day_warmer_k": -5.0})
    plans += [
        {"order": "AB"},
        {"order": "BA"},
        {"step": 1.0},
        {"effect_percent": 0.0},
        {"traffic": 0.9},
        {"scatter": 0.03},
    ]
    plans += [{"kind": kind, "effect_percent": 3.0} for kind in ("wheels", "preconditioning", "technique", "other")]
    plans += [{"speed_kmh": 50.0}, {"speed_kmh": 130.0}, {"temperature_c": -8.0}, {"temperature_c": 33.0}]
    plans += [{"samples": True, "instrument": "logger", "sample_rate_hz": 0.2, "wind": w} for w in ("calm", "windy")]
    plans.append({"samples": True, "instrument": "logger", "sample_rate_hz": 0.2, "days": 2})
    for i, plan in enumerate(plans):
        made = simulate(9000 + i, DayPlan(**plan))
        words = " ".join(f"{k}={v}" for k, v in plan.items()).replace("/", "-")
        yield f"{i:02d} {words}"[:80], made.study, made.traces


def _by_hand() -> Iterator[tuple[str, Any, Any]]:
    from tests.conftest import driven_study

    base = driven_study("ABBA")
    sparse = base.with_legs(
        [
            leg.with_(started_at=None, temperature_c=None, wind_speed_ms=None, wind_from_deg=None, duration_s=None)
            for leg in base.legs
        ]
    )
    yield "hand sparse", sparse.with_(route=()), {}
    days = [
        leg.with_(started_at=datetime(2026, 3, 1, 8) + timedelta(days=3 * i), temperature_c=3.0 + i)
        for i, leg in enumerate(base.legs)
    ]
    yield "hand everyday", base.with_legs(days).with_(method="everyday", route=()), {}
    up = [
        leg.with_(average_shown=420.0 if leg.direction == "out" else 60.0, soc_start_percent=80, soc_end_percent=70)
        for leg in base.legs
    ]
    yield "hand climb", base.with_legs(up).with_(method="climb"), {}
    beside = [leg.with_(vehicle="control" if i % 2 else "test") for i, leg in enumerate(base.legs)]
    yield "hand side by side", base.with_legs(beside).with_(method="side-by-side"), {}


def _demo() -> Iterator[tuple[str, Any, Any]]:
    from fairmargin.demo.studies import demo_studies, half_driven_studies

    for made in (*demo_studies(), *half_driven_studies()):
        yield f"demo {made.study.title}", made.study, made.traces


def _unlike() -> Iterator[tuple[str, Any, Any]]:
    from tests.unlike import unlike

    for name, (study, traces) in unlike().items():
        yield f"unlike {name}", study, traces


def make_studies() -> None:
    """Add the packages that are missing; those that are there stay as they are."""
    from fairmargin.exchange.packages.writing import package_files

    with zipfile.ZipFile(STUDIES, "a", zipfile.ZIP_STORED) as archive:
        there = set(archive.namelist())
        for source in (_simulated(), _by_hand(), _demo(), _unlike()):
            for name, study, traces in source:
                if f"{name.replace('/', '-')}.zip" in there:
                    continue
                inner = io.BytesIO()
                with zipfile.ZipFile(inner, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as package:
                    for file, data in package_files(study, traces):
                        package.writestr(zipfile.ZipInfo(file), data, zipfile.ZIP_DEFLATED)
                archive.writestr(zipfile.ZipInfo(f"{name.replace('/', '-')}.zip"), inner.getvalue())


def main() -> None:
    """Take new numbers, with the reason."""
    why = " ".join(sys.argv[1:]).strip()
    if not why:
        raise SystemExit('say why: make regression WHY="..."')
    make_studies()
    before = json.loads(RESULTS.read_text()) if RESULTS.exists() else {}
    now = results()
    moved = differences(before, now, 1e-9, 1e-9) if before else []
    now = settled(before, now)
    RESULTS.write_text(json.dumps(now, indent=0, ensure_ascii=False, sort_keys=True) + "\n", encoding="utf-8")
    with REASONS.open("a", encoding="utf-8") as file:
        file.write(
            f"- {datetime.now():%Y-%m-%d}: {why} ({len(moved)} figures of {sum(map(len, now.values()))} moved)\n"
        )
    print("\n".join(moved[:40]))
    print(f"{len(now)} studies, {len(moved)} figures moved")


if __name__ == "__main__":
    main()
