"""Where everything lives that can be made again."""

import os
from pathlib import Path

import platformdirs


def cache_directory() -> Path:
    """Return the user's cache folder for this program; `PANTELOS_CACHE` overrides it."""
    chosen = os.environ.get("PANTELOS_CACHE")
    return Path(chosen) if chosen else Path(platformdirs.user_cache_dir("pantelos"))
