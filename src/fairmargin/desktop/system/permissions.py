"""What the application keeps is the person's alone: logbooks and recordings hold where they drove."""

from __future__ import annotations

import contextlib
import os
import stat
from pathlib import Path


def keep_private(folders: list[Path]) -> None:
    """Take what earlier versions let others read away from them: files 0600, folders 0700."""
    for folder in folders:
        if folder.is_symlink() or not folder.is_dir():
            continue
        for place, _, names in os.walk(folder):
            for path in (Path(place), *(Path(place) / name for name in names)):
                with contextlib.suppress(OSError):
                    mode = path.lstat().st_mode
                    if not stat.S_ISLNK(mode) and mode & 0o077:
                        path.chmod(stat.S_IMODE(mode) & 0o700)
