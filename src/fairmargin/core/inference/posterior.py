"""From linearised evidence to effects: a mixture over the run-to-run scatter, with what makes its margin.

The posterior is taken in the space of the readings: with J the derivatives of the log energies, S the prior
variances and N the reading noise,

    C = J S Jᵀ + N + σ² diag(s)         (all that scatters the readings)
    effect | σ ~ Normal(g μ + g S Jᵀ C⁻¹ r,  g S gᵀ − g S Jᵀ C⁻¹ J S gᵀ)

and the run-to-run scatter σ, itself uncertain (scaled inverse χ² of `priors.SCATTER_FREEDOM` degrees of freedom
around common practice), is integrated over on a grid: the effect becomes a mixture of normals with t-like tails, so
that small samples do not pretend. The fit of test days, the regression of everyday logs and the simulated designs
all come through here.

References
----------
.. [1] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 14: linear model with unknown
   variance (from memory).
.. [2] C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), eq. 2.23-2.24,
   the function-space form (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from statistics import NormalDist
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.figures import Size

Array = NDArray[np.float64]

#: Sizes of the scatter that are integrated over, as multiples of the prior's: to sixteen times what is usual, so that the
#: readings themselves say how large it is.
SCATTER_SIZES: Final = np.geomspace(0.35, 16.0, 29)
ROUGH_SHARE: Final = Size(0.04, "of days", "that scatter as no careful day does: by foot, in traffic, in gusts")
#: What they scatter by, over the usual: any size between these is as likely, on a logarithmic scale, so that drives that
#: visibly differ say by how much themselves.
ROUGH_SIZES: Final = (1.5, 40.0)
NEGLIGIBLE: Final = 1e-9  # weight of a part of a mixture
ROOT_HALF: Final = math.sqrt(0.5)
NORMAL: Final = 1.0 / math.sqrt(2.0 * math.pi)
NORMAL_QUANTILE: Final = NormalDist()
EXACT: Final = 1e-9  # of a mixture's width
SMALLEST_VARIANCE: Final = 1e-12  # of an effect, so that its density stays finite


@dataclass(frozen=True, eq=False, slots=True)
class Effect:
    """Trial against baseline at the reference conditions; logarithms of the ratio."""

    trial: str
    log_ratio: float
    weights: Array = field(repr=False)  # mixture over the scatter
    means: Array = field(repr=False)
    sds: Array = field(repr=False)
    systematic_variance: float = 0.0
    random_variance: float = 0.0
    order_variance: float = 0.0  # what hangs on the order of the drives: the next pair in the other order takes it back
    budget: tuple[tuple[str, float], ...] = ()  # group, log variance
    touched: Mapping[str, tuple[str, ...]] = field(default_factory=dict)  # group, legs it acts on
    baseline_wh_per_km: float = math.nan
    trial_wh_per_km: float = math.nan
    declared_mass: float = 0.0  # of the log ratio, what the declared difference of mass alone explains
    #: Change of the log ratio when one observation is left out, by its first leg (exact for the linear fit).
    influence: Mapping[str, float] = field(default_factory=dict)
    #: What each source of error, by its name, would move the log ratio by at one standard deviation: signed.
    errors: Mapping[str, float] = field(default_factory=dict)

    @property
    def percent(self) -> float:
        """Effect in per cent of baseline consumption."""
        return (math.exp(self.log_ratio) - 1.0) * 100.0

    def interval_percent(self, confidence: float) -> tuple[float, float]:
        """Equal-tailed interval in per cent of baseline consumption."""
        tail = (1.0 - confidence) / 2.0
        low, high = (mixture_quantile(self.weights, self.means, self.sds, q) for q in (tail, 1.0 - tail))
        return (math.exp(low) - 1.0) * 100.0, (math.exp(min(high, MOST_LOG)) - 1.0) * 100.0


#: Logarithm of a ratio beyond which only its side of one is said.
MOST_LOG: Final = 50.0


@dataclass(frozen=True, eq=False)
class Evidence:
    """What was measured, linearised: n measurements of m drives, u unknowns.

    Attributes
    ----------
    jacobian : numpy.ndarray, shape (n, u)
        Derivatives of the log energies.
    prior_var : numpy.ndarray, shape (u,)
    noise : numpy.ndarray, shape (n,)
        Variance of each measurement by itself.
    owns : numpy.ndarray, shape (n, m)
        Which drive each measurement belongs to; a drive's scatter is shared by its measurements.
    scatter_var : numpy.ndarray, shape (m,)
        Prior variance of the scatter of each drive.
    """

    jacobian: Array
    prior_var: Array
    noise: Array
    owns: Array
    scatter_var: Array

    @cached_property
    def base(self) -> Array:
        """Covariance of what was measured, all but the scatter; shape (n, n)."""
        return np.asarray((self.jacobian * self.prior_var) @ self.jacobian.T + np.diag(self.noise))

    @cached_property
    def block(self) -> Array:
        """Covariance by the scatter at its prior size; shape (n, n)."""
        return np.asarray((self.owns * self.scatter_var) @ self.owns.T)

    def crosses(self, gradients: Array) -> Array:
        """Covariance of measurements and effects, shape (n, effects), from gradients (effects, u)."""
        return np.asarray(self.jacobian @ (self.prior_var * gradients).T)


@dataclass(frozen=True, eq=False, slots=True)
class ScatterGrid:
    """For each size of the scatter: log likelihood (k,), g S Jᵀ C⁻¹ r (k, effects), g S Jᵀ C⁻¹ J S gᵀ (k, effects)."""

    log_likelihood: Array
    gain: Array
    known: Array


def scatter_grid(base: Array, owns: Array, scatter_var: Array, innovation: Array, crosses: Array) -> ScatterGrid:
    """Evaluate every size of the scatter from one factorisation (matrix inversion lemma).

    A size scales one and the same matrix, whose eigenvalues therefore serve for all sizes.

    Parameters
    ----------
    base : numpy.ndarray, shape (n, n)
        Covariance of what was measured, all but the scatter.
    owns : numpy.ndarray, shape (n, m)
        Which of the m drives each measurement belongs to.
    scatter_var : numpy.ndarray, shape (m,)
        Prior variance of the scatter of each drive.
    innovation : numpy.ndarray, shape (n,)
        Measured minus predicted.
    crosses : numpy.ndarray, shape (n, effects)
        Covariance of measurements and effects.

    Returns
    -------
    ScatterGrid
    """
    rest = np.concatenate([innovation[:, None], crosses], axis=1)
    grid = _each_size(base[None], owns, scatter_var, rest[None])
    return ScatterGrid(grid.log_likelihood[0], grid.gain[0], grid.known[0])


@dataclass(frozen=True, eq=False, slots=True)
class _Factored:
    """Covariances of several cases at every size of the scatter, as columns weighed with their inverses see them."""

    gram: Array  # (cases, columns, columns), at the smallest size
    turned: Array  # (cases, drives, columns)
    shrunk: Array  # (cases, grid, drives): what each size takes off the squares of `turned`
    log_det: Array  # (cases, grid), half of its logarithm

    @classmethod
    def of(cls, bases: Array, owns: Array, scatter_var: Array, columns: Array) -> _Factored:
        """Factor `bases`, (cases, n, n), for `columns`, (cases, n, c)."""
        smallest, k = float(SCATTER_SIZES[0]), owns.shape[1]
        chol = np.linalg.cholesky(bases + (owns * scatter_var * smallest**2) @ owns.T)
        half = np.linalg.solve(
            chol, np.concatenate([np.broadcast_to(owns, (len(bases), *owns.shape)), columns], axis=2)
        )
        gram = np.swapaxes(half, 1, 2) @ half  # of drives, then of `columns`
        root = np.sqrt(scatter_var)
        values, vectors = np.linalg.eigh(root[:, None] * gram[:, :k, :k] * root)
        turned = np.swapaxes(vectors, 1, 2) @ (root[:, None] * gram[:, :k, k:])
        more = (SCATTER_SIZES**2 - smallest**2)[:, None]  # of the scatter's variance than the smallest has
        spread = more * values[:, None, :]  # (cases, grid, drives)
        log_det = np.log(np.diagonal(chol, axis1=1, axis2=2)).sum(axis=1)[:, None] + 0.5 * np.log1p(spread).sum(axis=2)
        return cls(gram[:, k:, k:], turned, more / (1.0 + spread), log_det)


def _each_size(bases: Array, owns: Array, scatter_var: Array, rest: Array) -> ScatterGrid:
    """As `scatter_grid`, in several cases, which stand before each figure; `rest` is innovation and crosses, (cases, n, 1 + effects)."""
    f = _Factored.of(bases, owns, scatter_var, rest)
    # Quadratic forms with the inverse covariance: of the innovation with each of `rest`, and of each with itself.
    mixed = f.gram[:, 0, None] - f.shrunk @ (f.turned[:, :, :1] * f.turned)
    known = np.diagonal(f.gram[:, 1:, 1:], axis1=1, axis2=2)[:, None] - f.shrunk @ f.turned[:, :, 1:] ** 2
    return ScatterGrid(-0.5 * mixed[:, :, 0] - f.log_det, mixed[:, :, 1:], known)


@dataclass(eq=False, slots=True)
class Weighed:
    """Columns weighed with the inverse covariance C of what was measured, at every size of the scatter.

    Attributes
    ----------
    gram : numpy.ndarray, shape (k, c, c)
        Of the columns: Xᵀ C⁻¹ X.
    log_det : numpy.ndarray, shape (k,)
        Half of the logarithm of the determinant of C.
    """

    gram: Array
    log_det: Array

    @classmethod
    def of(cls, base: Array, owns: Array, scatter_var: Array, columns: Array) -> Weighed:
        """Weigh columns, shape (n, c); the rest as for `scatter_grid`."""
        f = _Factored.of(base[None], owns, scatter_var, columns[None])
        turned = f.turned[0]
        return cls(f.gram[0] - (turned.T * f.shrunk[0][:, None]) @ turned, f.log_det[0])

    def vary(self, column: int, more: float) -> None:
        """Let what acts along a column vary by so much more: C + more x xᵀ (Sherman, Morrison 1950)."""
        along = self.gram[:, column]
        grown = 1.0 + more * along[:, column]
        self.log_det = self.log_det + 0.5 * np.log(grown)
        self.gram = self.gram - (more / grown)[:, None, None] * along[:, :, None] * along[:, None, :]

    def log_evidence(self, column: int, more: Array, measured: Array, freedom: float) -> Array:
        """Logarithm of the density of what was measured in each of several cases, the size of the scatter integrated out.

        Parameters
        ----------
        column : int
            Along which the cases differ.
        more : numpy.ndarray, shape (cases,)
            Variance by which each lets it vary more.
        measured : numpy.ndarray, shape (cases, c)
            What was measured over what each predicts, as a sum of the columns.
        freedom : float
            Degrees of freedom of the scatter's prior.
        """
        weighed = np.einsum("ac,kcd->akd", measured, self.gram)
        grown = 1.0 + more[:, None] * self.gram[:, column, column]
        squares = (weighed * measured[:, None]).sum(axis=2) - more[:, None] / grown * weighed[:, :, column] ** 2
        return _over_sizes(-0.5 * squares - 0.5 * np.log(grown) - self.log_det, freedom)


def log_evidence(bases: Array, owns: Array, scatter_var: Array, innovations: Array, freedom: float) -> Array:
    """Logarithm of the density of what was measured, the size of the scatter integrated out, in each of several cases.

    Parameters
    ----------
    bases : numpy.ndarray, shape (cases, n, n)
        Covariance of what was measured, all but the scatter.
    owns : numpy.ndarray, shape (n, m)
        Which of the m drives each measurement belongs to.
    scatter_var : numpy.ndarray, shape (m,)
        Prior variance of the scatter of each drive.
    innovations : numpy.ndarray, shape (cases, n) or (n,)
        Measured minus predicted.
    freedom : float
        Degrees of freedom of the scatter's prior.

    Returns
    -------
    numpy.ndarray, shape (cases,)
    """
    measured = np.broadcast_to(innovations, bases.shape[:2])[:, :, None]
    return _over_sizes(_each_size(bases, owns, scatter_var, measured).log_likelihood, freedom)


def _over_sizes(log_likelihood: Array, freedom: float) -> Array:
    """Integrate the size of the scatter out of log likelihoods, shape (cases, k)."""
    most = log_likelihood.max(axis=1)
    prior = scatter_weights(np.zeros(len(SCATTER_SIZES)), freedom)
    return np.asarray(most + np.log(np.exp(log_likelihood - most[:, None]) @ prior))


def scatter_weights(
    log_likelihood: Array, freedom: float, sizes: Array = SCATTER_SIZES, rough_share: float = ROUGH_SHARE
) -> Array:
    """Posterior weight of each size of the scatter; sums to one.

    The prior is a mixture: most days a scaled inverse χ² around one, some of any size in `ROUGH_SIZES`. One narrow prior
    would outvote a handful of drives that visibly differ.

    Parameters
    ----------
    log_likelihood : numpy.ndarray, shape (k,)
    freedom : float
        Of the usual days' prior.
    sizes : numpy.ndarray, shape (k,)
        As multiples of the usual scatter.
    rough_share : float
        Of days that are not usual.
    """
    prior = _log_density(sizes, freedom)
    if rough_share > 0:
        low, high = ROUGH_SIZES
        flat = np.where((sizes > low) & (sizes < high), rough_share / math.log(high / low), 0.0)
        prior = np.log((1.0 - rough_share) * np.exp(prior) + flat)
    log_p = log_likelihood + prior
    weights = np.exp(log_p - log_p.max())
    return np.asarray(weights / weights.sum())


def _log_density(sizes: Array, freedom: float) -> Array:
    """Of the logarithm of a scaled inverse χ variate around one [1]_."""
    half = freedom / 2.0
    log_p = half * math.log(half) - math.lgamma(half) - freedom * np.log(sizes) - half / sizes**2
    return np.asarray(log_p + math.log(2.0))


def mixture_quantile(weights: Array, means: Array, sds: Array, q: float) -> float:
    """Quantile of a mixture of normals: Newton's steps, halved into the bracket where they leave it."""
    kept = weights > NEGLIGIBLE
    parts = list(zip(weights[kept].tolist(), means[kept].tolist(), sds[kept].tolist(), strict=True))
    low, high = min(m - 12 * s for _, m, s in parts), max(m + 12 * s for _, m, s in parts)
    width = high - low
    # One normal of the same mean and variance is near: two or three steps are left.
    total = sum(w for w, _, _ in parts)
    mean = sum(w * m for w, m, _ in parts) / total
    spread = math.sqrt(sum(w * (s * s + (m - mean) ** 2) for w, m, s in parts) / total)
    x = min(max(mean + spread * NORMAL_QUANTILE.inv_cdf(q), low), high)
    for _ in range(60):
        p = density = 0.0
        for w, m, s in parts:
            z = (x - m) / s
            p += w * 0.5 * math.erfc(-z * ROOT_HALF)
            density += w * math.exp(-0.5 * z * z) / s
        low, high = (x, high) if p < q else (low, x)
        step = (q - p) / (density * NORMAL) if density > 0 else math.inf
        if abs(step) < EXACT * width:
            return float(x + step)
        x = x + step if low < x + step < high else 0.5 * (low + high)
    return float(x)


