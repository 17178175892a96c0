"""Several studies of one vehicle as one: configurations joined through what they share.

Each finding is a difference of two configurations. With X the differences, S their errors (shared ones counted once)
and τ what the same change does differently from one study to the next,

    y = X β + deviations + errors,   errors ~ Normal(0, S),   deviations of a study's configurations ~ Normal(0, τ²/2)

so that two trials held against one baseline share half of τ². β has a wide prior, τ a half-t one, and τ is
integrated over on a grid: with two studies it cannot be estimated and must not be taken as zero.

References
----------
.. [1] J. P. T. Higgins, A. Whitehead, "Borrowing strength from external trials in a meta-analysis", Statistics in
   Medicine 15 (1996) 2733: trials of several arms share half of the between-study variance (from memory).
.. [2] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 5: the hierarchical normal model, and the
   half-t prior of its spread (A. Gelman, Bayesian Analysis 1 (2006) 515; both from memory).
.. [3] W. G. Cochran, "The combination of estimates from different experiments", Biometrics 10 (1954) 101 (from memory).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import cached_property
from itertools import combinations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.inference.learned import OF_ROAD, PERSISTENT
from fairmargin.core.inference.posterior import mixture_quantile
from fairmargin.core.memory.findings import Finding, of_vehicle
from fairmargin.core.units import said
from fairmargin.core.words import same_name

Array = NDArray[np.float64]

#: What one and the same change does differently from one study to the next, as a log: scale of a half-t prior, whose tail
#: lets studies that contradict each other say so. The margins already hold what weather, days and instruments do. Common practice.
SPREAD_SCALE: Final = 0.001
SPREAD_FREEDOM: Final = 2.0
SPREADS: Final = np.concatenate([[0.0], np.geomspace(0.05, 80.0, 36)])  # in that scale
WIDE: Final = 5.0  # prior sd of the log ratio of any two configurations
ALIKE_SPEED: Final = 0.06  # two speeds within this share are one
DRAWS: Final = 20_000
PAIRS_AT_ONCE: Final = 64
SEED: Final = 1
UNLIKELY: Final = 0.05  # chance of a spread this large, under which studies are said to differ
UNFAIR: Final = "not a fair comparison"
ONE_NAME: Final = "both configurations have one name"


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A finding that is not counted, and why."""

    finding: Finding
    why: str


@dataclass(frozen=True, slots=True)
class Spread:
    """How far studies differ: Cochran's Q on `freedom` degrees, its chance, and τ with its interval (per cent)."""

    q: float
    freedom: int
    chance: float | None  # of a Q this large if only margins were at work; None where nothing is held against another
    percent: float  # τ, median
    interval_percent: tuple[float, float]
    studies: int

    @property
    def differ(self) -> bool:
        """Whether the studies differ by more than their margins explain."""
        return self.chance is not None and self.chance < UNLIKELY

    @property
    def words(self) -> str:
        """What the studies say of each other, in words."""
        if self.chance is None:
            return (
                "Nothing was asked twice: nothing can be held against another."
                if self.studies > 1
                else "One study; nothing can be held against it."
            )
        low, high = self.interval_percent
        if self.differ:
            return (
                f"They differ by more than their margins explain (chance {100 * self.chance:.1f} %): something changed that nobody noted. "
                f"From study to study the same change differs by about {self.percent:.1f} % ({low:.1f} to {high:.1f}); that is in the margin."
            )
        return (
            f"They agree within their margins (a difference this large comes by chance in {100 * self.chance:.0f} %); from study to study "
            f"the same change may still differ by {high:.1f} %."
        )


@dataclass(frozen=True, slots=True)
class Placed:
    """One configuration against the reference of its group, and where it stands among them."""

    name: str
    percent: float
    interval_percent: tuple[float, float]
    mean_rank: float
    chances: tuple[float, ...]  # of each rank, the lowest consumption first
    studies: tuple[int, ...]  # that drove it


@dataclass(frozen=True, slots=True)
class Apart:
    """Two configurations of a group: `second` against `first`, in per cent of the first."""

    first: str
    second: str
    percent: float
    interval_percent: tuple[float, float]
    told_apart: bool  # all pairs of the group at once
    direct: bool  # some study drove both


