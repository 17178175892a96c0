"""Write the demo logbook that is shipped: ``make demo-logbook``, wherever a figure of the demo moved."""

from __future__ import annotations

import lzma
import tempfile
from pathlib import Path

from fairmargin.demo import SHIPPED
from fairmargin.demo.studies import build_demo_logbook

if __name__ == "__main__":
    target = Path(__file__).parents[1] / "src" / "fairmargin" / "demo" / "data" / SHIPPED
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "demo.fairmargin"
        build_demo_logbook(made)
        target.write_bytes(lzma.compress(made.read_bytes(), preset=9))
    print(f"{target}: {target.stat().st_size} bytes")
