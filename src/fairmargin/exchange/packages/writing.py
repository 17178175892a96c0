"""Packages written: a folder or a zip that takes its place whole, tables whose cells are no formulas."""

from __future__ import annotations

import csv
import io
import json
import math
import os
import shutil
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from pydantic import BaseModel

from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.leg import SPANNED
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.plain import armed
from fairmargin.exchange.packages.asides import ASIDE, rows_of
from fairmargin.exchange.packages.reading import ATTACHED, LEGS_FILE, STUDY_FILE, TABLES


def write_package(path: str | Path, study: Study, traces: Mapping[str, Trace] | None = None) -> None:
    """Write a package: a zip when the name ends in ``.zip``, else a folder.

    It is written beside its place and moved there whole, so that a failure leaves what was there.

    Raises
    ------
    InvalidInput
        If the target cannot be written, or is a folder that holds something else than a package.
    """
    target = Path(path)
    files = dict(package_files(study, traces or {}))
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.suffix.lower() == ".zip":
            handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".fairmargin-", suffix=".zip")
            os.close(handle)
            try:
                with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
                    for name, data in files.items():
                        archive.writestr(name, data)
                os.replace(temporary, target)
            finally:
                Path(temporary).unlink(missing_ok=True)
            return
        if target.exists() and not (target.is_dir() and ((target / STUDY_FILE).exists() or not any(target.iterdir()))):
            raise InvalidInput(f"{target}: exists and is not a study package; expected a new name")
        fresh = Path(tempfile.mkdtemp(dir=target.parent, prefix=".fairmargin-"))
        try:
            for name, data in files.items():
                (fresh / name).parent.mkdir(parents=True, exist_ok=True)
                (fresh / name).write_bytes(data)
            fresh.chmod(0o700)  # where someone drove is theirs to hand on
            if target.exists():
                for name in ("samples", ATTACHED, *(p.name for p in target.iterdir() if p.name in _OWN_FILES)):
                    old = target / name
                    if old.is_dir():
                        shutil.rmtree(old)
                    else:
                        old.unlink(missing_ok=True)
                for item in fresh.iterdir():
                    os.replace(item, target / item.name)
            else:
                os.replace(fresh, target)
        finally:
            shutil.rmtree(fresh, ignore_errors=True)
    except OSError as error:
        raise InvalidInput(f"{target}: cannot be written: {error.strerror or error}") from error


def write_truth(path: str | Path, truth: Mapping[str, object]) -> None:
    """Put a simulation's truth into its package as ``truth.json``; an analysis never reads it."""
    data = json.dumps(truth, indent=2) + "\n"
    target = Path(path)
    if target.suffix.lower() == ".zip":
        with zipfile.ZipFile(target, "a", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("truth.json", data)
    else:
        (target / "truth.json").write_text(data, encoding="utf-8")


_OWN_FILES: Final = {STUDY_FILE, LEGS_FILE, "route.csv", "weather.csv", "events.csv", "readings.csv", "truth.json"}


def package_files(study: Study, traces: Mapping[str, Trace]) -> Iterator[tuple[str, bytes]]:
    """Yield every file of a package, name and bytes."""
    head = study.model_dump(mode="json", by_alias=True, exclude={"legs", "attachments", *TABLES}, exclude_none=True)
    if study.attachments:  # what they hold lies beside
        head["attachments"] = [x.model_dump(mode="json", exclude={"data"}) for x in study.attachments]
    for told in (head["circumstances"], *head["outings"]):
        if not told["not_known"]:
            del told["not_known"]
    for name in ("circumstances", "outings", "said_afterwards", "tester"):
        if not head[name]:
            del head[name]
    yield STUDY_FILE, (json.dumps(head, indent=2, ensure_ascii=False) + "\n").encode()
    yield LEGS_FILE, _write_table(Leg, study.legs)
    for name, (file, model) in TABLES.items():
        rows = getattr(study, name)
        if name == "readings":
            rows = (*rows, *(row for leg in study.legs for row in rows_of(leg)))
        if rows:
            yield file, _write_table(model, rows)
    for attached in study.attachments:
        yield f"{ATTACHED}/{attached.file}", attached.content
    for leg, trace in traces.items():
        columns = trace.columns()
        out = io.StringIO(newline="")
        out.write(",".join(columns) + "\r\n")
        for row in zip(*(c.tolist() for c in columns.values()), strict=True):
            out.write(",".join("" if v != v else repr(v) for v in row) + "\r\n")
        yield f"samples/{leg}.csv", out.getvalue().encode()


def _write_table(model: type[BaseModel], rows: tuple[Any, ...]) -> bytes:
    extra = list(dict.fromkeys(key for row in rows for key in (row.model_extra or {})))
    used = [
        name
        for name, info in model.model_fields.items()
        if (info.is_required() or name in {"included", "reason"} or any(getattr(r, name) != info.default for r in rows))
        and name not in {"dated_only", "spans", *ASIDE}  # a date stands without a time; an interval in its own column
    ]
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([*used, *extra])
    for row in rows:
        cells = [_show(row, name) for name in used]
        cells += ["" if (v := (row.model_extra or {}).get(k)) is None else armed(str(v)) for k in extra]
        writer.writerow(cells)
    return out.getvalue().encode()


def _show(row: Any, name: str) -> str:
    value = getattr(row, name)
    if value is None:
        return ""
    span = row.span(name) if isinstance(row, Leg) and name in SPANNED else None
    if span is not None:
        return f"{span.low:.6g}..{span.high:.6g}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.date().isoformat() if getattr(row, "dated_only", False) else value.isoformat()
    if isinstance(value, float):
        step = {"average_shown": "average_step", "energy_kwh": "energy_step_kwh"}.get(name)
        width = getattr(row, step) if step else None
        if width and 0 < width < 1:
            decimals = max(0, round(-math.log10(width)))
            text = f"{value:.{decimals}f}"
            if float(text) == value:
                return text  # keeps the zeros the display showed
        text = repr(value)
        return text[:-2] if text.endswith(".0") else text
    return armed(str(value))
