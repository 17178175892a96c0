"""The exact posterior of an effect by sampling, to set the linearised one against.

Elliptical slice sampling: I. Murray, R. P. Adams, D. J. C. MacKay, Proc. AISTATS 2010, JMLR W&CP 9, 541 (from memory),
with the linearised posterior as the Gaussian part and what the exact one has beyond it as the likelihood.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import posterior
from fairmargin.core.inference.problem import LEAST_SHARE, prepare
from fairmargin.core.inference.solver import negative_log_posterior, solve

NORMAL_95 = 1.959964
WARM_UP = 8  # of the samples, one in so many is left out at the beginning


@dataclass(frozen=True)
class Compared:
    """An effect of both kinds, logarithms of the ratio, at the scatter's mean size."""

    linear_mean: float
    linear_half: float  # of the 95 % interval
    mean: float
    low: float
    high: float
    independent: float  # samples' worth

    @property
    def shift(self) -> float:
        """What the mean moves by, over the linearised half-width."""
        return (self.mean - self.linear_mean) / self.linear_half

    @property
    def width(self) -> float:
        """Width of the sampled interval over the linearised one."""
        return (self.high - self.low) / 2 / self.linear_half


def compared(study, traces, samples: int, seed: int) -> Compared:
    """Sample the first trial's effect of a study with one speed and no sectors."""
    found = gather(study, traces)
    own = [found.conditions[name] for o in found.observations for name in o.legs]
    problem = prepare(study, own, found.observations, found.logs[""], FitOptions())
    solution = solve(problem)
    levels, gradients = problem.levels(solution.at)
    effect = gradients[1] - gradients[0]
    origin = float(levels[1] - levels[0] + effect @ (problem.prior_mean - solution.theta))
    evidence = problem.evidence(solution.at, solution.segment_share)
    innovation = problem.innovation(solution.at, solution.theta)
    result = posterior(evidence, innovation, effect[None, :], [origin], FitOptions().scatter_freedom)
    size, prior = result.scatter_multiple, problem.prior_var
    gain = prior[:, None] * evidence.jacobian.T
    middle = problem.prior_mean + gain @ (result.inverse @ innovation)
    covariance = np.diag(prior) - gain @ result.inverse @ gain.T
    half = NORMAL_95 * math.sqrt(float(effect @ covariance @ effect))
    values, vectors = np.linalg.eigh(covariance / np.sqrt(np.outer(prior, prior)))
    root = np.sqrt(prior)[:, None] * (vectors * np.sqrt(np.maximum(values, 1e-12)))
    noise = np.linalg.inv(np.diag(problem.rows.noise(solution.segment_share)) + evidence.block * size**2)
    n = len(problem.rows.leg)

    def beyond(z):
        theta = middle + root @ z
        wh = problem.model.energies(problem.local_of(problem.weights[:n], theta), False).wh
        least = LEAST_SHARE * np.exp(problem.rows.measured)
        predicted = np.log(np.maximum(np.add.reduceat(wh, problem.rows.first), least))
        return 0.5 * z @ z - negative_log_posterior(problem, noise, theta, predicted)

    def effect_of(z):
        local = problem.local_of(problem.weights[n:], middle + root @ z)
        wh = problem.reference_model.energies(local, False).wh.reshape(-1, problem.reference.each).sum(axis=1)
        return math.log(wh[1] / wh[0])

    rng = np.random.default_rng(seed)
    z = np.zeros(len(prior))
    now = beyond(z)
    effects = np.empty(samples)
    for k in range(samples):
        other, level = rng.normal(size=len(z)), now + math.log(rng.random())
        angle = rng.uniform(0, 2 * math.pi)
        low, high = angle - 2 * math.pi, angle
        while True:
            trial = z * math.cos(angle) + other * math.sin(angle)
            there = beyond(trial)
            if there > level:
                break
            low, high = (angle, high) if angle < 0 else (low, angle)
            angle = rng.uniform(low, high)
        z, now = trial, there
        effects[k] = effect_of(z)
    kept = effects[samples // WARM_UP :]
    low, high = np.quantile(kept, [0.025, 0.975])
    return Compared(
        origin + float(result.estimators[:, 0] @ innovation), half, float(kept.mean()), float(low), float(high),
        _independent(kept),
    )  # fmt: skip


def _independent(values) -> float:
    """How many independent samples these are worth, by their autocorrelation."""
    off = values - values.mean()
    spectrum = np.fft.rfft(off, 2 * len(off))
    along = np.fft.irfft(spectrum * np.conj(spectrum))[: len(off)]
    if along[0] <= 0:
        return float(len(off))
    along = along / along[0]
    end = int(np.argmax(along < 0.05)) or len(along)
    return float(len(off) / (1 + 2 * along[1:end].sum()))
