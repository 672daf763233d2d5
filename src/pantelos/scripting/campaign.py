"""A finished study done again on many records."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from pantelos.campaigns.conditions import chosen, limit_from
from pantelos.campaigns.recipe import check_recipe
from pantelos.campaigns.report import write_campaign_report
from pantelos.campaigns.rows import Wanted
from pantelos.campaigns.running import run
from pantelos.campaigns.store import Campaign as Store
from pantelos.campaigns.summary import unlike_the_others
from pantelos.campaigns.tables import records_table, summary_table
from pantelos.scripting.study import Study
from pantelos.scripting.table import Table
from pantelos.study.parts import files_meant


class Campaign:
    """A campaign in its file: records, and the values taken of each by the recipe."""

    def __init__(self, store: Store) -> None:
        self._store = store

    @property
    def path(self) -> Path:
        """Its file."""
        return self._store.path

    def set_limits(self, *limits: str) -> "Campaign":
        """Say what values are held against, such as `eta >= 84 %`."""
        self._store.set_limits([limit_from(text) for text in limits])
        return self

    def add(self, *paths: str | Path) -> int:
        """Take in files, folders or patterns; return how many records are new."""
        return self._store.add(files_meant([Path(path) for path in paths]))

    def run(
        self,
        workers: int | None = None,
        scheduler: str | None = None,
        again: bool = False,
        told: Callable[[Path, Any], None] = lambda path, row: None,
    ) -> tuple[int, int]:
        """Take the values of all records that need it; return how many were done and how many failed.

        Parameters
        ----------
        workers : processes; all processors for None, this process alone for 1
        scheduler : address of a cluster instead, such as tcp://host:8786
        again : take all records anew
        told : called with path and row of each as it comes
        """
        return run(self._store, workers, scheduler, again, None, told)

    def table(self, where: str | None = None) -> Table:
        """Return a row per record: values, their ±, remarks; those that fulfil a condition such as `eta < 92 %` or `odd`."""
        records, limits = self._store.records(), self._store.limits
        odd = unlike_the_others([one.name for one in self._store.wanted], records)
        kept = [one for one in records if where is None or chosen(where, odd, limits)(one)]
        return Table(records_table(self._store, kept))

    def summary(self) -> Table:
        """Return a row per value: n, mean, standard deviation, extremes, worst ±, and how many are inside their limit."""
        return Table(summary_table(self._store, self._store.records()))

    def odd(self) -> dict[str, str]:
        """Return the records unlike the others, by name, and in what."""
        records = self._store.records()
        found = unlike_the_others([one.name for one in self._store.wanted], records)
        return {Path(one.path).stem: found[one.id] for one in records if one.id in found}

    def report(self, path: str | Path) -> Path:
        """Write its report as HTML, PDF or XLSX, and return where."""
        write_campaign_report(self._store, self._store.records(), Path(path))
        return Path(path)

    def close(self) -> None:
        """Let go of the file."""
        self._store.close()

    def __enter__(self) -> "Campaign":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def __len__(self) -> int:
        return self._store.count()


def campaign(path: str | Path, recipe: Study | None = None, values: Sequence[str] = ()) -> Campaign:
    """Return the campaign in a file; with a recipe, and values such as `eta = mean(p2) / mean(p1)`, a new one."""
    if recipe is None:
        return Campaign(Store(Path(path)))
    study = recipe._study
    check_recipe(study)
    wanted = [Wanted.from_text(text) for text in values] or [Wanted(name, name) for name in study.report.own]
    return Campaign(Store.new(Path(path), study, wanted))
