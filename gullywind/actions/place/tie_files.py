"""Tie files that did not find their place by the reference to those that heard the same: the command line's work."""

import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path

from gullywind.core.align import align_recording, index_reference
from gullywind.core.features.extract import Heard
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.words import Note
from gullywind.core.judge.loops import Contradiction, contradiction_note, draw_consistently
from gullywind.core.judge.placing import Drawn, Known, through_note
from gullywind.core.measure.evidence import Candidate, Status, Way
from gullywind.core.neighbours import (
    LEAST_TIE_HEIGHT,
    MOST_SEARCHED,
    cut_off_with,
    likely_neighbours,
    said_to_share,
)
from gullywind.formats.derived import FEATURES, load_heard
from gullywind.formats.media import open_media
from gullywind.formats.result_json import RecordingResult

#: In place of a recording's number: the reference.
REFERENCE = "reference"


def tie_files(
    duration_s: float,
    paths: Sequence[Path],
    results: Sequence[RecordingResult],
    kept: Sequence[Path],
    report: Callable[[float], None],
) -> tuple[RecordingResult, ...]:
    """Results with the places that come through neighbours, and with what contradicts.

    Parameters
    ----------
    duration_s : length of the reference.
    paths, results : of all recordings.
    kept : folders with what was heard of each.
    report : told of the fraction done.
    """
    waiting = [k for k, one in enumerate(results) if _waits(one)]
    there = [k for k, one in enumerate(results) if one.alignment is not None and (kept[k] / FEATURES).exists()]
    if not waiting or len(there) < 2:
        return tuple(results)
    direct = [
        Known.measured(REFERENCE, duration_s, str(k), one.alignment)
        for k, one in enumerate(results)
        if one.alignment is not None
    ]
    ties = list[Known]()
    workers = min(os.cpu_count() or 1, len(waiting))
    with ProcessPoolExecutor(workers, mp_context=get_context("fork")) as pool:

        def compare(asked: Sequence[Asked], begins: float, share: float) -> None:
            for done, found in enumerate(pool.map(_ties_of, asked), start=1):
                ties.extend(found)
                report(begins + share * done / len(asked))

        # Who sounds alike; then those that should, by what was found; then all others of whom a link may be missing.
        asked = [
            Asked(k, tuple(o for o in there if o != k)[:MOST_SEARCHED], LEAST_TIE_HEIGHT, paths, kept) for k in waiting
        ]
        compare(asked, 0.0, 0.8)
        pairs = set[frozenset[str]]()
        asked = []
        for k in waiting:
            facts = results[k].facts
            said = said_to_share(str(k), facts.duration_s if facts else 0.0, [*direct, *ties])
            others = [one for one in said if int(one) in there and frozenset((str(k), one)) not in pairs]
            pairs |= {frozenset((str(k), one)) for one in others}
            # In one process for each: it unpacks the others' sound into a folder of its own.
            if others:
                asked.append(Asked(k, tuple(int(one) for one in others), None, paths, kept))
        compare(asked, 0.8, 0.1)
        asked = []
        for k in waiting:
            compared = {int(one) for tie in ties if str(k) in tie.contents for one in tie.contents}
            together = {int(one) for one in cut_off_with(str(k), REFERENCE, [*direct, *ties])}
            if together:
                rest = [one for one in there if one not in together | compared]
                asked.append(Asked(k, tuple(rest[:MOST_SEARCHED]), 0.0, paths, kept))
        compare(asked, 0.9, 0.1)
    report(1.0)
    drawn, left_out = draw_consistently(REFERENCE, duration_s, [*direct, *ties])
    return with_places(results, drawn, left_out, paths)


def with_places(
    results: Sequence[RecordingResult],
    drawn: Mapping[str, Drawn],
    left_out: Sequence[Contradiction],
    paths: Sequence[Path],
) -> tuple[RecordingResult, ...]:
    """Results with where they lie by all that is known.

    `drawn`, and the contents of what is `left_out`, are by the number of the recording, or the reference's name.
    """
    return tuple(_with(k, one, drawn.get(str(k)), left_out, paths) for k, one in enumerate(results))


def _waits(one: RecordingResult) -> bool:
    judged = one.alignment
    return judged is not None and judged.status is not Status.PLACED and all(n.code != "silent" for n in judged.notes)


@dataclass(frozen=True)
class Asked:
    """A recording and whom to compare it with: the likeliest of those, if they reach a height in the search, or all;
    of all recordings, where they lie.
    """

    own: int
    others: tuple[int, ...]
    least_height: float | None
    paths: Sequence[Path]
    kept: Sequence[Path]


def _ties_of(asked: Asked) -> list[Known]:
    """What one recording has in common with others."""
    with ExitStack() as opened:

        def heard(k: int) -> tuple[Heard, ...]:
            sound, _ = open_media(asked.paths[k], asked.kept[k] / f"for-{asked.own}")
            opened.callback(sound.close)
            return load_heard(asked.kept[k] / FEATURES, sound) or ()

        try:
            mine = index_reference(heard(asked.own))
            source = mine.heard[0].view.source
            chosen = [str(k) for k in asked.others]
            if asked.least_height is not None:
                # Sound that must be decoded is opened for those alone that are looked at closely.
                features = ((one, load_heard(asked.kept[int(one)] / FEATURES, source) or ()) for one in chosen)
                chosen = likely_neighbours(mine, features, least_height=asked.least_height)
            length_s = source.samples / source.sample_rate_hz
            return [
                Known.measured(str(asked.own), length_s, one, align_recording(mine, heard(int(one)))) for one in chosen
            ]
        except GullywindError:
            # It was read once; what is wrong with it now is no news of its place.
            return []


def _with(
    k: int, one: RecordingResult, drawn: Drawn | None, left_out: Sequence[Contradiction], paths: Sequence[Path]
) -> RecordingResult:
    """A result with its place through neighbours, if it has one, and what contradicts."""

    def name(key: str) -> str:
        return "the reference" if key == REFERENCE else paths[int(key)].name

    notes: list[Note] = [contradiction_note(wrong, name) for wrong in left_out if str(k) in wrong.contents]
    result = replace(one, notes=(*one.notes, *notes))
    if one.alignment is None or drawn is None or drawn.time_map is None:
        return result
    there = one.alignment.time_map
    if not _waits(one) and (there is None or there.lies_at(drawn.time_map.offset_s)):
        if there is None or drawn.status is Status.PLACED:
            return result
        # It lies there by its own sound, but others would have it elsewhere as well.
        doubted = replace(
            one.alignment, status=drawn.status, confidence=min(drawn.confidence, one.alignment.confidence)
        )
        return replace(result, alignment=doubted)
    if not drawn.through:
        return result
    time_map = drawn.time_map
    judged = replace(
        one.alignment,
        status=drawn.status,
        time_map=time_map,
        polarity=drawn.polarity,
        confidence=drawn.confidence,
        candidates=(Candidate(time_map.offset_s, time_map.rate, round(drawn.confidence, 4)),),
        residual=None,
        trace=(),
        notes=(through_note([name(key) for key in drawn.through], drawn.status, drawn.error_s),),
        by=Way.NEIGHBOURS,
    )
    return replace(result, alignment=judged, through=tuple(str(paths[int(key)]) for key in drawn.through))
