"""How large everything is drawn: by the desktop's own type, and larger or smaller as somebody wishes.

Type and drawings grow together, which the toolkit does from its start on; another size therefore opens the window anew,
at the same page. Nothing grows beyond what the screen can show.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping
from typing import Final

from PySide6.QtCore import QSettings
from PySide6.QtGui import QFontDatabase

#: What *larger* and *smaller* go through; 1 is the desktop's own type.
STEPS: Final = (0.7, 0.8, 0.9, 1.0, 1.1, 1.25, 1.4, 1.6, 1.8, 2.0, 2.5, 3.0)
#: Type of the desktop at which nothing is enlarged [pt]: the application's own 13 px at 96 dots an inch.
OWN_PT: Final = 9.75
#: The least window that shows every page [px]; what is smaller than the desktop's type may need less.
LEAST: Final = (800, 560)

_WISH: Final = "type/wish"
_DESKTOP: Final = "type/desktop"
_SCALE: Final = "QT_SCALE_FACTOR"
#: The factor that was in force before the application set its own, for the next start of the same process.
_BEFORE: Final = "FAIRMARGIN_SCALE_BEFORE"


def wish(kept: QSettings) -> float:
    """How much larger than the desktop's type somebody wants everything; 1 where nothing was said."""
    return _number(kept.value(_WISH))


def larger(wished: float, steps: int) -> float:
    """Return the size some steps larger (or, below nought, smaller) than another; the ends stay."""
    at = min(range(len(STEPS)), key=lambda i: abs(STEPS[i] - wished))
    return STEPS[min(max(at + steps, 0), len(STEPS) - 1)]


def fits(wished: float, now: float, screen: tuple[int, int]) -> bool:
    """Whether the least window fits a screen of that size [px at the size now] at another size."""
    ratio = wished / now
    return LEAST[0] * ratio <= screen[0] and LEAST[1] * ratio <= screen[1]


def wish_for(kept: QSettings, wished: float) -> None:
    """Keep how large everything is wanted."""
    kept.setValue(_WISH, wished)
    kept.sync()


def prepare(kept: QSettings, environment: Mapping[str, str] = os.environ) -> dict[str, str]:
    """Return what the environment must say before the toolkit starts.

    The person's own factor in the environment stays and is multiplied.
    """
    before = environment.get(_BEFORE, environment.get(_SCALE, ""))
    factor = _number(before) * _number(kept.value(_DESKTOP)) * wish(kept)
    if abs(factor - _number(before)) < 1e-6:
        return {_SCALE: before, _BEFORE: before} if _BEFORE in environment else {}
    return {_SCALE: f"{factor:.4g}", _BEFORE: before}


def desktop_changed(kept: QSettings, environment: Mapping[str, str] = os.environ) -> bool:
    """Whether the desktop's type is another than at the last start; kept for the next.

    Where no desktop says how large its type is, nothing follows it.
    """
    points = QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont).pointSizeF()
    told = bool(environment.get("XDG_CURRENT_DESKTOP")) and points > 0
    now = round(points / OWN_PT, 2) if told else 1.0
    if abs(now - 1.0) < 0.04:  # 9.5 and 10 points are what is drawn anyway
        now = 1.0
    if abs(now - _number(kept.value(_DESKTOP))) < 0.02:
        return False
    kept.setValue(_DESKTOP, now)
    kept.sync()
    return True


def start_anew() -> None:
    """Replace this process by a new one of the same command; does not return."""
    os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])


def _number(text: object) -> float:
    """A factor as it was kept; 1 for what is none."""
    try:
        value = float(str(text))
    except ValueError:
        return 1.0
    return value if 0.25 <= value <= 8.0 else 1.0