@dataclass(frozen=True, eq=False)
class Posterior:
    """Every effect as a mixture over the scatter, and what it rests on.

    Attributes
    ----------
    evidence : Evidence
    innovation : numpy.ndarray, shape (n,)
    gradients : numpy.ndarray, shape (effects, u)
        Derivatives of the effects by the unknowns.
    weights : numpy.ndarray, shape (k,)
        Of the sizes of the scatter.
    means, sds : numpy.ndarray, shape (k, effects)
        Of each effect at each size.
    log_likelihood : numpy.ndarray, shape (k,)
        Of each size of the scatter.
    """

    evidence: Evidence
    innovation: Array
    gradients: Array
    weights: Array
    means: Array
    sds: Array
    log_likelihood: Array

    @property
    def scatter_multiple(self) -> float:
        """Mean size of the scatter, over its prior's: at which budget and influences are stated."""
        return float(self.weights @ SCATTER_SIZES)

    @cached_property
    def inverse(self) -> Array:
        """Inverse covariance of what was measured, at the mean size of the scatter."""
        e = self.evidence
        return np.asarray(np.linalg.inv(e.base + e.block * self.scatter_multiple**2))

    @cached_property
    def estimators(self) -> Array:
        """What each measurement counts in each effect, shape (n, effects)."""
        return np.asarray(self.inverse @ self.evidence.crosses(self.gradients))

    @cached_property
    def shifts(self) -> Array:
        """What each unknown moves each effect by at one standard deviation of its prior, shape (effects, u)."""
        left = self.gradients - self.estimators.T @ self.evidence.jacobian
        return np.asarray(left * np.sqrt(self.evidence.prior_var))

    @cached_property
    def variance_by_parameter(self) -> Array:
        """Variance that each unknown leaves in each effect, shape (effects, u)."""
        return np.asarray(self.shifts**2)

    def drive_shifts(self, effect: int, noise: Array) -> Array:
        """What scatter and reading (variances `noise`, shape (n,)) of each drive move an effect by, shape (m,)."""
        estimator, owns = self.estimators[:, effect], self.evidence.owns
        own = (owns.T @ estimator) * np.sqrt(self.evidence.scatter_var) * self.scatter_multiple
        read = (estimator**2 * noise) @ owns
        return np.asarray(np.copysign(np.sqrt(own**2 + read), own))

    def scatter_part(self, effect: int) -> float:
        """Variance that the run-to-run scatter leaves in an effect."""
        by_drive = self.evidence.owns.T @ self.estimators[:, effect]
        return float((by_drive**2) @ self.evidence.scatter_var) * self.scatter_multiple**2

    def influence(self, effect: int) -> Array:
        """Change of an effect when one drive is left out, shape (m,); exact for the linear problem."""
        weighted = self.inverse @ self.innovation
        owns, estimator = self.evidence.owns, self.estimators[:, effect]
        out = np.empty(owns.shape[1])
        for j in range(owns.shape[1]):
            span = np.flatnonzero(owns[:, j])
            shift = np.linalg.solve(self.inverse[np.ix_(span, span)], weighted[span])
            out[j] = -float(estimator[span] @ shift)
        return out


def posterior(
    evidence: Evidence, innovation: Array, gradients: Array, origins: Sequence[float], freedom: float
) -> Posterior:
    """Integrate effects over the scatter [1]_, [2]_.

    Parameters
    ----------
    evidence : Evidence
    innovation : numpy.ndarray, shape (n,)
        Measured minus predicted at the prior means.
    gradients : numpy.ndarray, shape (effects, u)
    origins : sequence of float, one per effect
        Effects at the prior means.
    freedom : float
        Degrees of freedom of the scatter's prior.

    Returns
    -------
    Posterior
    """
    crosses = evidence.crosses(gradients)
    grid = scatter_grid(evidence.base, evidence.owns, evidence.scatter_var, innovation, crosses)
    prior = np.einsum("eu,u,eu->e", gradients, evidence.prior_var, gradients)
    return Posterior(
        evidence,
        innovation,
        gradients,
        weights=scatter_weights(grid.log_likelihood, freedom),
        means=np.asarray(origins) + grid.gain,
        sds=np.sqrt(np.maximum(prior - grid.known, SMALLEST_VARIANCE)),
        log_likelihood=grid.log_likelihood,
    )
