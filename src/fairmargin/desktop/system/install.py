"""Menu entry, icon and file type for the person's desktop, by the XDG rules; imports no Qt."""

from __future__ import annotations

import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path
from typing import Final

import platformdirs

METAINFO: Final = "org.fairmargin.fairmargin.metainfo.xml"


def _data() -> Path:
    """The person's data folder."""
    return Path(platformdirs.user_data_dir()).expanduser()


def places(data: Path) -> dict[str, Path]:
    """Where each file goes below a data folder, by its name among the application's own."""
    return {
        "fairmargin.desktop": data / "applications" / "fairmargin.desktop",
        "fairmargin.svg": data / "icons" / "hicolor" / "scalable" / "apps" / "fairmargin.svg",
        "fairmargin-mime.xml": data / "mime" / "packages" / "fairmargin.xml",
        METAINFO: data / "metainfo" / METAINFO,
    }


def install() -> list[str]:
    """Write the files below the person's data folder and return what was done, line by line."""
    data = _data()
    source = resources.files("fairmargin.desktop") / "data"
    command = Path(sys.argv[0]).resolve()
    executable = command if command.name == "fairmargin" else Path(sys.prefix) / "bin" / "fairmargin"
    entry = (source / "fairmargin.desktop").read_text(encoding="utf-8")
    entry = entry.replace("Exec=fairmargin", f'Exec="{executable}"')
    done = []
    for name, path in places(data).items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(entry.encode() if name == "fairmargin.desktop" else (source / name).read_bytes())
        done.append(f"wrote {path}")
    return done + _told_to_the_desktop(data)


def uninstall() -> list[str]:
    """Take away what `install` wrote, and nothing else; logbooks and settings stay."""
    data = _data()
    done = []
    for path in places(data).values():
        if path.is_file():
            path.unlink()
            done.append(f"removed {path}")
    return done + _told_to_the_desktop(data) if done else ["nothing was installed"]


def _told_to_the_desktop(data: Path) -> list[str]:
    """Let the desktop read its lists anew, where it has them."""
    done = []
    for tool, folder in (("update-mime-database", data / "mime"), ("update-desktop-database", data / "applications")):
        if shutil.which(tool) and folder.is_dir():
            subprocess.run([tool, str(folder)], check=False)
            done.append(f"ran {tool}")
    return done
