"""Fair Margin: what a change does to a vehicle's consumption, with an honest margin.

The library, of which docs/library.md shows the use: `read`, `analyse`, `from_frame`, `write`. Nothing of it is loaded
before it is asked for.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from fairmargin.core.study import Leg, Study, Trace, Vehicle, new_study
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import Package
    from fairmargin.library import Analysis, analyse, from_frame, read, write

__all__ = [
    "Analysis",
    "InvalidInput",
    "Leg",
    "Package",
    "Study",
    "Trace",
    "Vehicle",
    "__version__",
    "analyse",
    "from_frame",
    "new_study",
    "read",
    "write",
]

_OF_STUDY = frozenset({"Leg", "Study", "Trace", "Vehicle", "new_study"})


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module("fairmargin.core.study" if name in _OF_STUDY else "fairmargin.library"), name)
