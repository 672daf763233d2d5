"""Mutated recordings, study files, formulas and event sentences: each is understood, or refused in one sentence.

`make fuzz` runs ten thousand in processes of their own, and watches time and memory; the tests run a few of them.
"""

import argparse
import copy
import faulthandler
import json
import multiprocessing
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import traceback
import warnings
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "formats"))
import numpy as np
from corpus import BINARY, TEXTS, WITHIN
from scipy.io import wavfile

from pantelos.checks.as_read import as_read
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.formula.functions import all_functions
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview, record_of
from pantelos.study.sentences import search_from
from pantelos.study.storage import load_study

LONGEST_S, MOST_BYTES, LONGEST_MESSAGE = 10, 1 << 30, 900
WAITED = 10  # times as long, by the clock
LONGEST = 50_000_000  # samples: a few rows may say that they lie weeks apart, and reading weeks takes its time
KINDS = (("recording", 0.55), ("study", 0.45), ("formula", 0.6), ("sentence", 1.0))  # each of what the ones before leave
WORDS = ["u1", "i1", "mean", "rms", "thd", "phase", "integral", "(", ")", "((", "))", ",", "+", "-", "*", "/", "^", "^(1/2)", "^99", "2", "1e308",
         "1e-400", "0", "9" * 60, "kV", "[V]", "where", "in", "over", "cycles(u1)", "and", "or", "not", "<", ">=", '"steady"', "steady", "parsnip",
         "Ω", "µ", "\0", "\n", "u1*i1", "sqrt", "abs", "max", "min", "derivative"]  # fmt: skip
EVENT_WORDS = ["u1", "i1", "rises", "falls", "through", "0", "V", "230 V", "50 %", "is", "above", "below", "for", "longer", "shorter", "than",
               "20 ms", "1e9 s", "-5", "nan", "enters", "leaves", "between", "and", "gap", "steepest", "5", "hold-off", ",", "with", "hysteresis",
               "parsnip", "(", "\0", "9" * 50]  # fmt: skip
PIECES = [b"\0", b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"-", b"1e308", b"nan", b",", b";", b"\n", b"\r", b"\t", b'"', b"9" * 40, b"OL", b"u" * 300,
          b"\xe2\x88\x92", b"2026-03-05T10:00:00Z", b"[", b"{", b"kV", b"1e400", b" " * 5000,
          b"12-Mar-2026 14:05:06", b"Europe/Zurich", b"20260312T140506", b">500", b"ERR", b"T_case", b"Mean", b"PK\x03\x04", b"\x1f\x8b"]  # fmt: skip
ARGUMENTS = ["u1", "u1", "i1", "u1 * i1", "-u1", "0 * i1", "2", "0", "-1", "95", "50 Hz", "1e9 Hz", "20 ms", "1 ns", "-3 ms", "1 cycles", "5 V", "25 %",
             "20 degC", "[0 V 1 A, 5 V 2 A]", "u1 where u1 > 0 V", "steady", '"whole record"', "causal", "1e300", "u1 > 2 V", "mean(u1)",
             "rms(u1) over cycles(u1)", "1500 rpm"]  # fmt: skip
PIECES_TAKEN = ["cycles(u1)", "cycles(u1, 0 V)", "cycles(i1, 50 %, 10 %)", "pulses(u1)", "pulses(i1, 1e9 A)", "blocks(20 ms)", "blocks(7 ms, 3 ms)",
                "blocks(2 cycles)", "blocks(1 us)", "blocks(99 s)", "intervals", "intervals(steady)", "between(none)", "u1", "blocks(0 s)"]  # fmt: skip
FUNCTIONS = all_functions()
VALUES = [
    None,
    True,
    0,
    -1,
    1e308,
    -1e308,
    10**400,
    float("nan"),
    float("inf"),
    "",
    "x" * 5000,
    "../..",
    [],
    {},
    [[]],
    [1, 2, 3],
    "\0",
    {"a": 1},
]


