"""Kinds of a laboratory's own; each module holds one, so that nothing is loaded that is not asked for."""

from pathlib import Path

FOLDER = Path(__file__).parent  # of the limit sets
