"""All that is public, a line each: what a test holds against the program, so that it stays."""

import inspect
import sys
from collections.abc import Iterator
from pathlib import Path

import pantelos
from pantelos.scripting import campaign, figure, study, table, value, waveform

_CLASSES: tuple[type, ...] = (
    study.Study, study.Event, study.Finding, study.Interval, value.Value, waveform.Channel, waveform.Series, waveform.Samples,
    table.Table, figure.Figure, campaign.Campaign,
)  # fmt: skip


def public() -> str:
    """Return every public name with its signature, in order."""
    return "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    for name in sorted(pantelos.__all__):
        made = getattr(pantelos, name)
        yield f"pantelos.{name}{_signature(made) if inspect.isfunction(made) else ''}"
    for kind in _CLASSES:
        own = {name: member for name, member in vars(kind).items() if not name.startswith("_")}
        fields = getattr(kind, "__struct_fields__", ())
        for name in sorted({*own, *fields}):
            member = own.get(name)
            yield f"{kind.__name__}.{name}{_signature(member) if inspect.isfunction(member) else ''}"


def _signature(function: object) -> str:
    """Return the names of the parameters; types are the business of the type checker."""
    parameters = inspect.signature(function).parameters.values()  # type: ignore[arg-type]
    said = [
        ("*" if one.kind is one.VAR_POSITIONAL else "**" if one.kind is one.VAR_KEYWORD else "")
        + one.name
        + ("=" if one.default is not one.empty else "")
        for one in parameters
        if one.name != "self"
    ]
    return f"({', '.join(said)})"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(public(), encoding="utf-8")
