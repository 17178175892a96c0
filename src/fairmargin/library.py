"""Fair Margin as a library: read, analyse, tables for a notebook, and the margin bar drawn.

Nothing here opens a window; pandas and matplotlib are loaded only by what needs them.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, Literal

from fairmargin.core import analysis as _analysis
from fairmargin.core.conditions.concern import Concern
from fairmargin.core.kinds import change_kind
from fairmargin.core.result.as_json import as_json
from fairmargin.core.result.margin import MarginLine
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Analysis as _Found
from fairmargin.core.result.types import Comparison, LegResult, View
from fairmargin.core.study import Change, Configuration, Leg, RoutePoint, Study, Trace, Vehicle, WeatherRow
from fairmargin.core.units import plain
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.reading import Package, read_package
from fairmargin.exchange.packages.table import Table, read_table
from fairmargin.exchange.packages.writing import write_package

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

What = Literal["effects", "ledger", "legs", "concerns", "results"]
_FRAME: Final = "the frame"  # as faults name it


@dataclass(frozen=True, eq=False, slots=True)
class Analysis:
    """What the readings of a study say.

    Attributes
    ----------
    study : Study
    found : fairmargin.core.result.types.Analysis
        All of it, as the window draws it.
    """

    study: Study
    found: _Found = field(repr=False)

    @property
    def effects(self) -> tuple[Comparison, ...]:
        """Every trial against the baseline, at each speed and in each sector: effect, interval, verdict. [%]"""
        return self.found.comparisons

    @property
    def ledger(self) -> tuple[MarginLine, ...]:
        """What makes the margin of the first effect: in squares, half its interval; with the cheapest remedy. [%]"""
        return self.effects[0].margin if self.effects else ()

    @property
    def legs(self) -> tuple[LegResult, ...]:
        """Every leg with a reading, from read through its corrections to corrected. [Wh/km]"""
        return self.found.legs

    @property
    def results(self) -> tuple[Result, ...]:
        """What each configuration took, as driven and at the reference conditions. [Wh/km]"""
        return self.found.results

    @property
    def concerns(self) -> tuple[Concern, ...]:
        """What speaks against the comparison, each with its price. [%]"""
        return self.found.concerns

    @property
    def missing(self) -> str:
        """What is needed before anything (more) can be said; empty where nothing is."""
        return self.found.missing

    def to_json(self) -> dict[str, Any]:
        """The result object of ``fairmargin analyse --json`` (docs/file-format.md)."""
        return as_json(self.found)

    def to_frame(self, what: What = "legs") -> pd.DataFrame:
        """A table for a notebook.

        Parameters
        ----------
        what : {'effects', 'ledger', 'legs', 'concerns', 'results'}
            Effects, ledger and concerns in per cent of the baseline's consumption; legs and results in Wh/km.

        Returns
        -------
        pandas.DataFrame
            One row an effect, a source of the margin (of every effect), a leg, a concern or a result. Corrections
            stand in columns of their own; ``measured_wh_per_km`` and they sum to ``corrected_wh_per_km``.

        Raises
        ------
        ValueError
            If there is no such table.
        """
        import pandas as pd

        rows = _ROWS.get(what)
        if rows is None:
            raise ValueError(f'"{what}" is no table; expected one of {", ".join(_ROWS)}')
        return pd.DataFrame(rows(self))

    def save(self, path: str | Path, what: What = "legs") -> None:
        """Write a table as CSV, as a workbook or as Parquet, by the name's ending.

        Parameters
        ----------
        path : str or Path
            Ends in .csv, .xlsx or .parquet.
        what : {'effects', 'ledger', 'legs', 'concerns', 'results'}
            As for `to_frame`.

        Raises
        ------
        InvalidInput
            If the ending is another one, or the file cannot be written.
        ValueError
            If there is no such table.
        """
        from fairmargin.exchange.tables.writing import write_frame

        write_frame(Path(path), self.to_frame(what))

    def plot(self, axes: Axes | None = None, which: int = 0) -> Axes:
        """Draw the margin bar: the effect with its interval, on one scale with what does not matter.

        Parameters
        ----------
        axes : matplotlib.axes.Axes, optional
            Drawn on; a figure of its own where absent.
        which : int
            Which of the effects.

        Returns
        -------
        matplotlib.axes.Axes

        Raises
        ------
        ValueError
            If there is no such effect yet.
        """
        from fairmargin.exchange.reports.figures import margin_bar

        if not 0 <= which < len(self.effects):
            raise ValueError(f"there is no effect {which}: {self.missing or f'{len(self.effects)} in all'}")
        if axes is None:
            from matplotlib.figure import Figure

            axes = Figure(figsize=(7.2, 1.2), layout="constrained").subplots()
        margin_bar(axes, self.study, self.effects[which])
        return axes


def _effects(a: Analysis) -> list[dict[str, Any]]:
    return [
        {
            "vehicle": c.vehicle, "baseline": c.baseline, "trial": c.trial, "speed_kmh": c.speed_kmh, "sector": c.sector,
            "as_measured_percent": c.as_measured_percent, "effect_percent": c.effect_percent,
            "low_percent": c.interval_percent[0], "high_percent": c.interval_percent[1], "confidence": c.confidence,
            "verdict": c.verdict, "pairs": c.pairs, "method": c.method, "standing": c.standing.word,
        }
        for c in a.effects
    ]  # fmt: skip


def _ledger(a: Analysis) -> list[dict[str, Any]]:
    return [
        {
            "trial": c.trial, "speed_kmh": c.speed_kmh, "sector": c.sector, "source": m.source,
            "half_width_percent": m.half_width_percent, "cause": m.cause, "remedy": plain(m.remedy), "legs": " ".join(m.legs),
        }
        for c in a.effects
        for m in c.margin
    ]  # fmt: skip


def _legs(a: Analysis) -> list[dict[str, Any]]:
    return [
        {
            "leg": x.leg, "run": x.run, "configuration": x.configuration, "direction": x.direction, "included": x.included,
            "instrument": x.instrument, "measured_wh_per_km": x.measured_wh_per_km, **x.corrections_wh_per_km,
            "corrected_wh_per_km": x.corrected_wh_per_km, "sd_percent": x.sd_percent,
        }
        for x in a.legs
    ]  # fmt: skip


def _concerns(a: Analysis) -> list[dict[str, Any]]:
    return [
        {
            "code": c.code, "severity": c.severity, "charge_percent": c.bias_percent, "covered": c.covered, "title": plain(c.title),
            "message": plain(c.message), "next_step": plain(c.next_step), "legs": " ".join(c.legs),
        }
        for c in a.concerns
    ]  # fmt: skip


def _results(a: Analysis) -> list[dict[str, Any]]:
    return list(a.to_json()["results"])


_ROWS: Final[Mapping[str, Any]] = {
    "effects": _effects, "ledger": _ledger, "legs": _legs, "concerns": _concerns, "results": _results,
}  # fmt: skip


def read(path: str | Path) -> Package:
    """Read a study package.

    Parameters
    ----------
    path : str or Path
        A folder or a ``.zip`` (docs/file-format.md).

    Returns
    -------
    Package
        ``study``, ``traces`` (by leg) and ``notices``.

    Raises
    ------
    InvalidInput
        With one line a fault: file, row, column, and what was expected.
    """
    return read_package(path)


def write(path: str | Path, study: Study, traces: Mapping[str, Trace] | None = None) -> None:
    """Write a study package: a zip where the name ends in ``.zip``, else a folder.

    Raises
    ------
    InvalidInput, OSError
        If that is not possible; what was there stays.
    """
    write_package(path, study, traces)


def analyse(study: Study | Package, traces: Mapping[str, Trace] | None = None, view: View = "reference") -> Analysis:
    """Analyse a study.

    Parameters
    ----------
    study : Study or Package
        A package brings its traces along.
    traces : mapping of str to Trace, optional
        Logged samples by leg.
    view : {'reference', 'study-mean', 'as-measured'}
        Conditions that the effects are stated for: the study's reference, the mean of its legs, or as read.

    Returns
    -------
    Analysis

    References
    ----------
    docs/method.md, with the sources of every law and of the statistics.

    Examples
    --------
    >>> import fairmargin
    >>> study = fairmargin.new_study(title="Discs", kind="aero covers", order="AB", speed_kmh=90)
    >>> fairmargin.analyse(study).missing
    "No readings yet. Type the first leg's reading in Drive."
    """
    own = study if isinstance(study, Package) else Package(study)
    logged = {**own.traces, **(traces or {})}
    return Analysis(own.study, _analysis.analyse(own.study, logged, view))


def from_frame(
    frame: pd.DataFrame,
    *,
    title: str = "",
    kind: str = "other",
    mechanism: str | Sequence[str] | None = None,
    baseline: str | None = None,
    method: str = "out-and-back",
    speed_kmh: float | None = None,
    smallest_effect_percent: float = 1.0,
    confidence: float = 0.95,
    vehicle: Vehicle | Mapping[str, Any] | None = None,
    route: pd.DataFrame | None = None,
    weather: pd.DataFrame | None = None,
) -> Study:
    """A study from tables.

    Parameters
    ----------
    frame : pandas.DataFrame
        One row a leg; columns as in ``legs.csv`` (docs/file-format.md), of which ``configuration`` is needed. Without
        ``leg`` the rows are numbered. A missing value is not known, never zero.
    title : str
    kind : str
        Kind of change.
    mechanism : str or sequence of str, optional
        How it works; the kind's own where absent.
    baseline : str, optional
        Of the configurations; the first of the table where absent.
    method : str
    speed_kmh : float, optional
        Speed the effect is asked for; the mean of the legs where absent. [km/h]
    smallest_effect_percent : float
        Smallest effect that matters.
    confidence : float
    vehicle : Vehicle or mapping, optional
        As ``vehicle`` of ``study.json``.
    route, weather : pandas.DataFrame, optional
        Columns as in ``route.csv`` and ``weather.csv``.

    Returns
    -------
    Study

    Raises
    ------
    InvalidInput
        Naming row (the header is row 1), column and what was expected.
    ValueError
        If a word is not one of the field's.
    """
    rows = frame if "leg" in frame.columns else frame.assign(leg=[f"L{i + 1:02d}" for i in range(len(frame))])
    legs = _rows(rows, Leg, _FRAME)
    names = list(dict.fromkeys(leg.configuration for leg in legs))
    if not names:
        raise InvalidInput(f"{_FRAME}: no row; expected one a leg")
    first = names[0] if baseline is None else baseline
    if first not in names:
        raise ValueError(f'baseline "{first}" has no leg; expected one of {", ".join(names)}')
    ordered = [first, *(n for n in names if n != first)]
    return Study(
        title=title,
        change=Change(kind=kind, mechanism=change_kind(kind).mechanism if mechanism is None else mechanism),
        vehicle=vehicle if isinstance(vehicle, Vehicle) else Vehicle(**(vehicle or {})),
        configurations=tuple(Configuration(id=n, baseline=n == first) for n in ordered),
        method=method,
        target_speed_kmh=speed_kmh,
        smallest_effect_percent=smallest_effect_percent,
        confidence=confidence,
        legs=legs,
        route=() if route is None else _rows(route, RoutePoint, "the route"),
        weather=() if weather is None else _rows(weather, WeatherRow, "the weather"),
    )


def _rows(frame: pd.DataFrame, of: Any, name: str) -> tuple[Any, ...]:
    """Rows checked as those of a package's table are."""
    text = io.StringIO()
    frame.to_csv(text, index=False)
    table = Table(name, of, [], [])
    rows = read_table(text.getvalue().encode("utf-8"), table)
    if table.faults:
        raise InvalidInput(table.faults)
    return rows
