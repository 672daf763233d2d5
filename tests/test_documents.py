"""The documents stay true: every function, command, table key and connection is in them, and their links lead somewhere."""

import json
import re
from pathlib import Path

import pytest

from pantelos.changes.options import options
from pantelos.cli.main import COMMANDS
from pantelos.formula.documentation import with_tables
from pantelos.formula.functions import all_functions
from pantelos.power.quantity_rows import POWER_QUANTITIES
from pantelos.power.wirings import WIRINGS
from pantelos.quality.limits import limits_schema
from pantelos.study.sentences import EXAMPLES
from pantelos.study.storage import schema
from pantelos.tables.kinds import TABLES

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"


def test_the_formula_page_names_every_function():
    page = (DOCS / "formula-language.md").read_text()
    assert with_tables(page) == page  # `make docs` makes it anew
    assert [f.name for f in all_functions() if f"`{f.name}(" not in page] == []


def test_the_command_line_page_names_every_command_table_key_and_socket():
    page = (DOCS / "command-line.md").read_text()
    names = list(COMMANDS)
    assert [name for name in names if f"`{name}" not in page] == []
    assert [row.name for row in options(new=False) if f"`--{row.name.replace('_', '-')}`" not in page] == []
    assert [table.id for table in TABLES if f"`{table.id}`" not in page] == []
    assert [quantity.id for quantity in POWER_QUANTITIES if quantity.id not in page] == []
    assert [(w.id, s.name) for w in WIRINGS for s in w.sockets if w.id not in page or s.name not in page] == []


def test_the_events_page_shows_every_kind_of_sentence():
    page = (DOCS / "events.md").read_text()
    assert [text for text in EXAMPLES if f"`{text}`" not in page] == []


def test_the_published_schema_is_that_of_the_program():
    assert json.loads((DOCS / "study.schema.json").read_text()) == json.loads(json.dumps(schema()))
    assert json.loads((DOCS / "limits.schema.json").read_text()) == json.loads(json.dumps(limits_schema()))


@pytest.mark.parametrize("page", [*DOCS.glob("*.md"), *ROOT.glob("*.md")], ids=lambda path: path.name)
def test_links_lead_somewhere(page):
    targets = re.findall(r"\]\(([^)#:]+)\)", page.read_text())
    assert [target for target in targets if not (page.parent / target).exists()] == []
