"""Where the application keeps its own files, by the XDG rules."""

from __future__ import annotations

from pathlib import Path

import platformdirs

from fairmargin.logbook.store import SUFFIX

NAME = "fairmargin"


def data_folder() -> Path:
    """Folder of logbooks."""
    return platformdirs.user_data_path(NAME, appauthor=False)


def config_folder() -> Path:
    """Folder of settings."""
    return platformdirs.user_config_path(NAME, appauthor=False)


def demo_path() -> Path:
    """Place of the demo logbook."""
    return data_folder() / f"demo{SUFFIX}"


def settings_path() -> Path:
    """Place of the settings, an INI file."""
    return config_folder() / "settings.ini"


def log_path() -> Path:
    """Place of the private log of what went wrong."""
    return platformdirs.user_log_path(NAME, appauthor=False) / f"{NAME}.log"
