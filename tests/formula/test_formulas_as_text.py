"""Formulas as text: printing is parsing backwards."""

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.formula.functions import all_functions
from pantelos.formula.nodes import (
    BareWord,
    Both,
    Call,
    Comparison,
    ComparisonChain,
    ComparisonLink,
    Converted,
    Name,
    Negative,
    Node,
    Not,
    Number,
    Pairs,
    Pieces,
    Power,
    Quoted,
    Where,
)  # fmt: skip
from pantelos.formula.printing import rewritten, written
from pantelos.formula.syntax import parse


def word(text):
    return BareWord(0, 0, text)


def alike(a, b):
    """Return whether two parts of formulas are the same but for their places."""
    if isinstance(a, Node | ComparisonLink) and type(a) is type(b):
        fields = [name for name in a.__struct_fields__ if name not in ("start", "stop")]
        return all(alike(getattr(a, name), getattr(b, name)) for name in fields)
    if isinstance(a, tuple):
        return len(a) == len(b) and all(alike(x, y) for x, y in zip(a, b, strict=True))
    return a == b


NUMBERS = st.builds(lambda digits, unit: Number(0, 0, digits, word(unit) if unit else None),
                    st.sampled_from(["0", "5", "2.5", ".5", "1e3"]), st.sampled_from(["", "V", "mA", "%", "[mV/A]", "min⁻¹"]))  # fmt: skip
NAMES = st.builds(lambda text: Name(0, 0, text), st.sampled_from(["u1", "i_2", "motor"]))
ATOMS = NUMBERS | NAMES


def joined(first, links):
    """Return a chain as the parser makes it: one whose first part is a chain goes on with it."""
    if isinstance(first, ComparisonChain):
        return ComparisonChain(0, 0, first.first, (*first.links, *links))
    return ComparisonChain(0, 0, first, tuple(links))


def larger(inner):
    links = st.lists(
        st.builds(lambda sign, of: ComparisonLink(word(sign), of), st.sampled_from("+-*/"), inner), min_size=1, max_size=3
    )
    comparison = st.builds(
        lambda a, sign, b: Comparison(0, 0, a, word(sign), b), inner, st.sampled_from(["<", ">=", "!="]), inner
    )
    condition = comparison | st.builds(
        lambda a, sign, b: Both(0, 0, a, word(sign), b), comparison, st.sampled_from(["and", "or"]), comparison
    )
    condition |= st.builds(lambda of: Not(0, 0, of), condition)
    pairs = st.lists(st.tuples(NUMBERS, NUMBERS), min_size=1, max_size=3).map(lambda points: Pairs(0, 0, tuple(points)))
    pieces = st.builds(lambda of: Pieces(0, 0, word("cycles"), (of,)), inner) | st.just(Pieces(0, 0, word("intervals"), ()))
    return st.one_of(
        st.builds(joined, inner, links),
        st.builds(lambda of: Negative(0, 0, of), inner),
        st.builds(lambda of: Power(0, 0, of, Fraction(2), word("2")), inner),
        st.builds(lambda of, unit: Converted(0, 0, of, word(unit)), inner, st.sampled_from(["kWh", "mV/A", "[rad/s]"])),
        st.builds(lambda of, where: Where(0, 0, of, where), inner, condition),
        st.builds(lambda a, b: Call(0, 0, word("f"), (a, b)), inner, pairs | inner | st.just(Quoted(0, 0, "a b"))),
        st.builds(lambda a: Call(0, 0, word("mean"), (a,), word('"steady lift"')), inner),
        st.builds(lambda a, over: Call(0, 0, word("mean"), (a,), None, over), inner, pieces),
    )


@given(st.recursive(ATOMS, larger, max_leaves=12))
@settings(max_examples=400, deadline=None)
def test_what_is_printed_reads_as_the_same(node):
    text = written(node)
    assert alike(parse(text)[1], node), text
    assert written(parse(text)[1]) == text


@pytest.mark.parametrize(
    ("text", "shortest"),
    [("((u1))*(i1)", "u1 * i1"), ("(u1+u2)*i1", "(u1 + u2) * i1"), ("u1-(u2-u3)", "u1 - (u2 - u3)"), ("u1/(i1*2)", "u1 / (i1 * 2)"),
     ("-(u1)^2", "-u1^2"), ("(-u1)^2", "(-u1)^2"), ("mean( u1 )in braking", "mean(u1) in braking"), ("(u1 to mV)*2", "(u1 to mV) * 2")],
)  # fmt: skip
def test_brackets_that_are_not_needed_go(text, shortest):
    assert written(parse(text)[1]) == shortest


def test_names_change_all_at_once():
    assert rewritten("p = u1 * i1 + u2", {"u1": "u2", "u2": "u1", "p": "q"}) == "q = u2 * i1 + u1"


def test_examples_of_all_functions_survive_printing():
    for function in all_functions():
        node = parse(function.example)[1]
        assert alike(parse(written(node))[1], node)
