"""A multiplier with the derivative of its logarithm: what a rule hands to the fit."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Factor(NamedTuple):
    """A multiplier, and the derivative of its logarithm by the coefficient of its rule; arrays of one shape."""

    value: NDArray[np.float64]
    log_by_coefficient: NDArray[np.float64]
