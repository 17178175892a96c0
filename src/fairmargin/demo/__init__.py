"""The demo logbook: the invented vans of the Wexmoor Bakers' Cooperative, shipped as it was made.

Making it takes the simulator and thirty analyses; a first start should not wait for them. `studies` makes it anew, and a test
holds what is shipped against that.
"""

from __future__ import annotations

import lzma
from importlib import resources
from pathlib import Path
from typing import Final

from fairmargin.exchange.files.atomic import write_whole

SHIPPED: Final = "demo.fairmargin.xz"


def make_demo_logbook(path: str | Path) -> None:
    """Put the demo logbook where it is wanted; a file that is already there is left alone.

    Raises
    ------
    InvalidInput
        If it cannot be written.
    """
    path = Path(path)
    if path.exists() and path.stat().st_size > 0:
        return
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    packed = (resources.files("fairmargin.demo") / "data" / SHIPPED).read_bytes()
    write_whole(path, lzma.decompress(packed))
