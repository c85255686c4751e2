"""What can be said of files only once all were looked at: places by timecode and through neighbours."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from gullywind.actions.place.place_one import Delivered, Outputs, PlaceRequest, Reference, write_placed
from gullywind.actions.place.tie_files import tie_files
from gullywind.core.by_timecode import Coded, place_by_code
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.words import Note
from gullywind.core.maps.timeline import Timeline
from gullywind.core.measure.evidence import Status, Way
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.timecode import Timecode
from gullywind.formats.media import open_media
from gullywind.formats.result_json import RecordingResult


def settle_files(
    request: PlaceRequest,
    reference: MediaFacts,
    reference_codes: Sequence[Timecode],
    results: Sequence[RecordingResult],
    *,
    get_reference: Callable[[], Reference],
    outputs: Sequence[Outputs],
    spools: Path,
    kept: Sequence[Path],
    report: Callable[[float], None],
) -> tuple[RecordingResult, ...]:
    """Results with the places that timecode and neighbours give; those are written as well.

    Parameters
    ----------
    results : of all recordings, each looked at alone.
    get_reference : what was heard of it, for whoever writes.
    outputs : what to write of each, and where.
    kept : folders with what was heard of each, for its neighbours; none where there are none.
    report : told of the fraction done of the neighbours.
    """
    duration_s = Timeline.of(reference).duration_s
    found = tuple(results)
    if Way.TIMECODE in request.ways:
        coded = [Coded(one.facts.duration_s if one.facts else 0.0, one.codes, one.alignment) for one in found]
        judged = place_by_code(reference_codes, duration_s, coded, trusted=Way.SOUND not in request.ways)
        found = tuple(replace(one, alignment=now) if one.facts else one for one, now in zip(found, judged, strict=True))
    if Way.NEIGHBOURS in request.ways and kept:
        found = tie_files(duration_s, request.recordings, found, kept, report)
        report(1.0)
    return tuple(
        _written(now, output, get_reference, spools) if _is_placed(now) and not _is_placed(before) else now
        for before, now, output in zip(results, found, outputs, strict=True)
    )


def _is_placed(one: RecordingResult) -> bool:
    return one.alignment is not None and one.alignment.status is Status.PLACED


def _written(
    now: RecordingResult, outputs: Outputs, get_reference: Callable[[], Reference], spools: Path
) -> RecordingResult:
    """A recording that has its place only now is written after all."""
    if outputs == Outputs() or now.alignment is None:
        return now
    path = Path(now.path)
    try:
        sound, facts = open_media(path, spools / f"late-{path.name}")
    except GullywindError as error:
        return replace(now, notes=(*now.notes, Note(error.code, str(error))))
    try:
        written = write_placed(Delivered(path, sound, facts, now.alignment), get_reference(), outputs)
        return replace(now, notes=(*now.notes, *written))
    finally:
        sound.close()
