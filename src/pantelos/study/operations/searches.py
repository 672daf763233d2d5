"""Event searches: added, changed, renamed, removed."""

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.formula.uses import events_used, with_events_changed
from pantelos.study.model import EventSearch, Study


def set_search(study: Study, search: EventSearch) -> Study:
    """Return the study with an event search, in place of the one of its name if there is one."""
    named = search if search.name else replace(search, name=new_search_name(study, search))
    if any(known.name == named.name for known in study.searches):
        return replace(study, searches=tuple(named if known.name == named.name else known for known in study.searches))
    return replace(study, searches=(*study.searches, named))


def new_search_name(study: Study, search: EventSearch) -> str:
    """Return a free name that says what is looked at."""
    taken = {known.name for known in study.searches}
    stem = f"{search.channel}_{search.kind}"
    return stem if stem not in taken else next(free for k in range(2, 9999) if (free := f"{stem}_{k}") not in taken)


def rename_search(study: Study, old: str, new: str) -> Study:
    """Return the study with events under another name."""
    found = study.search(old)
    if not new.isidentifier():
        raise StudyError(f'"{new}" cannot name events. Use letters, digits and _, beginning with a letter.')
    if new != old and any(known.name == new for known in study.searches):
        raise StudyError(f'There are already events "{new}". Choose another name.')
    return replace(
        study,
        searches=tuple(replace(known, name=new) if known is found else known for known in study.searches),
        panels=tuple(replace(panel, search=new) if panel.search == old else panel for panel in study.panels),
        formulas=tuple(replace(f, expression=with_events_changed(f.expression, old, new)) for f in study.formulas),
    )


def remove_search(study: Study, name: str) -> Study:
    """Return the study without these events, and without the panels that rest on them; refused while formulas use them."""
    found = study.search(name)
    users = [formula.name for formula in study.formulas if name in events_used(formula.expression)]
    if users:
        raise StudyError(f'Events "{name}" are used by {", ".join(users)}. Change or remove those first.')
    return replace(
        study,
        searches=tuple(known for known in study.searches if known is not found),
        panels=tuple(panel for panel in study.panels if panel.search != name),
    )
