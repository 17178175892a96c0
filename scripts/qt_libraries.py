"""Check that the system libraries Qt needs are there; as root, install the missing ones.

Asks the dynamic loader (``ldd``) about the Qt libraries and platform plugins that the wheel brought, and
maps what is missing to Debian packages. Exit status 1 with the one command to type when it cannot install.
"""

import importlib.util
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

# Shared object -> Debian 12 package.
PACKAGES = {
    "libEGL.so.1": "libegl1",
    "libGL.so.1": "libgl1",
    "libOpenGL.so.0": "libopengl0",
    "libGLX.so.0": "libglx0",
    "libfontconfig.so.1": "libfontconfig1",
    "libfreetype.so.6": "libfreetype6",
    "libdbus-1.so.3": "libdbus-1-3",
    "libglib-2.0.so.0": "libglib2.0-0",
    "libgthread-2.0.so.0": "libglib2.0-0",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
    "libX11.so.6": "libx11-6",
    "libX11-xcb.so.1": "libx11-xcb1",
    "libxcb.so.1": "libxcb1",
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render.so.0": "libxcb-render0",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-shm.so.0": "libxcb-shm0",
    "libxcb-sync.so.1": "libxcb-sync1",
    "libxcb-util.so.1": "libxcb-util1",
    "libxcb-xfixes.so.0": "libxcb-xfixes0",
    "libxcb-xkb.so.1": "libxcb-xkb1",
    "libwayland-client.so.0": "libwayland-client0",
    "libwayland-cursor.so.0": "libwayland-cursor0",
    "libwayland-egl.so.1": "libwayland-egl1",
}
# What the window needs; the wheel's other plugins may miss what they like.
PARTS = [
    "lib/libQt6Core.so.6",
    "lib/libQt6Gui.so.6",
    "lib/libQt6Widgets.so.6",
    "lib/libQt6Svg.so.6",
    "plugins/platforms/libqxcb.so",
    "plugins/platforms/libqoffscreen.so",
    "plugins/platforms/libqwayland.so",
]


def missing() -> tuple[set[str], set[str]]:
    """Debian packages to install, and shared objects that no package is known for."""
    spec = importlib.util.find_spec("PySide6")
    if spec is None or not spec.submodule_search_locations:
        sys.exit("PySide6 is not installed in .venv: run `make clean setup`.")
    root = Path(next(iter(spec.submodule_search_locations))) / "Qt"
    absent: set[str] = set()
    for part in PARTS:
        if (root / part).exists():
            out = subprocess.run(["ldd", root / part], capture_output=True, text=True, check=False).stdout
            absent |= set(re.findall(r"^\s*(\S+) => not found", out, re.MULTILINE))
    known = {PACKAGES[name] for name in absent if name in PACKAGES}
    return known, {name for name in absent if name not in PACKAGES}


def main() -> int:
    """Install or name what is missing."""
    packages, unknown = missing()
    if packages:
        command = ["apt-get", "install", "-y", "--no-install-recommends", *sorted(packages)]
        if os.geteuid() == 0 and shutil.which("apt-get"):
            print("Installing the system libraries Qt needs:", *sorted(packages))
            quiet = {"stdout": subprocess.DEVNULL, "env": {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}}
            subprocess.run(["apt-get", "update", "-q"], check=False, **quiet)
            subprocess.run(command, check=False, **quiet)
            packages, unknown = missing()
        if packages:
            print("Qt needs system libraries that are missing. Type this once:", file=sys.stderr)
            print("  sudo", *command, file=sys.stderr)
            return 1
    if unknown:
        print("Qt misses system libraries:", *sorted(unknown), file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
