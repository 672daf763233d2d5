"""Decision rules: how a verdict takes the uncertainty of what was measured. Source: JCGM 106, ILAC-G8:09/2019."""

import msgspec


class DecisionRule(msgspec.Struct, frozen=True):
    """How a verdict takes the uncertainty of what was measured."""

    title: str
    sentence: str


RULES = {
    "undecided": DecisionRule(
        "± on both sides",
        "A result is inside where it and its whole ± lie within the limit, outside where both lie beyond it, and undecided in "
        "between. ± is the expanded uncertainty, k = 2, about 95 %. Undecided is never counted as inside.",
    ),
    "simple": DecisionRule(
        "the result alone",
        "A result is inside where it lies within the limit, whatever its ± (simple acceptance, JCGM 106). Near the limit up to "
        "half of the verdicts may be wrong.",
    ),
    "guarded": DecisionRule(
        "inside only with its ±",
        "A result is inside where it and its whole ± lie within the limit, else outside: the limit is guarded by a band as wide "
        "as the expanded uncertainty, k = 2 (w = U, ILAC-G8).",
    ),
}
