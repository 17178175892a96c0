"""When garbage is looked for: not while the window loads, and never among what it loaded."""

from __future__ import annotations

import gc


def hold_off() -> None:
    """Look for none while modules load: nothing of them goes away again."""
    gc.disable()


def settle() -> None:
    """Look for it from now on, among what comes: a whole look through what was loaded stops the window for some 80 ms."""
    gc.freeze()
    gc.enable()
