"""Programs that are killed while they save, import, record or report: nothing is lost, and what they left is cleared later.

`make kills` kills five hundred: each ends a command at a random instant of its run, looks at what there is, and lets the command
go through afterwards.
"""

import argparse
import contextlib
import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

COMMAND = [sys.executable, "-m", "pantelos"]
KINDS = ("edit", "new", "report", "convert", "record")


class Bench:
    """A folder with a study and recordings, a recorder, and commands that work on them."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        t = np.arange(200_000) / 1e4
        for name, n in (("a.csv", 2000), ("big.csv", 200_000)):
            text = "".join(f"{x:.4f},{325 * np.sin(314.159 * x):.4f}\n" for x in t[:n])
            (self.folder / name).write_text(f"t [s],u [V]\n{text}")
        self.recordings = {name: (self.folder / name).read_bytes() for name in ("a.csv", "big.csv")}
        self.run("new", "a.pantelos", "a.csv")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.recorder = self.start("recorder", "--port", self.port)

    def start(self, *words):
        own = {"CACHE": "cache", "SETTINGS": "settings", "STATE": "state"}
        places = {f"PANTELOS_{name}": str(self.folder / place) for name, place in own.items()} | {"QT_QPA_PLATFORM": "offscreen"}
        return subprocess.Popen(
            [*COMMAND, *map(str, words)], env=os.environ | places, cwd=self.folder, stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT, text=True, start_new_session=True,
        )  # fmt: skip

    def run(self, *words):
        """Run a command to its end; return what it said where it failed, else nothing."""
        started = self.start(*words)
        said, _ = started.communicate(timeout=120)
        return (said.strip()[-300:] or "failed") if started.returncode else ""

    def words(self, kind, k):
        """Return the command of one kind, and the file it writes."""
        record = ("record", f"127.0.0.1:{self.port}", "--to", f"rec{k}.pantelos", "--rate", "20 kHz", "--time", "0.5 s")
        return {
            "edit": (("edit", "a.pantelos", "--title", f"title {k}"), "a.pantelos"),
            "new": (("new", f"new{k}.pantelos", "big.csv"), f"new{k}.pantelos"),
            "report": (("report", "a.pantelos", "--to", "r.html"), "r.html"),
            "convert": (("convert", "a.pantelos", "c.h5"), "c.h5"),
            "record": ((*record, "--channel", "u1=1: range 5 V"), f"rec{k}.pantelos"),
        }[kind]

    def faults_of(self, kind, k, was):
        """Yield what is wrong after a kill."""
        words, made = self.words(kind, k)
        path = self.folder / made
        if was is not None and not path.exists():
            yield "what was there is gone"
        if path.exists() and path.suffix == ".pantelos" and (said := self.run("show", made)):
            yield f"the study does not open: {said}"
        for recording in self.folder.glob(f"rec{k}*.recording") if kind == "record" else ():
            if recording.stat().st_size and (said := self.run("inspect", recording.name)) and "no samples" not in said:
                yield f"what was recorded is not read: {said}"
        if kind == "convert" and path.exists() and (said := self.run("inspect", made)):
            yield f"half a file appeared: {said}"
        if any((self.folder / name).read_bytes() != content for name, content in self.recordings.items()):
            yield "a recording changed"
        again = kind in ("edit", "report", "convert") or (kind == "new" and not path.exists())
        if again and (said := self.run(*words)):
            yield f"does not go through afterwards: {said}"

    def killed(self, kind, k, length_s):
        """Kill a command within its usual length; return its faults."""
        words, made = self.words(kind, k)
        if kind == "new":
            shutil.rmtree(self.folder / "cache", ignore_errors=True)
        was = (self.folder / made).exists() or None
        started = self.start(*words)
        time.sleep(length_s)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(started.pid, signal.SIGKILL)
        started.communicate()
        return [f"{kind} {k}: {fault}" for fault in self.faults_of(kind, k, was)]

    def left_behind(self):
        """Return what hidden files stand there still once they are old and every command has run again."""
        old = time.time() - 4 * 3600
        for path in self.folder.iterdir():
            if path.name.startswith("."):
                os.utime(path, (old, old))
        for kind in KINDS:
            self.run(*self.words(kind, "last")[0])
        return [path.name for path in self.folder.iterdir() if path.name.startswith(".")]


def main():
    """Kill, look, and count faults."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=500)
    parser.add_argument("--seed", type=int, default=0)
    chosen = parser.parse_args()
    rng, bench, faults = random.Random(chosen.seed), Bench(), []
    try:
        time.sleep(2.0)
        lengths = {}
        for kind in KINDS:
            began = time.monotonic()
            if said := bench.run(*bench.words(kind, "0")[0]):
                raise SystemExit(f"{kind}: {said}")
            lengths[kind] = time.monotonic() - began
        for k in range(1, chosen.kills + 1):
            kind = KINDS[k % len(KINDS)]
            faults += bench.killed(kind, k, rng.uniform(0.15, 1.1) * lengths[kind])
        left = bench.left_behind()
    finally:
        os.killpg(bench.recorder.pid, signal.SIGKILL)
        shutil.rmtree(bench.folder, ignore_errors=True)
    print("\n".join([*faults[:20], f"{chosen.kills} kills, {len(faults)} faults, left behind: {', '.join(left) or 'nothing'}"]))
    return 1 if faults or left else 0


if __name__ == "__main__":
    raise SystemExit(main())
