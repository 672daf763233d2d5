"""Where things are kept: what can be made again, and what the user decided."""

import os
from pathlib import Path
from types import ModuleType


def cache_directory() -> Path:
    """Return the user's cache folder for this program; `PANTELOS_CACHE` overrides it."""
    chosen = os.environ.get("PANTELOS_CACHE")
    return Path(chosen) if chosen else Path(_platform().user_cache_dir("pantelos"))


def settings_directory() -> Path:
    """Return the user's folder for what the program remembers of decisions; `PANTELOS_SETTINGS` overrides it."""
    chosen = os.environ.get("PANTELOS_SETTINGS")
    return Path(chosen) if chosen else Path(_platform().user_config_dir("pantelos"))


def state_directory() -> Path:
    """Return the user's folder for what belongs to its running, such as work not yet saved; `PANTELOS_STATE` overrides it."""
    chosen = os.environ.get("PANTELOS_STATE")
    return Path(chosen) if chosen else Path(_platform().user_state_dir("pantelos"))


def recordings_directory() -> Path:
    """Return the user's folder for what was recorded, made where it is not there; `PANTELOS_RECORDINGS` overrides it."""
    chosen = os.environ.get("PANTELOS_RECORDINGS")
    folder = Path(chosen) if chosen else Path(_platform().user_data_dir("pantelos")) / "recordings"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _platform() -> ModuleType:
    import platformdirs  # here, for the sake of a quick start

    return platformdirs