def seeds(folder):
    """Write the recordings that are mutated; return their contents by name."""
    for name, case in {**TEXTS, **BINARY, **WITHIN}.items():
        path = folder / f"{sum(name.encode())}{case.suffix}"
        if isinstance(case.write, str):
            path.write_bytes(case.write.encode())
        else:
            case.write(path)
    wavfile.write(folder / "a.wav", 8000, (1000 * np.sin(np.arange(800)[:, None] * [0.1, 0.2])).astype("int16"))
    (folder / "a.cff").write_text("--- file type: CFG ---\r\nbench,1,2013\r\n2,1A,1D\r\n1,u1,,,V,1,0,0,-99,99,1,1,P\r\n1,on,,,0\r\n50\r\n1\r\n1000,40\r\n"
                                  "05/03/2026,10:00:00.0\r\n05/03/2026,10:00:00.0\r\nASCII\r\n1\r\n--- file type: DAT ASCII: 40 ---\r\n"
                                  + "".join(f"{k + 1},{k * 1000},{k},{k % 2}\r\n" for k in range(40)))  # fmt: skip
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


def mutated(rng, content):
    """Return bytes with a few changes."""
    made = bytearray(content)
    for _ in range(rng.randint(1, 6)):
        at, kind = rng.randrange(len(made) + 1), rng.random()
        if kind < 0.35 and made:
            made[min(at, len(made) - 1)] = rng.randrange(256)
        elif kind < 0.6:
            made[at:at] = rng.choice(PIECES)
        elif kind < 0.8:
            del made[at : at + rng.choice([1, 2, 7, 100])]
        elif kind < 0.9:
            del made[at:]
        else:
            made[at:at] = made[at : at + rng.choice([3, 50, 500])]
    return bytes(made)


def mutated_study(rng, content):
    """Return a study file with a value replaced somewhere, or bytes changed."""
    if rng.random() < 0.3:
        return mutated(rng, content)
    tree = json.loads(content)
    for _ in range(rng.randint(1, 3)):
        place = tree
        while True:
            keys = list(place) if isinstance(place, dict) else list(range(len(place)))
            if not keys:
                break
            key = rng.choice(keys)
            if isinstance(place[key], dict | list) and place[key] and rng.random() < 0.85:
                place = place[key]
                continue
            place[key] = copy.deepcopy(rng.choice(VALUES))
            break
    return json.dumps(tree).encode()


def call(rng, depth=0):
    """A call of any function on arguments that fit as often as not, over pieces perhaps."""
    function = rng.choice(FUNCTIONS)
    n = max(function.least + rng.choice([0, 0, 0, 1, -1]), 0)
    arguments = [call(rng, depth + 1) if depth < 2 and rng.random() < 0.2 else rng.choice(ARGUMENTS) for _ in range(n)]
    text = f"{function.name}({', '.join(arguments)})"
    if function.reading is not None and rng.random() < 0.4:
        text += f" over {rng.choice(PIECES_TAKEN)}"
    return text + (" to kW" if rng.random() < 0.05 else "")


class Fuzz:
    """Everything one process needs."""

    def __init__(self, folder):
        self.folder = folder
        (folder / "seeds").mkdir(exist_ok=True)
        self.seeds = seeds(folder / "seeds")
        source = folder / "phase.csv"
        t = np.arange(2000) / 10_000
        rows = zip((325 * np.sin(314.159 * t)).tolist(), (14 * np.sin(314.159 * t - 1)).tolist(), strict=True)
        source.write_text("rate: 10 kHz\nu1 [V],i1 [A]\n" + "".join(f"{u!r},{i!r}\n" for u, i in rows))
        from pantelos.cli.main import run  # a study with everything in it

        with Path(os.devnull).open("w") as nowhere:
            shown, sys.stdout = sys.stdout, nowhere
            run(["new", str(folder / "s.pantelos"), str(source), "--connection", "load=single-phase: u=u1, i=i1", "--formula", "p = u1 * i1",
                 "--interval", "steady=0.05..0.15", "--panel", "spectrum u1", "--force"])  # fmt: skip
            sys.stdout = shown
        self.study = (folder / "s.pantelos").read_bytes()
        opened = load_study(folder / "s.pantelos")
        self.evaluation = Evaluation(opened, record_of(opened))

    def case(self, number):
        """Run one case; return what it was. PantelosError is an answer; anything else is a fault."""
        rng = random.Random(number)
        kind = next(kind for kind, share in KINDS if rng.random() < share)
        try:
            getattr(self, f"_{kind}")(rng)
        except PantelosError as error:
            text = str(error)
            assert "\n" not in text.strip(), text
            assert len(text) < LONGEST_MESSAGE, f"{len(text)} letters: {text[:300]}"
        return kind

    def _formula(self, rng):
        if rng.random() < 0.5:
            found = self.evaluation.value(call(rng))
            if hasattr(found, "read"):
                found.read(0, 50), found.read(found.n_samples - 3, found.n_samples)
            return
        soup = " ".join(rng.choice(WORDS) for _ in range(rng.randint(1, 12)))
        self.evaluation.value(soup if rng.random() < 0.98 else "(" * 3000 + "1")

    def _sentence(self, rng):
        soup = " ".join(rng.choice(EVENT_WORDS) for _ in range(rng.randint(1, 10)))
        self.evaluation.events.find(search_from(soup, self.evaluation.names.types))

    def _recording(self, rng):
        name = rng.choice(sorted(self.seeds))
        path = self.folder / f"mutated{Path(name).suffix}"
        path.write_bytes(mutated(rng, self.seeds[name]))
        found = preview(path)
        if found.problems:
            return
        study, recordings = import_recording(Study(), path, found.dialect)
        evaluation = Evaluation(study, recordings.record(study.record))
        if evaluation.record.n_samples > LONGEST:
            return
        list(as_read(evaluation))
        evaluation.value(f"rms({study.channels[0].name})")

    def _study(self, rng):
        path = self.folder / "mutated.pantelos"
        path.write_bytes(mutated_study(rng, self.study))
        study = load_study(path)
        if study.record is not None:
            evaluation = Evaluation(study, record_of(study))
            for interval in study.intervals:
                evaluation.places.n_cycles(interval.name)
            for name in study.names:
                evaluation.names.types.get(name)


