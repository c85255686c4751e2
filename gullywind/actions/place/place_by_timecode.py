"""What the timecode of a project's recordings says of their places, once any of them was looked at."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from gullywind.core.by_timecode import Coded, code_agrees, codes_of, place_by_code
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Candidate, Status, Way
from gullywind.core.sound.timecode import Timecode, offset_by_code
from gullywind.store.database import Session
from gullywind.store.placings import measurements_of
from gullywind.store.recordings import list_recordings
from gullywind.store.tables import MeasurementRow, MediaRow, MediaState, RecordingRow


def codes_of_media(media: MediaRow, reference: MediaRow | None = None) -> tuple[Timecode, ...]:
    """What a file says of its time, the most trustworthy first; counted as the reference where it does not say."""
    if media.state != MediaState.READY:
        return ()
    theirs = codes_of_media(reference) if reference is not None else ()
    runs = [TimecodeRun.from_json(one) for one in media.timecode_runs or ()]
    return codes_of(media.to_facts(), runs, theirs[0].counting.rate if theirs else None)


@dataclass(frozen=True)
class CodedOffset:
    """A timecode of a recording, and where it lies on the reference by it, s; None where the reference has none.

    `agrees`: the recording lies there, as far as timecode can tell.
    """

    code: Timecode
    offset_s: float | None
    agrees: bool


def offsets_by_codes(reference: RecordingRow | None, row: RecordingRow) -> list[CodedOffset]:
    """Each timecode of a recording, against the most trustworthy of the reference."""
    ours = codes_of_media(reference.media) if reference is not None else ()
    found = []
    for code in codes_of_media(row.media, reference.media if reference is not None else None):
        offset_s = offset_by_code(ours[0], code) if ours else None
        there = row.current.value.time_map.offset_s if row.current else None
        agrees = offset_s is not None and there is not None and code_agrees(ours[0], offset_s, there)
        found.append(CodedOffset(code, offset_s, agrees))
    return found


def judge_by_timecode(
    session: Session, project_id: UUID, reference: RecordingRow, fresh: Mapping[UUID, Alignment]
) -> dict[UUID, Alignment]:
    """The judgements that timecode changes: of recordings by their ids.

    `fresh` are those that were just found by other ways; of the rest what is known counts.
    """
    ours = codes_of_media(reference.media)
    if not ours:
        return {}
    rows = [one for one in list_recordings(session, project_id) if one.id != reference.id]
    known: dict[str, list[MeasurementRow]] = {}
    for one in measurements_of(session, project_id, [reference.content_hash]):
        if one.timeline_hash == reference.content_hash:
            known.setdefault(one.recording_hash, []).append(one)
    alignments = [fresh.get(row.id) or _surest(known.get(row.content_hash, [])) for row in rows]
    coded = [
        Coded(row.media.duration_s or 0.0, codes_of_media(row.media, reference.media), alignment)
        for row, alignment in zip(rows, alignments, strict=True)
    ]
    judged = place_by_code(ours, reference.media.duration_s or 0.0, coded)
    return {
        row.id: now
        for row, before, now in zip(rows, alignments, judged, strict=True)
        # Who was never looked at is not judged before somebody asks.
        if now is not None and before is not None and now is not before
        if row.id in fresh or (now.by is Way.TIMECODE and not _is_known(now, known[row.content_hash]))
    }


def _is_known(now: Alignment, rows: Sequence[MeasurementRow]) -> bool:
    return any(
        one.way == Way.TIMECODE and one.status == now.status and one.pieces == (now.time_map and now.time_map.to_json())
        for one in rows
    )


def _surest(rows: Sequence[MeasurementRow]) -> Alignment | None:
    """What is known of a recording by itself; None where it was not looked at."""
    rows = [one for one in rows if one.way in (Way.SOUND, Way.CLAPS)]
    if not rows:
        return None
    best = max(rows, key=lambda one: (one.status == Status.PLACED, one.confidence))
    return Alignment(
        Status(best.status),
        TimeMap.from_json(best.pieces) if best.pieces else None,
        best.polarity,
        best.confidence,
        tuple(Candidate(**one) for one in best.candidates),
        None,
        (),
        by=Way(best.way),
    )
