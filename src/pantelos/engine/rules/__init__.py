"""Places by rule: an interval lies where a sentence finds it in the record, and is found again in every other record."""

from pantelos.engine.rules.finding import every_steady, find, is_alternating, with_places
from pantelos.engine.rules.rule import EXAMPLES, Rule, rule_from

__all__ = ["EXAMPLES", "Rule", "every_steady", "find", "is_alternating", "rule_from", "with_places"]