@dataclass(frozen=True, eq=False)
class Joint:
    """Configurations that studies join, and what they say of them together.

    One study by itself says what it says on its own pages: nothing is added for the next one.
    """

    vehicle: str
    reference: str
    names: tuple[str, ...]  # the reference first
    findings: tuple[Finding, ...]
    confidence: float
    weights: Array  # of the spreads
    means: Array  # (spreads, names): log level over the reference's
    covariances: Array  # (spreads, names, names)
    spread: Spread

    @property
    def speed_kmh(self) -> float | None:
        """Mean speed of the findings that state one."""
        speeds = [f.speed_kmh for f in self.findings if f.speed_kmh]
        return sum(speeds) / len(speeds) if speeds else None

    @property
    def in_time(self) -> list[Finding]:
        """Findings by the day they were driven, those without one first."""
        return sorted(self.findings, key=lambda f: (f.when or date.min, f.study))

    @property
    def studies(self) -> tuple[int, ...]:
        """Numbers of the studies."""
        return tuple(dict.fromkeys(f.study for f in self.findings))

    def between(self, first: str, second: str) -> tuple[float, tuple[float, float]]:
        """Effect of `second` against `first` and its interval, in per cent of the first.

        Raises
        ------
        ValueError
            If one of them is not of this group.
        """
        i, j = (self._index(name) for name in (first, second))
        means = self.means[:, j] - self.means[:, i]
        variances = self.covariances[:, i, i] + self.covariances[:, j, j] - 2 * self.covariances[:, i, j]
        tail = (1 - self.confidence) / 2
        sds = np.sqrt(np.maximum(variances, 1e-14))
        low, high = (mixture_quantile(self.weights, means, sds, q) for q in (tail, 1 - tail))
        return 100 * math.expm1(float(self.weights @ means)), (100 * math.expm1(low), 100 * math.expm1(high))

    def _index(self, name: str) -> int:
        wanted = same_name(name)
        for i, own in enumerate(self.names):
            if same_name(own) == wanted:
                return i
        raise ValueError(f'"{name}" was not compared; expected one of {", ".join(self.names)}')

    @cached_property
    def draws(self) -> Array:
        """Levels drawn from the posterior, shape (about `DRAWS`, names); the same each time."""
        rng = np.random.default_rng(SEED)
        parts = []
        for weight, mean, cov in zip(self.weights, self.means, self.covariances, strict=True):
            count = round(DRAWS * float(weight))
            if count:
                own = cov[1:, 1:]
                root = np.linalg.cholesky(own + 1e-14 * np.eye(len(own)))
                noise = rng.standard_normal((count, len(own))) @ root.T
                parts.append(mean + np.concatenate([np.zeros((count, 1)), noise], axis=1))
        return np.concatenate(parts)

    def _moments(self, first: Array, second: Array) -> tuple[Array, Array]:
        """Mean and standard deviation of the differences of pairs, over the spreads."""
        means = self.means[:, second] - self.means[:, first]
        c = self.covariances
        own = c[:, first, first] + c[:, second, second] - 2 * c[:, first, second]
        middle = self.weights @ means
        variance = self.weights @ (own + means**2) - middle**2
        return middle, np.sqrt(np.maximum(variance, 1e-18))

    @cached_property
    def placed(self) -> tuple[Placed, ...]:
        """Every configuration, the least consumption first."""
        ranks = np.argsort(np.argsort(self.draws, axis=1), axis=1)
        out = []
        for i, name in enumerate(self.names):
            percent, interval = self.between(self.reference, name) if i else (0.0, (0.0, 0.0))
            chances = np.bincount(ranks[:, i], minlength=len(self.names)) / len(ranks)
            wanted = same_name(name)
            drove = {f.study for f in self.findings if wanted in {same_name(f.baseline), same_name(f.trial)}}
            out.append(
                Placed(
                    name,
                    percent,
                    interval,
                    1 + float(ranks[:, i].mean()),
                    tuple(chances.tolist()),
                    tuple(sorted(drove)),
                )
            )
        return tuple(sorted(out, key=lambda p: p.mean_rank))

    @cached_property
    def pairs(self) -> tuple[Apart, ...]:
        """Every two configurations, in the order of their rank; which of them are told apart, all at once."""
        order = [self._index(p.name) for p in self.placed]
        own = [(i, j) for n, i in enumerate(order) for j in order[n + 1 :]]
        first, second = np.array([i for i, _ in own]), np.array([j for _, j in own])
        middle, sd = self._moments(first, second)
        largest = np.zeros(len(self.draws))  # over all pairs, of each draw: a few at a time, there may be thousands
        for at in range(0, len(own), PAIRS_AT_ONCE):
            some = slice(at, at + PAIRS_AT_ONCE)
            drawn = self.draws[:, second[some]] - self.draws[:, first[some]]
            np.maximum(largest, np.abs((drawn - middle[some]) / sd[some]).max(axis=1), out=largest)
        widest = float(np.quantile(largest, self.confidence))
        by_study: dict[int, set[str]] = {}
        for f in self.findings:
            by_study.setdefault(f.study, set()).update((same_name(f.baseline), same_name(f.trial)))
        driven = {frozenset(pair) for names in by_study.values() for pair in combinations(names, 2)}
        out = []
        for k, (i, j) in enumerate(own):
            a, b = self.names[i], self.names[j]
            both = {same_name(a), same_name(b)}
            percent, interval = self.between(a, b)
            out.append(
                Apart(
                    a, b, percent, interval, bool(abs(middle[k]) > widest * sd[k]),
                    frozenset(both) in driven,
                )
            )  # fmt: skip
        return tuple(out)

    @property
    def alike(self) -> tuple[Apart, ...]:
        """Pairs that cannot be told apart."""
        return tuple(p for p in self.pairs if not p.told_apart)


