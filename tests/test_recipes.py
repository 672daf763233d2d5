"""The recipes of the architecture page: each file, written into a copy of the program, is all that adding one takes."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

ROOT = Path(__file__).parent.parent
PAGE = (ROOT / "docs" / "architecture.md").read_text()
_RECIPE = r"^(?:\*\*|and )[^\n]*?(?:`([\w/-]+)/`[^\n]*)?`([\w/.-]+\.(?:py|toml))`[^\n]*\n\n```\w+\n(.*?)```"
RECIPES = [(where, text) for _, where, text in re.findall(_RECIPE, PAGE.split("## Adding one more")[1], re.S | re.M)]
LONGEST = 20  # lines


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    """Run the copy, with all recipes in it, in a folder with a recording in a format of its own."""
    room = tmp_path_factory.mktemp("recipes")
    shutil.copytree(ROOT / "src" / "pantelos", room / "pantelos", ignore=shutil.ignore_patterns("__pycache__"))
    for where, text in RECIPES:
        folder = (room / "pantelos" / where).parent
        if not folder.exists():
            folder.mkdir()
            (folder / "__init__.py").touch()
        (room / "pantelos" / where).write_text(text)
    (room / "run.lines").write_text(
        "LINES\n" + "\n".join(map(str, 230 * np.sqrt(2) * np.sin(2 * np.pi * 50 * np.arange(10_000) / 10_000)))
    )
    environment = os.environ | {"PYTHONPATH": str(room), "QT_QPA_PLATFORM": "offscreen"}

    def said(*arguments):
        line = [sys.executable, *arguments] if arguments[0] == "-c" else [sys.executable, "-m", "pantelos", *arguments]
        done = subprocess.run(line, cwd=room, env=environment, capture_output=True, text=True, check=False)
        return done.stdout + done.stderr

    said("new", "run.pantelos", "run.lines", "--panel", "peak u1", "--interval", "a=0.1..0.5")
    return said


def test_there_is_a_short_recipe_for_each_kind():
    folders = {where.rpartition("/")[0] for where, _ in RECIPES}
    assert folders == {
        "reading/kinds",
        "formula/functions",
        "panels",
        "tables/kinds",
        "checks",
        "power/wirings",
        "formats/lines",
        "quality/limit_sets",
    }
    assert [where for where, text in RECIPES if text.count("\n") > LONGEST] == []


def test_a_file_is_seen_by_every_command(run):
    assert "half_size(x)" in run("functions") and "blend(x, y, share)" in run("functions")
    assert float(run("value", "run.pantelos", "half_size(u1)").split()[0]) == pytest.approx(230, rel=1e-3)
    assert float(run("value", "run.pantelos", "rms(blend(u1, -u1, 0.25))").split()[0]) == pytest.approx(115, rel=1e-6)
    assert "ring: Ring main; sockets u, i" in run("kinds")
    assert "0.4" in run("tables", "run.pantelos", "--table", "sizes") and "length of every interval" in run(
        "report", "run.pantelos"
    )
    assert "u1 is loud" in run("checks", "run.pantelos")
    assert "THD of u" in run("limits", "pump-bench")


_IN_THE_WINDOW = """
from pathlib import Path
from PyQt6.QtWidgets import QApplication, QMenu
app = QApplication([])
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.completion import offers
from pantelos.desktop.theme import LIGHT
from pantelos.reading.kinds import single_readings
window = MainWindow(LIGHT)
window.files.open_study(Path("run.pantelos"))
settle(window)
menus = {action.text() for menu in window.findChildren(QMenu) for action in menu.actions()}
print(*sorted(menus & {"Ring main", "Peak", "Add Peak"}), sep=", ")
print([frame.panel.kind for frame in window.traces.panels.frames], window.traces.panels.frames[0].body.picture.caption)
print([one.text for text in ("half", "blen") for one in offers(window.document.evaluation, text, 4)])
print("half_size" in [kind.name for kind in single_readings()])
window.show_page(2)
kinds = window.tables.contents.kinds
print([kinds.item(row).text() for row in range(kinds.count()) if kinds.item(row).text() == "Sizes"])
print([notice.text for notice in window.checking.notices if "loud" in notice.text])
window.document.forget_changes()
"""


def test_a_file_is_seen_everywhere_in_the_window(run):
    lines = [line for line in run("-c", _IN_THE_WINDOW).splitlines() if "propagateSizeHints" not in line]
    assert lines == [
        "Add Peak, Peak, Ring main",
        "['peak'] u1",
        "['half_size(', 'blend(']",
        "True",
        "['Sizes']",
        "['u1 is loud']",
    ]
