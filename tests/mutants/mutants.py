"""How many small mistakes the tests notice: a random sample of mutations, package by package.

`make mutants` changes one place of a copy of the program (an operator, a comparison, a number, a word of logic), runs the tests that
should notice, and counts those that do. The sample is drawn anew each time; its seed is printed and can be told.
"""

import argparse
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from cosmic_ray.ast import Visitor, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator

_NUMBERS = "tests/unchanged"
TESTS = {
    "signal": (
        _NUMBERS,
        "tests/signal",
        "tests/formula/test_curves.py",
        "tests/formula/test_partitions.py",
        "tests/quality/test_quality.py",
    ),
    "power": (_NUMBERS, "tests/power", "tests/engine/test_same_number.py", "tests/accuracy/test_reference_cases.py"),
    "quality": (_NUMBERS, "tests/quality", "tests/accuracy/test_reference_cases.py"),
    "reading": (_NUMBERS, "tests/formula", "tests/engine", "tests/signal/test_time_domain.py", "tests/signal/test_distortion.py"),
    "record": (_NUMBERS, "tests/record", "tests/study", "tests/formats/test_comtrade.py"),
    "accuracy": (_NUMBERS, "tests/accuracy", "tests/engine/test_checks_and_explanations.py"),
}
OPERATORS = (
    *(f"ReplaceBinaryOperator_{change}" for change in ("Add_Sub", "Sub_Add", "Mul_Div", "Div_Mul", "Mod_Mul", "Pow_Mul")),
    *(f"ReplaceComparisonOperator_{change}" for change in ("Lt_LtE", "LtE_Lt", "Gt_GtE", "GtE_Gt", "Eq_NotEq", "NotEq_Eq", "Lt_Gt", "Gt_Lt")),
    "ReplaceUnaryOperator_Delete_USub", "ReplaceUnaryOperator_Delete_Not", "NumberReplacer", "ReplaceTrueWithFalse",
    "ReplaceFalseWithTrue", "ReplaceAndWithOr", "ReplaceOrWithAnd",
)  # fmt: skip


# What says nothing of a result: how a struct may be used, that two rows are of one length, that a result is kept.
FLAGS = re.compile(r"(strict|frozen|eq|dict|weakref|cache)=True")


class _Counted(Visitor):
    """Counts the places where an operator has something to change."""

    def __init__(self, operator):
        self.operator, self.n = operator, 0

    def visit(self, node):
        self.n += sum(1 for _ in self.operator.mutation_positions(node))
        return node


def places(code):
    """Yield (operator, occurrence) of every mutation of a module."""
    for name in OPERATORS:
        operator = get_operator(f"core/{name}")()
        counted = _Counted(operator)
        counted.walk(get_ast(code))
        yield from ((name, at) for at in range(counted.n))


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=30)
    parser.add_argument("--seed", type=int, default=None)
    parser.add_argument("--only", nargs="*", default=sorted(TESTS))
    chosen = parser.parse_args()
    seed = chosen.seed if chosen.seed is not None else random.SystemRandom().randrange(10**6)
    rng, until = random.Random(seed), time.monotonic() + 60 * chosen.minutes
    print(f"seed {seed}", flush=True)
    found = {package: [0, 0] for package in chosen.only}
    with tempfile.TemporaryDirectory() as folder:
        for part in ("src", "tests", "docs"):
            shutil.copytree(part, Path(folder) / part, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info", "*.nb[ci]"))
        shutil.copy("pyproject.toml", folder)
        while time.monotonic() < until:
            for package in chosen.only:
                modules = sorted((Path(folder) / "src/pantelos" / package).rglob("*.py"))
                module = rng.choices(modules, [max(path.stat().st_size - 200, 0) for path in modules])[0]
                code = module.read_text(encoding="utf-8")
                every = list(places(code))
                if not every:
                    continue
                name, at = rng.choice(every)
                mutated = mutate_code(code, get_operator(f"core/{name}")(), at)
                line = next(
                    (k for k, (a, b) in enumerate(zip(code.splitlines(), mutated.splitlines(), strict=False), 1) if a != b), 0
                )
                if name == "ReplaceTrueWithFalse" and FLAGS.search(code.splitlines()[line - 1]):
                    continue
                module.write_text(mutated, encoding="utf-8")
                caught = _fails(folder, TESTS[package])
                module.write_text(code, encoding="utf-8")
                found[package][0] += caught
                found[package][1] += 1
                said = "caught" if caught else f"SURVIVED: {mutated.splitlines()[line - 1].strip()}"
                print(f"{module.relative_to(folder)}:{line} {name}: {said}", flush=True)
                if time.monotonic() > until:
                    break
    for package, (caught, n) in found.items():
        print(f"{package}: {caught} of {n} caught" + (f", {100 * caught / n:.0f} %" if n else ""))


def _fails(folder, tests):
    environment = os.environ | {"PYTHONPATH": f"{folder}/src", "QT_QPA_PLATFORM": "offscreen", "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "auto", "--dist", "loadfile", "-p", "no:cacheprovider", *tests]
    try:
        return subprocess.run(command, cwd=folder, env=environment, capture_output=True, timeout=900, check=False).returncode != 0
    except subprocess.TimeoutExpired:
        return True


if __name__ == "__main__":
    main()