class TooLong(BaseException):
    """A case took longer than is allowed."""


def _alarm(number, frame):
    raise TooLong


def _worker(first, count, queue, at):
    folder = Path(tempfile.mkdtemp(prefix="fuzz-"))
    os.environ["PANTELOS_CACHE"], os.environ["PANTELOS_SETTINGS"] = str(folder / "cache"), str(folder / "settings")
    fuzz = Fuzz(folder)
    warnings.simplefilter("ignore")  # numbers of damaged files may be anything
    resource.setrlimit(resource.RLIMIT_AS, (8 << 30, 8 << 30))
    base = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    signal.signal(signal.SIGALRM, _alarm)
    signal.signal(signal.SIGPROF, _alarm)  # of processor time: a busy machine is no fault
    for number in range(first, first + count):
        at.value = number
        signal.setitimer(signal.ITIMER_PROF, LONGEST_S)
        signal.alarm(WAITED * LONGEST_S)
        faulthandler.dump_traceback_later(WAITED * LONGEST_S + 10, exit=True)  # inside a library no signal arrives
        try:
            fuzz.case(number)
        except TooLong:
            queue.put((number, f"longer than {LONGEST_S} s: {traceback.format_exc(limit=-3)}"))
        except BaseException:
            queue.put((number, traceback.format_exc(limit=-4)))
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.alarm(0)
        faulthandler.cancel_dump_traceback_later()
        if number % 50 == 0:
            shutil.rmtree(folder / "cache" / "records", ignore_errors=True)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 - base
    if peak > MOST_BYTES:
        queue.put((first, f"{peak >> 20} MB of memory"))
    queue.put((None, peak))
    shutil.rmtree(folder, ignore_errors=True)


def main():
    """Run many cases; return 1 when any of them is a fault."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=10_000)
    parser.add_argument("--first", type=int, default=0)
    chosen = parser.parse_args()
    queue, n = multiprocessing.Queue(), os.cpu_count() or 1
    share = -(-chosen.cases // n)
    at = [multiprocessing.Value("q", 0) for _ in range(n)]
    workers = [multiprocessing.Process(target=_worker, args=(chosen.first + k * share, share, queue, at[k])) for k in range(n)]
    for worker in workers:
        worker.start()
    faults, peaks = [], []
    while len(peaks) < n and (any(worker.is_alive() for worker in workers) or not queue.empty()):
        try:
            number, said = queue.get(timeout=5)
        except Exception:
            continue
        if number is None:
            peaks.append(said)
        else:
            faults.append(number)
            print(f"case {number}: {said}", flush=True)
    for worker, number in zip(workers, at, strict=True):
        worker.join()
        if worker.exitcode:
            faults.append(number.value)
            print(f"case {number.value} ended its process", flush=True)
    print(f"{share * n} cases, {len(faults)} faults, at most {max(peaks, default=0) >> 20} MB above the start")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
