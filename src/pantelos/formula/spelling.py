"""What may have been meant by a name that is not known."""

from collections.abc import Collection

from pantelos.errors import clipped


def meant(name: str, known: Collection[str]) -> str:
    """Return what may have been meant by a name that is not known, as the end of a sentence."""
    from difflib import get_close_matches  # here, for the sake of a quick start: most names are known

    near = get_close_matches(name, list(known), n=2, cutoff=0.7) or [one for one in known if one.lower() == name.lower()]
    if near:
        return f". Did you mean {' or '.join(near)}?"
    return f". Known are: {clipped(', '.join(known))}." if known else "."
