"""What the names of a study mean: kinds and units, what cannot be computed, and what each depends on."""

from functools import cached_property, lru_cache

import msgspec

from pantelos.engine.results import identity_of
from pantelos.errors import FormulaError, PantelosError, StudyError, SwitchedOff
from pantelos.formula.compiled import Compiled, Kind, Known, Types
from pantelos.formula.uses import depends_on_study, events_used, names_used
from pantelos.record.record import Record
from pantelos.study.model import WHOLE_RECORD, Formula, Study
from pantelos.units import Unit, unit

DEEPEST = 100  # formulas one upon the other


def _compile_anew(text: str, types: Types, intervals: tuple[str, ...], searches: tuple[str, ...]) -> Compiled:
    from pantelos.formula.compile import compile_formula  # here, for the sake of a quick start

    return compile_formula(text, Known(types, intervals, searches))[1]


@lru_cache(maxsize=8192)
def _compile_once(
    text: str, used: tuple[tuple[str, Kind, Unit], ...], intervals: tuple[str, ...], searches: tuple[str, ...]
) -> Compiled:
    return _compile_anew(text, {name: (kind, shown) for name, kind, shown in used}, intervals, searches)


def _check_on(study: Study, formula: Formula) -> None:
    """Refuse a formula that is switched off, or that uses one which is."""
    if not formula.on:
        raise SwitchedOff(f'"{formula.name}" is switched off. Switch it on to compute it.')
    for used in sorted(names_used(formula.expression)):
        other = study.formula(used)
        if other is not None and not other.on:
            raise SwitchedOff(f'"{formula.name}" uses "{used}", which is switched off. Switch that on to compute it.')


class Names:
    """What the names of one study mean on one record; nothing here asks for a sample."""

    def __init__(self, study: Study, record: Record) -> None:
        self._study, self.record = study, record
        self._identities: dict[str, str] = {}

    @cached_property
    def _compiled(self) -> tuple[dict[str, Compiled], dict[str, PantelosError]]:
        """Return the formulas that make sense and the errors of those that do not."""
        good: dict[str, Compiled] = {}
        bad: dict[str, PantelosError] = {}
        types: dict[str, tuple[Kind, Unit]] = {}
        for setup in self._study.channels:
            _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
            types[setup.name] = (Kind.SIGNAL, shown)
        depths: dict[str, int] = {}
        waiting = list(self._study.formulas)
        while waiting:
            undone = {formula.name for formula in waiting}
            ready = [formula for formula in waiting if not names_used(formula.expression) & undone] or waiting
            for formula in ready:
                used = names_used(formula.expression)
                depths[formula.name] = 1 + max((depths.get(name, 0) for name in used), default=0)
                try:
                    _check_on(self._study, formula)
                    if depths[formula.name] > DEEPEST:
                        raise StudyError(
                            f'"{formula.name}" rests on more than {DEEPEST} formulas one upon the other. Join some of them.'
                        )
                    made = self._compile(formula, used, types)
                    good[formula.name], types[formula.name] = made, (made.kind, made.unit)
                except (FormulaError, StudyError) as error:
                    bad[formula.name] = error
            done = {formula.name for formula in ready}
            waiting = [formula for formula in waiting if formula.name not in done]
        self._types = types
        return good, bad

    def _compile(self, formula: Formula, used: frozenset[str], types: dict[str, tuple[Kind, Unit]]) -> Compiled:
        """Return a formula compiled; one that is written as before, of channels like before, is compiled only once."""
        known = tuple((name, *types[name]) for name in sorted(used) if name in types)
        if len(known) < len(used):  # it fails: the message tells what there is
            return _compile_anew(formula.text, types, self.intervals, self.searches)
        return _compile_once(formula.text, known, self.intervals, self.searches)

    @property
    def intervals(self) -> tuple[str, ...]:
        """The intervals that a formula may name."""
        return *(interval.name for interval in self._study.intervals), WHOLE_RECORD

    @property
    def searches(self) -> tuple[str, ...]:
        """The event searches that a formula may name."""
        return tuple(search.name for search in self._study.searches)

    @property
    def types(self) -> Types:
        """Kind and unit of every channel and every formula that makes sense."""
        self._compiled  # noqa: B018 - fills the types
        return self._types

    @property
    def broken(self) -> dict[str, PantelosError]:
        """The formulas that cannot be computed, and why."""
        return self._compiled[1]

    def compiled(self, name: str) -> Compiled:
        """Return a formula of the study, checked; raises why where it cannot be computed."""
        good, bad = self._compiled
        if name in bad:
            raise bad[name]
        return good[name]

    def kind(self, name: str) -> Kind:
        """Return what a name stands for."""
        return self.types[name][0]

    def unit(self, name: str) -> Unit:
        """Return the unit a channel or formula is shown in."""
        return self.types[name][1]

    def identity(self, name: str) -> str:
        """Return the digest of everything the samples of a channel or formula depend on."""
        if name not in self._identities:
            self._identities[name] = self._identify(name)
        return self._identities[name]

    @cached_property
    def _record_identity(self) -> str:
        """The digest of the record as a row of samples: where they lie in time does not change what they are."""
        source = self._study.record
        moved = msgspec.structs.replace(source, zero_s=0.0, time_base_ppm=0.0) if source is not None else None
        return identity_of(self.record.fingerprint, moved)

    def _identify(self, name: str) -> str:
        formula = self._study.formula(name)
        if formula is None:
            setup = self._study.channel(name)
            return identity_of(self._record_identity, setup.column, setup.recorder_unit, setup.scaling)
        used = [self.identity(other) for other in sorted(names_used(formula.expression))]
        found = [self._study.search(one) for one in sorted(events_used(formula.expression))]
        events = [(search, self.identity(search.channel)) for search in found if search.channel in self.types]
        around = self._around_readings if depends_on_study(formula.expression) else ()
        return identity_of(formula.expression, used, events, around, self._study.highest_order)

    @cached_property
    def _around_readings(self) -> tuple[object, ...]:
        """What readings within formulas depend on beside their channels: intervals, time zero, and whose cycles may count."""
        edges = [(place.name, place.start_s, place.stop_s) for place in self._study.intervals]
        wired = [
            (c.name, c.wiring, c.reference, [(s, name, self.substance(name)) for s, name in sorted(c.sockets.items())])
            for c in self._study.connections
        ]
        reference = (self._study.reference, self.substance(self._study.reference)) if self._study.reference else ()
        return self._study.active, edges, self.record.start_s, wired, reference

    def substance(self, name: str) -> str:
        """Return a digest of what a channel is made of: scalings and expressions, but no places. It never asks for readings."""
        made: list[object] = []
        seen: set[str] = set()
        waiting = [name]
        while waiting:
            one = waiting.pop()
            if one in seen:
                continue
            seen.add(one)
            formula = self._study.formula(one)
            if formula is not None:
                made.append(formula)
                waiting += sorted(names_used(formula.expression))
            else:
                made.append(next((channel for channel in self._study.channels if channel.name == one), one))
        return identity_of(self._record_identity, made)
