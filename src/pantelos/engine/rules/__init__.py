"""Places by rule: an interval lies where a sentence finds it in the record, and is found again in every other record."""

from pantelos.engine.rules.finding import find, with_places
from pantelos.engine.rules.rule import EXAMPLES, Rule, rule_from

__all__ = ["EXAMPLES", "Rule", "find", "rule_from", "with_places"]