def joined(
    found: Sequence[Finding], vehicle: str, speed_kmh: float | None = None, confidence: float = intervals.USUAL
) -> tuple[tuple[Joint, ...], tuple[LeftOut, ...]]:
    """Join the findings of one vehicle, a group for each set of configurations that hang together.

    Parameters
    ----------
    found : sequence of Finding
        Of any vehicles.
    vehicle : str
        Whose are joined, by name.
    speed_kmh : float, optional
        Findings at this speed are joined; where absent those of each speed by themselves.
    confidence : float

    Returns
    -------
    joints : tuple of Joint
        Those of most studies first.
    left_out : tuple of LeftOut
        What is not counted, and why.
    """
    own = of_vehicle(found, vehicle)
    left = [LeftOut(f, UNFAIR) for f in own if f.verdict == UNFAIR]
    left += [LeftOut(f, ONE_NAME) for f in own if f.verdict != UNFAIR and _of_one_name(f)]
    kept = [f for f in own if f.verdict != UNFAIR and not _of_one_name(f)]
    if speed_kmh is not None:
        kept, others = _at_speed(kept, speed_kmh)
        left += others
    groups: list[list[Finding]] = []
    while kept:  # what hangs together at one speed; what was driven at others makes groups of its own
        rest: list[Finding] = []
        for group in _groups(kept):
            own, others = _at_speed(group, None)
            groups += _groups(own)
            rest += [x.finding for x in others]
        kept = rest
    groups.sort(key=lambda g: (-len({f.study for f in g}), -len(g), min(f.study for f in g)))
    return tuple(_join(vehicle, g, confidence) for g in groups), tuple(left)


def repeated(found: Sequence[Finding], confidence: float = intervals.USUAL) -> tuple[Joint, ...]:
    """Every question that several studies asked, each joined by itself: same vehicle, configurations and speed."""
    by_question: dict[tuple[str, frozenset[str]], list[Finding]] = {}
    for f in found:
        if f.verdict != UNFAIR and not _of_one_name(f):
            key = (same_name(f.vehicle), frozenset((same_name(f.baseline), same_name(f.trial))))
            by_question.setdefault(key, []).append(f)
    out = []
    for own in by_question.values():
        at_one_speed, _ = _at_speed(own, None)
        if len({f.study for f in at_one_speed}) > 1:
            out.append(_join(own[0].vehicle, at_one_speed, confidence))
    return tuple(out)


