"""Tie files that did not find their place by the reference to those that heard the same: the command line's work."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import ExitStack
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path

from gullywind.core.align import PreparedReference, align_recording, index_reference
from gullywind.core.features.extract import Heard
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.words import Note
from gullywind.core.judge.loops import Contradiction, contradiction_note, draw_consistently
from gullywind.core.judge.placing import Drawn, Known, through_note
from gullywind.core.measure.evidence import Alignment, Candidate, Status, Way
from gullywind.core.neighbours import MOST_SEARCHED, likely_neighbours
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
    asked = [(k, [other for other in there if other != k][:MOST_SEARCHED], list(paths), list(kept)) for k in waiting]
    workers = min(os.cpu_count() or 1, len(asked))
    with ProcessPoolExecutor(workers, mp_context=get_context("fork")) as pool:
        ties = []
        for done, found in enumerate(pool.map(_ties_of, asked), start=1):
            ties += found
            report(done / len(asked))
    direct = [
        _known(REFERENCE, duration_s, str(k), one.alignment)
        for k, one in enumerate(results)
        if one.alignment is not None
    ]
    drawn, left_out = draw_consistently(REFERENCE, duration_s, [*direct, *ties])
    return tuple(_with(k, one, drawn.get(str(k)), left_out, paths) for k, one in enumerate(results))


def _waits(one: RecordingResult) -> bool:
    judged = one.alignment
    return judged is not None and judged.status is not Status.PLACED and all(n.code != "silent" for n in judged.notes)


def _ties_of(asked: tuple[int, list[int], list[Path], list[Path]]) -> list[Known]:
    """What one recording has in common with its likely neighbours."""
    own, others, paths, kept = asked
    with ExitStack() as opened:

        def heard(k: int) -> tuple[Heard, ...]:
            sound, _ = open_media(paths[k], kept[k] / f"for-{own}")
            opened.callback(sound.close)
            return load_heard(kept[k] / FEATURES, sound) or ()

        try:
            mine = index_reference(heard(own))
            # Sound that must be decoded is opened for those alone that are looked at closely.
            features = ((str(k), load_heard(kept[k] / FEATURES, mine.heard[0].view.source) or ()) for k in others)
            likely = likely_neighbours(mine, features)
            return [_tie(own, mine, int(key), heard(int(key))) for key in likely]
        except GullywindError:
            # It was read once; what is wrong with it now is no news of its place.
            return []


def _tie(own: int, mine: PreparedReference, other: int, heard: tuple[Heard, ...]) -> Known:
    source = mine.heard[0].view.source
    return _known(str(own), source.samples / source.sample_rate_hz, str(other), align_recording(mine, heard))


def _known(timeline: str, timeline_s: float, recording: str, judged: Alignment) -> Known:
    return Known(
        key=f"{timeline}-{recording}",
        timeline=timeline,
        recording=recording,
        status=judged.status,
        time_map=judged.time_map,
        confidence=judged.confidence,
        polarity=judged.polarity,
        ppm_error=judged.ppm_error,
        offset_error_s=judged.offset_error_s,
        error_at_s=judged.error_at_s,
        timeline_s=timeline_s,
    )


def _with(
    k: int, one: RecordingResult, drawn: Drawn | None, left_out: Sequence[Contradiction], paths: Sequence[Path]
) -> RecordingResult:
    """A result with its place through neighbours, if it has one, and what contradicts."""

    def name(key: str) -> str:
        return "the reference" if key == REFERENCE else paths[int(key)].name

    notes: list[Note] = [contradiction_note(wrong, name) for wrong in left_out if str(k) in wrong.contents]
    result = replace(one, notes=(*one.notes, *notes))
    if one.alignment is None or drawn is None or not drawn.through or drawn.time_map is None or not _waits(one):
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
