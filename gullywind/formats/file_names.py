"""Names of files: for those that are written, and as they are shown."""

import unicodedata
from collections.abc import Sequence

#: Windows keeps these for devices, with any suffix.
DEVICES = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10))}
MOST_STEM = 150


def shown(name: str) -> str:
    r"""A name as a terminal or a table may show it: what steers a terminal, or is no character, becomes a sign.

    Examples
    --------
    >>> shown("a\x1b[2Jb"), shown("caf\udce9.wav")
    ('a\ufffd[2Jb', 'caf\ufffd.wav')
    """
    return "".join("\ufffd" if _steers(c) else c for c in name)


def file_stem(name: str) -> str:
    """A recording's name as the stem of a file name that every system takes.

    Examples
    --------
    >>> file_stem("Camera 2: stage?"), file_stem("con"), file_stem(" .. ")
    ('Camera 2_ stage_', 'con_', 'recording')
    """
    kept = "".join("_" if c in '/\\:*?"<>|' or _steers(c) else c for c in name)
    stem = kept[:MOST_STEM].strip(" .") or "recording"
    return f"{stem}_" if stem.split(".")[0].strip().casefold() in DEVICES else stem


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


def _steers(character: str) -> bool:
    """Control and format characters, half surrogates, and what is no character at all."""
    return unicodedata.category(character).startswith("C")