def moved_since(joint: Joint) -> tuple[float, tuple[float, float]] | None:
    """How the effect of the youngest study differs from the oldest's, in per cent, with its interval; errors they share cancel.

    None unless the joint is of one question and its studies have their days.
    """
    dated = [f for f in joint.in_time if f.when is not None]
    if len(joint.names) != 2 or len({f.study for f in dated}) < 2:
        return None
    first, last = dated[0], dated[-1]
    sign = 1.0 if same_name(first.baseline) == same_name(last.baseline) else -1.0
    cov = shared_errors([first, last])
    shift = sign * last.log_ratio - first.log_ratio
    sd = math.sqrt(max(cov[0, 0] + cov[1, 1] - 2 * sign * cov[0, 1], 1e-14))
    return 100 * math.expm1(shift), intervals.log_interval_percent(shift, sd, joint.confidence)


def _of_one_name(f: Finding) -> bool:
    return same_name(f.baseline) == same_name(f.trial)


def _at_speed(own: Sequence[Finding], speed_kmh: float | None) -> tuple[list[Finding], list[LeftOut]]:
    """Findings at one speed, and those at others; one that states no speed goes with any."""
    speeds = [f.speed_kmh for f in own if f.speed_kmh]
    if speed_kmh is None and speeds:
        near = Counter({v: sum(abs(v - w) <= ALIKE_SPEED * v for w in speeds) for v in speeds})
        speed_kmh = near.most_common(1)[0][0]
    kept, left = [], []
    for f in own:
        if speed_kmh is None or not f.speed_kmh or abs(f.speed_kmh - speed_kmh) <= ALIKE_SPEED * speed_kmh:
            kept.append(f)
        else:
            left.append(LeftOut(f, f"at {said(f.speed_kmh, 'km/h')}, not {said(speed_kmh, 'km/h')}"))
    return kept, left


def _groups(own: Sequence[Finding]) -> list[list[Finding]]:
    """Findings whose configurations hang together."""
    home: dict[str, str] = {}

    def root(name: str) -> str:
        home.setdefault(name, name)
        while home[name] != name:
            name = home[name]
        return name

    for f in own:
        a, b = root(same_name(f.baseline)), root(same_name(f.trial))
        home[max(a, b)] = min(a, b)
    groups: dict[str, list[Finding]] = {}
    for f in own:
        groups.setdefault(root(same_name(f.baseline)), []).append(f)
    return list(groups.values())


def shared_errors(own: Sequence[Finding]) -> Array:
    """Covariance of the findings' errors, shape (n, n): what they share counted once, the rest each by itself."""
    columns: dict[tuple[object, ...], Array] = {}
    for i, f in enumerate(own):
        size = math.sqrt(sum(v * v for v in f.errors.values()))
        scale = min(1.0, f.sd / size) if size > 0 else 0.0
        for name, value in f.errors.items():
            if name in OF_ROAD:
                key: tuple[object, ...] = (name, same_name(f.road) if f.road else f.study)
            elif name in PERSISTENT:
                key = (name,)
            else:
                key = (f.study, same_name(f.baseline), f.speed_kmh, name)  # of one fit
            columns.setdefault(key, np.zeros(len(own)))[i] += value * scale
    loadings = np.array(list(columns.values())).T if columns else np.zeros((len(own), 1))
    out = loadings @ loadings.T
    total = np.array([f.sd**2 for f in own])
    out[np.diag_indices(len(own))] = np.maximum(total, np.diag(out))
    return np.asarray(out)


