"""Menu entry, icon and file type for the person's desktop, by the XDG rules; imports no Qt."""

from __future__ import annotations

import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path

import platformdirs


def install() -> list[str]:
    """Write the files below the person's data folder and return what was done, line by line."""
    data = Path(platformdirs.user_data_dir()).expanduser()
    source = resources.files("fairmargin.desktop") / "data"
    command = Path(sys.argv[0]).resolve()
    executable = command if command.name == "fairmargin" else Path(sys.prefix) / "bin" / "fairmargin"
    entry = (source / "fairmargin.desktop").read_text(encoding="utf-8")
    entry = entry.replace("Exec=fairmargin", f'Exec="{executable}"')
    targets = {
        data / "applications" / "fairmargin.desktop": entry.encode(),
        data / "icons" / "hicolor" / "scalable" / "apps" / "fairmargin.svg": (source / "fairmargin.svg").read_bytes(),
        data / "mime" / "packages" / "fairmargin.xml": (source / "fairmargin-mime.xml").read_bytes(),
    }
    done = []
    for path, content in targets.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        done.append(f"wrote {path}")
    for tool, folder in (("update-mime-database", data / "mime"), ("update-desktop-database", data / "applications")):
        if shutil.which(tool):
            subprocess.run([tool, str(folder)], check=False)
            done.append(f"ran {tool}")
    return done
