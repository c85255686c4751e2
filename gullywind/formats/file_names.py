"""Names for the files that are written."""

from collections.abc import Sequence


def numbered(stems: Sequence[str]) -> list[str]:
    """Stems as they are; where two are the same to a file system, the later ones become `STEM-2` and so on.

    Examples
    --------
    >>> numbered(["take", "Take", "other", "take"])
    ['take', 'Take-2', 'other', 'take-3']
    """
    taken: set[str] = set()
    names = []
    for stem in stems:
        name, count = stem, 1
        while name.casefold() in taken:
            count += 1
            name = f"{stem}-{count}"
        taken.add(name.casefold())
        names.append(name)
    return names