def _join(vehicle: str, own: Sequence[Finding], confidence: float) -> Joint:
    seen: dict[str, str] = {}
    for f in own:
        for name in (f.baseline, f.trial):
            seen.setdefault(same_name(name), name)
    often = Counter(same_name(f.baseline) for f in own)
    reference = max(seen, key=lambda n: (often[n], -list(seen).index(n)))
    order = [reference, *(n for n in seen if n != reference)]
    place = {n: i for i, n in enumerate(order)}
    n, p = len(own), len(order)
    full = np.zeros((n, p))
    for i, f in enumerate(own):
        full[i, place[same_name(f.trial)]] += 1.0
        full[i, place[same_name(f.baseline)]] -= 1.0
    study = np.array([f.study for f in own])
    by_study = 0.5 * (full @ full.T) * (study[:, None] == study[None, :])
    design, y, errors = full[:, 1:], np.array([f.log_ratio for f in own]), shared_errors(own)
    means, covariances, log_p = [], [], []
    spreads = SPREADS if len({f.study for f in own}) > 1 else SPREADS[:1]
    # Errors and deviations made diagonal together, once: each spread then costs next to nothing.
    chol = np.linalg.cholesky(errors + 1e-16 * np.eye(n))
    inner = np.linalg.solve(chol, np.linalg.solve(chol, by_study).T)
    grown, axes = np.linalg.eigh(0.5 * (inner + inner.T))
    rows = axes.T @ np.linalg.solve(chol, np.column_stack([design, y]))
    for tau in SPREAD_SCALE * spreads:
        variance = 1.0 + tau**2 * np.maximum(grown, 0.0)
        squares = (rows.T / variance) @ rows
        cov = np.linalg.inv(squares[:-1, :-1] + np.eye(p - 1) / WIDE**2)
        score = squares[:-1, -1]
        mean = cov @ score
        fit = -0.5 * (float(squares[-1, -1]) - float(score @ mean))
        fit -= 0.5 * float(np.log(variance).sum()) - 0.5 * float(np.linalg.slogdet(cov)[1])
        tail = math.log1p((tau / SPREAD_SCALE) ** 2 / SPREAD_FREEDOM)
        log_p.append(fit - 0.5 * (SPREAD_FREEDOM + 1) * tail)
        means.append(np.concatenate([[0.0], mean]))
        covariances.append(np.pad(cov, ((1, 0), (1, 0))))
    weights = np.exp(np.array(log_p) - max(log_p)) * (_widths() if len(spreads) > 1 else 1.0)
    weights /= weights.sum()
    return Joint(
        vehicle=vehicle,
        reference=seen[reference],
        names=tuple(seen[k] for k in order),
        findings=tuple(own),
        confidence=confidence,
        weights=weights,
        means=np.array(means),
        covariances=np.array(covariances),
        spread=_spread(own, design, y, errors, weights),
    )


def _widths() -> Array:
    """What each spread of the grid stands for: its share of the axis."""
    middle = (SPREADS[1:] + SPREADS[:-1]) / 2
    return np.asarray(np.diff(np.concatenate([[0.0], middle, [SPREADS[-1]]])))


def _spread(own: Sequence[Finding], design: Array, y: Array, errors: Array, weights: Array) -> Spread:
    """Cochran's Q for correlated errors [3]_, and the spread's own interval."""
    from scipy.special import gammaincc  # the import costs more than the sum

    chol = np.linalg.cholesky(errors + 1e-16 * np.eye(len(y)))
    half = np.linalg.solve(chol, np.column_stack([design, y]))
    solved, *_ = np.linalg.lstsq(half[:, :-1], half[:, -1], rcond=None)
    rest = half[:, -1] - half[:, :-1] @ solved
    studies = len({f.study for f in own})
    freedom = len(y) - int(np.linalg.matrix_rank(design)) if studies > 1 else 0
    q = float(rest @ rest) if freedom else 0.0
    held = np.cumsum(weights)
    at = SPREADS[: len(weights)]
    low, middle, high = (100 * SPREAD_SCALE * float(np.interp(share, held, at)) for share in (0.025, 0.5, 0.975))
    return Spread(q, freedom, float(gammaincc(freedom / 2, q / 2)) if freedom else None, middle, (low, high), studies)


def renamed(found: Sequence[Finding], names: dict[str, str]) -> list[Finding]:
    """Findings with configurations that somebody said are the same, by any of their names."""
    table = {same_name(k): v for k, v in names.items()}

    def of(name: str) -> str:
        return table.get(same_name(name), name)

    return [replace(f, baseline=of(f.baseline), trial=of(f.trial)) for f in found]
