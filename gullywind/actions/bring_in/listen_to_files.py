"""Listen to files alone: loudness, true peak, sharp sounds, timecode. The command line's work."""

import os
import tempfile
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from pathlib import Path

from gullywind.actions.bring_in.hear_sound import hear_sound
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.words import Note
from gullywind.core.judge.notes import heard_notes
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.file_notes import failed_by_itself, file_notes, lost_note
from gullywind.core.sound.timecode import codes_of_file
from gullywind.formats.listen_json import ListenResult
from gullywind.formats.media import with_sound
from gullywind.formats.sound_files import Sound

_Asked = tuple[Path, Path]


def listen_to_files(paths: Sequence[Path], report: Callable[[float], None]) -> tuple[ListenResult, ...]:
    """Whatever a file does, down to a crash of the process that reads it, is its own failure.

    `report` is told of the fraction done.
    """
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder:
        asked = [(path, Path(folder) / str(number)) for number, path in enumerate(paths)]
        results = []
        for result in _results(asked):
            results.append(result)
            report(len(results) / len(asked))
    return tuple(results)


def _results(asked: Sequence[_Asked]) -> Iterator[ListenResult]:
    """What was heard in each file, in order; as many at once as there are cores."""
    with _processes(min(os.cpu_count() or 1, len(asked))) as pool:
        waiting = [pool.submit(_heard, one) for one in asked]
        for one, future in zip(asked, waiting, strict=True):
            try:
                yield future.result()
            except BrokenProcessPool:
                # One of them ended its process, and all that waited are lost with it: each by itself tells which.
                yield _alone(one)


def _alone(one: _Asked) -> ListenResult:
    with _processes(1) as pool:
        try:
            return pool.submit(_heard, one).result()
        except BrokenProcessPool:
            return ListenResult(str(one[0]), notes=(lost_note(),))


def _processes(count: int) -> ProcessPoolExecutor:
    return ProcessPoolExecutor(count, mp_context=get_context("fork"))


def _heard(asked: _Asked) -> ListenResult:
    path, spool = asked

    def listened(sound: Sound, facts: MediaFacts) -> ListenResult:
        whole = hear_sound(sound)
        return ListenResult(
            str(path),
            facts,
            whole.loudness_lufs,
            whole.true_peak_dbtp,
            whole.claps,
            whole.timecode,
            codes_of_file(facts),
            (*file_notes(facts), *heard_notes(whole.heard)),
        )

    try:
        sound, _, result = with_sound(path, spool, listened)
    except GullywindError as error:
        return ListenResult(str(path), notes=(Note(error.code, f"{path.name} {error}."),))
    except Exception as error:
        return ListenResult(str(path), notes=(failed_by_itself(error),))
    sound.close()
    spool.unlink(missing_ok=True)
    return result
