"""Listen to files alone: loudness, true peak, sharp sounds, timecode. The command line's work."""

import os
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

from gullywind.core.features.extract import blocks_of, claps_of, finish_all, listeners_for, sounding_channels
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.words import Note
from gullywind.core.judge.notes import heard_notes
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.file_notes import file_notes
from gullywind.core.sound.loudness import LoudnessMeter
from gullywind.core.sound.timecode import codes_of_file
from gullywind.core.sound.true_peak import TruePeakMeter
from gullywind.formats.listen_json import ListenResult
from gullywind.formats.media import with_sound
from gullywind.formats.sound_files import Sound


def listen_to_files(paths: Sequence[Path], report: Callable[[float], None]) -> tuple[ListenResult, ...]:
    """Each file in a process; a bad file never stops the others. `report` is told of the fraction done."""
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder:
        asked = [(path, Path(folder) / str(number)) for number, path in enumerate(paths)]
        results = []
        with ProcessPoolExecutor(min(os.cpu_count() or 1, len(asked)), mp_context=get_context("fork")) as pool:
            waiting = [pool.submit(_heard, one) for one in asked]
            for path, future in zip(paths, waiting, strict=True):
                try:
                    results.append(future.result())
                except Exception as error:
                    words = f"The program did not cope with it ({type(error).__name__}); the file may be damaged."
                    results.append(ListenResult(str(path), notes=(Note("unreadable", words),)))
                report(len(results) / len(asked))
    return tuple(results)


def _heard(asked: tuple[Path, Path]) -> ListenResult:
    path, spool = asked

    def listened(sound: Sound, facts: MediaFacts) -> ListenResult:
        meter, peak, listeners = LoudnessMeter(sound.sample_rate_hz), TruePeakMeter(), listeners_for(sound)
        audible = sounding_channels(sound.channels, listeners[0].code)
        for block in blocks_of(sound):
            audible_block = block if audible is None else block[list(audible)]
            meter.push(audible_block)
            peak.push(audible_block)
            for listener in listeners:
                listener.push(block)
        heard = finish_all(listeners)
        notes = (*file_notes(facts), *heard_notes(heard))
        sounding = (meter.finish(), peak.finish(), claps_of(heard), heard[0].timecode)
        return ListenResult(str(path), facts, *sounding, codes=codes_of_file(facts), notes=notes)

    try:
        sound, _, result = with_sound(path, spool, listened)
    except GullywindError as error:
        return ListenResult(str(path), notes=(Note(error.code, f"{path.name} {error}."),))
    sound.close()
    spool.unlink(missing_ok=True)
    return result
