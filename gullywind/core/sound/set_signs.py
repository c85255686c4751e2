"""Which files look like those of one recorder: offered as sets, never forced. By their names, lengths and times."""

import re
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from gullywind.core.sound.facts import MediaFacts

#: Shorter files are alike in length by chance.
LEAST_SET_S = 2.0
#: Recorders begin another file before 2 or 4 GiB, the largest that many cards and headers hold, or at whole ones.
FULL_FILES, NEARLY_FULL = (1 << 30, 1 << 31, 1 << 32), 0.97
#: Without times or full files so many parts of one length are needed to say that they follow each other.
LEAST_EQUAL_PARTS = 3
_TOKENS = re.compile(r"\d+|[^\W\d_]+")
#: What the members of a set are told apart by is no longer than this; longer words are titles.
MOST_TOLD_APART = 6


@dataclass(frozen=True, slots=True)
class FileSigns:
    """What tells of a file whom it belongs with: a key for whoever asks, its name, and its facts."""

    key: Hashable
    name: str
    facts: MediaFacts


@dataclass(frozen=True, slots=True)
class OfferedSet:
    """Files that look like one recorder's, in their order, each with its place in the set's time, s; and why."""

    keys: tuple[Hashable, ...]
    places_s: tuple[float, ...]
    reason: str


def offered_sets(files: Sequence[FileSigns]) -> list[OfferedSet]:
    """Sets that may be meant; a file is in one at most, and parts that follow each other are looked for first."""
    offers = list[OfferedSet]()
    for group in _alike(files, lambda one: (one.facts.sample_rate_hz, one.facts.channels)):
        offers += _split_files(group)
    taken = {key for offer in offers for key in offer.keys}
    rest = [one for one in files if one.key not in taken and one.facts.duration_s >= LEAST_SET_S]
    for group in _alike(rest, lambda one: (one.facts.sample_rate_hz, one.facts.samples)):
        offers += _microphones(group)
    return offers


def _microphones(files: Sequence[FileSigns]) -> list[OfferedSet]:
    """Of files of one length: those that state one start, or whose names differ in one short word."""
    offers = []
    used = set[Hashable]()
    for group in _alike(files, lambda one: one.facts.time_reference_samples):
        if group[0].facts.time_reference_samples:
            offers.append(_together(group, "They begin at the same time by their own statement, and are equally long."))
            used |= {one.key for one in group}
    rest = [one for one in files if one.key not in used]
    for group in _names_differ_in_one(rest, numbers=False):
        offers.append(_together(group, "They are equally long to the sample, and their names differ in one word."))
    return offers


def _together(files: Sequence[FileSigns], reason: str) -> OfferedSet:
    ordered = sorted(files, key=lambda one: _sorted_by(one.name))
    return OfferedSet(tuple(one.key for one in ordered), (0.0,) * len(ordered), reason)


def _split_files(files: Sequence[FileSigns]) -> list[OfferedSet]:
    """Of files of one form: those that are numbered and follow each other."""
    offers = []
    for group in _names_differ_in_one(files, numbers=True):
        ordered = sorted(group, key=lambda one: _sorted_by(one.name))
        reason = _follow(ordered)
        if reason is None:
            continue
        places, at_s = list[float](), 0.0
        for one in ordered:
            places.append(at_s)
            at_s += one.facts.duration_s
        offers.append(OfferedSet(tuple(one.key for one in ordered), tuple(places), reason))
    return offers


def _follow(ordered: Sequence[FileSigns]) -> str | None:
    """Why numbered files are taken to follow each other; None where nothing says so."""
    facts = [one.facts for one in ordered]
    starts = [one.time_reference_samples for one in facts]
    if all(start is not None for start in starts) and len(set(starts)) > 1:
        meet = all(
            abs((after.time_reference_samples or 0) - (before.time_reference_samples or 0) - before.samples) <= 1
            for before, after in pairwise(facts)
        )
        return "Each begins at the sample at which the one before it ends, by its time reference." if meet else None
    full = all(
        any(NEARLY_FULL * size <= one.size_bytes <= size for size in FULL_FILES) for one in facts[:-1]
    ) and facts[-1].size_bytes <= max(one.size_bytes for one in facts[:-1])
    if full:
        return "They are numbered, and each but the last is as large as a file can be."
    lengths = {one.samples for one in facts[:-1]}
    if len(facts) >= LEAST_EQUAL_PARTS and len(lengths) == 1 and facts[-1].samples < facts[0].samples:
        return "They are numbered, and each but the last is equally long."
    return None


def _names_differ_in_one(files: Sequence[FileSigns], *, numbers: bool) -> list[list[FileSigns]]:
    """Groups of two and more whose names are alike but for one short word in the same place; `numbers`: a number."""
    groups = defaultdict[tuple[object, ...], list[FileSigns]](list)
    for one in files:
        tokens = _TOKENS.findall(one.name)
        for place, token in enumerate(tokens):
            # A name of one word has nothing in common with another.
            if len(tokens) > 1 and len(token) <= MOST_TOLD_APART and (token.isdigit() or not numbers):
                groups[(place, len(tokens), *tokens[:place], None, *tokens[place + 1 :])].append(one)
    found, used = list[list[FileSigns]](), set[Hashable]()
    for group in sorted(groups.values(), key=len, reverse=True):
        free = [one for one in group if one.key not in used]
        if len(free) >= 2:
            found.append(free)
            used |= {one.key for one in free}
    return found


def _alike(files: Iterable[FileSigns], kind: Callable[[FileSigns], Hashable]) -> list[list[FileSigns]]:
    groups = defaultdict[Hashable, list[FileSigns]](list)
    for one in files:
        groups[kind(one)].append(one)
    return [group for group in groups.values() if len(group) >= 2]


def _sorted_by(name: str) -> list[tuple[int, str]]:
    """Numbers by their value, words by their letters."""
    return [(int(token), "") if token.isdigit() else (-1, token.casefold()) for token in _TOKENS.findall(name)]
