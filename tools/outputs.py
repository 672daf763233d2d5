"""Everything the program says of its demos, as files: written before and after a change that must not change a digit, and compared.

python tools/outputs.py before      # then change the program
python tools/outputs.py after
diff -r before after
"""

import contextlib
import io
import json
import shlex
import sys
from pathlib import Path

from pantelos.cli.main import run
from pantelos.errors import PantelosError
from pantelos.study.storage import load_study

DEMOS = ("settling", "ripple", "inrush", "conveyor", "incidents", "lift", "week")
OF_A_STUDY = ("show {0}", "show {0} --json", "checks {0} --json", "tables {0} --json", "tables {0}", "quality {0} --json")
OF_A_CHANNEL = (
    'explain {0} "rms({1})"', 'explain {0} "frequency({1})"', 'value {0} "thd({1})"', 'value {0} "max({1})"',
    "spectrum {0} {1}", 'events {0} "{1} rises through 0 %"', 'events {0} "{1} changes most 3 times"',
)  # fmt: skip
OF_THE_PROGRAM = ("functions", "kinds", "limits", "schema", "schema limits", "value --help", "tables --help", "new --help", "edit --help")


def said(line: str) -> str:
    """Return what a command prints, and how it ended."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            ended = str(run(shlex.split(line)))
        except PantelosError as error:
            ended = f"{type(error).__name__}: {error}"
        except SystemExit as error:
            ended = f"exit {error.code}"
    return f"{out.getvalue()}\n{err.getvalue()}\nended: {ended}\n"


def main(to: Path) -> None:
    """Write all of it."""
    to.mkdir(parents=True)
    for line in OF_THE_PROGRAM:
        (to / f"{line.replace(' ', '_')}.txt").write_text(said(line), encoding="utf-8")
    for demo in DEMOS:
        own = to / demo
        made = to.parent / "demos" / demo  # at one place before and after: it stands in what is said
        if not made.exists():
            run(["demo", "--which", demo, "--to", str(made), "--no-window"])
        path = next(made.glob("*.pantelos"))
        own.mkdir()
        channels = [channel.name for channel in load_study(path).channels][:4]
        lines = [line.format(path) for line in OF_A_STUDY]
        lines += [line.format(path, name) for name in channels for line in OF_A_CHANNEL]
        lines.append(f"report {path} --to {own / 'report.html'}")
        texts = {line.replace(str(own), "HERE"): said(line).replace(str(own), "HERE") for line in lines}
        (own / "said.json").write_text(json.dumps(texts, indent=1, ensure_ascii=False), encoding="utf-8")
        print(demo, flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
