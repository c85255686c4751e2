"""How much several words count together that speak of the same time. Times in s."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

#: What is said once more of the same time counts this much. Of 19 generated events of 24 clips in chains, with jingles
#: that are played twice, 405 clips were placed right and three wrong; 384 and 13 where all counts alike.
AGAIN = 0.2
#: Two that hardly meet share this much at least, s.
LEAST_SPOKEN_S = 0.1


class Word(NamedTuple):
    """What one pair says: how much that counts, and from when to when the two share the timeline, s."""

    counts: float
    start_s: float
    end_s: float


def heard_once(words: Iterable[Word]) -> float:
    """How much words count together. Where several speak of the same time they are no independent witnesses: a jingle
    that is played twice makes many pairs say the same wrong thing. So time of which one that counts as much or more
    has spoken adds little.
    """
    total, spoken = 0.0, list[tuple[float, float]]()
    for word in sorted(words, key=lambda one: (-one.counts, one.start_s - one.end_s)):
        end_s = max(word.end_s, word.start_s + LEAST_SPOKEN_S)
        known_s = sum(max(0.0, min(end_s, b) - max(word.start_s, a)) for a, b in spoken)
        total += word.counts * (1 - (1 - AGAIN) * known_s / (end_s - word.start_s))
        spoken = _joined(spoken, (word.start_s, end_s))
    return total


def _joined(spans: Sequence[tuple[float, float]], one: tuple[float, float]) -> list[tuple[float, float]]:
    """Spans that do not touch, with one more."""
    start, end = one
    apart = [span for span in spans if span[1] < start or span[0] > end]
    touched = [span for span in spans if span not in apart]
    return [*apart, (min([start, *(a for a, _ in touched)]), max([end, *(b for _, b in touched)]))]
