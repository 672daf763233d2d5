"""The file beside a recording that is being made, or was not ended: its course."""

from pathlib import Path


def course_beside(path: Path) -> Path:
    """Return where the course of a recording stands while it is made."""
    return path.with_name(f"{path.name}.course")


def files_beside(path: Path) -> tuple[Path, ...]:
    """Return the files that a recording is made of beside its own."""
    course = course_beside(path)
    return (course,) if course.exists() else ()
