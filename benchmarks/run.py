"""Run every benchmark (`make bench`); coverage with fewer studies than its own default."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

if __name__ == "__main__":
    here = Path(__file__).parent
    for name, *arguments in (
        ("startup.py",),
        ("edit.py",),
        ("analysis.py",),
        ("traces.py",),
        ("bringing.py",),
        ("coverage.py", "60"),
    ):
        print(f"== {name}", flush=True)
        subprocess.run([sys.executable, str(here / name), *arguments], check=True)
