"""A finished study done again on many records: its table, kept in one file.

`recipe` applies the decisions of a study to another file, and refuses what it would have to guess. `work` takes the values of one
record, in whatever process; `running` hands records to an engine with the interface of `concurrent.futures` and keeps each row
the moment it comes. `store` is the file (SQLite, one transaction a record), `rows` what stands in it, `conditions` what rows are
asked by, `summary` what all say together and which are unlike the others, `tables` and `report` what is handed over.
"""

from pantelos.campaigns.rows import Wanted
from pantelos.campaigns.store import SUFFIX, Campaign

__all__ = ["SUFFIX", "Campaign", "Wanted"]
