"""Placings drawn from what is known of any two recordings: after a measurement, and where the reference changes."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.prove_recording import request_proofs
from gullywind.core.ground.words import Note
from gullywind.core.judge.placing import Drawn, Known, draw_placings, through_note
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import AS_USUAL, Sounding, Version
from gullywind.core.measure.evidence import Status
from gullywind.core.sound.file_notes import file_notes
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, add_part, move_reference, point_at_placings
from gullywind.store.placings import keep_measurement, keep_placing, measurements_of
from gullywind.store.recordings import list_recordings, reference_of
from gullywind.store.tables import ChangeRow, MeasurementRow, MediaState, PlacingRow, ProjectRow, RecordingRow, Way

REMOVED = "a recording that was removed"


def known_of(rows: Sequence[MeasurementRow]) -> list[Known]:
    """What is stored, as core values."""
    return [
        Known(
            key=str(one.id),
            timeline=one.timeline_hash,
            recording=one.recording_hash,
            status=Status(one.status),
            time_map=TimeMap.from_json(one.pieces) if one.pieces else None,
            confidence=one.confidence,
            polarity=one.polarity,
            ppm_error=one.ppm_error,
            by_hand=one.way == Way.HAND,
        )
        for one in rows
    ]


def draw_for(session: Session, project: ProjectRow, reference: RecordingRow, row: RecordingRow) -> Drawn | None:
    """Where one recording lies; None where nothing is known of it."""
    known = known_of(measurements_of(session, project.id, [row.content_hash]))
    direct = [one for one in known if one.timeline == reference.content_hash]
    found = draw_placings(reference.content_hash, direct).get(row.content_hash)
    if found is None or found.status is not Status.PLACED:
        # Perhaps somebody in between knows better.
        known = known_of(measurements_of(session, project.id, _contents(session, project)))
        found = draw_placings(reference.content_hash, known).get(row.content_hash)
    return found


def keep_drawn(
    session: Session,
    change: ChangeRow,
    reference: RecordingRow,
    row: RecordingRow,
    drawn: Drawn,
    names: Mapping[str, str],
) -> None:
    """Store a placing, and the version that follows from it as part of a change.

    `names`: of recordings, by their contents.
    """
    sounding = row.current.value.sounding if row.current else AS_USUAL
    version = _version(drawn, sounding)
    made = add_part(session, change, Part(row, version, _sentence(drawn, names))) if version or row.current else None
    if drawn.direct and drawn.way[0].by_hand:
        # What a person decided is no judgement: that of the sound stands as it was.
        return
    evidence = session.get(MeasurementRow, UUID(drawn.way[0].key)) if drawn.direct else None
    notes = list(file_notes(row.media.to_facts())) if row.media.state == MediaState.READY else []
    notes += [Note(**one) for one in evidence.notes] if evidence else []
    notes += [through_note(_names(drawn, names))] if drawn.through else []
    placing = PlacingRow(
        reference_id=reference.id,
        measurement_id=evidence.id if evidence else None,
        version_id=made.id if made else None,
        status=drawn.status,
        confidence=min(drawn.confidence, 1.0),
        polarity=drawn.polarity,
        ppm_error=drawn.ppm_error,
        notes=[asdict(one) for one in notes],
        through=_names(drawn, names),
        stored=version.to_json() if version else None,
    )
    keep_placing(session, row, placing)


def change_reference(context: Context, session: Session, project: ProjectRow, reference: RecordingRow) -> None:
    """Line everything up to another recording: all that is known stays known, and no sound is read."""
    keep_decisions(session, project)
    change = move_reference(session, project, reference.id, f"reference is {reference.name}")
    point_at_placings(session, project.id, reference.id)
    recordings = list_recordings(session, project.id)
    names = {one.content_hash: one.name for one in recordings}
    known = known_of(measurements_of(session, project.id, list(names)))
    drawn = draw_placings(reference.content_hash, known)
    for row in recordings:
        found = drawn.get(row.content_hash)
        if row.id == reference.id or found is None:
            if row.version_id is not None:
                add_part(session, change, Part(row, None, change.sentence))
            continue
        keep_drawn(session, change, reference, row, found, names)
    request_proofs(context, session, project.id, recordings)
    announce(session, project.id)


def keep_decisions(session: Session, project: ProjectRow) -> None:
    """What a person did to the places of a project is known of its recordings from now on, whatever the reference."""
    reference = reference_of(session, project)
    if reference is None:
        return
    for row in list_recordings(session, project.id):
        if row.current is None or row.is_as_judged:
            continue
        version = row.current.value
        decided = MeasurementRow(
            timeline_hash=reference.content_hash,
            recording_hash=row.content_hash,
            way=Way.HAND,
            project_id=project.id,
            status=Status.PLACED,
            confidence=1.0,
            polarity=version.sounding.polarity,
            pieces=version.time_map.to_json(),
            notes=[asdict(Note("by-hand", row.current.sentence))],
        )
        keep_measurement(session, decided)


def _contents(session: Session, project: ProjectRow) -> list[str]:
    return [one.content_hash for one in list_recordings(session, project.id)]


def _version(drawn: Drawn, sounding: Sounding) -> Version | None:
    """Where it lies, sounding as before, but for the polarity, which is told against the new reference."""
    if drawn.time_map is None:
        return None
    return Version(drawn.time_map, sounding=sounding.with_polarity(drawn.polarity))


def _names(drawn: Drawn, names: Mapping[str, str]) -> list[str]:
    return [names.get(one, REMOVED) for one in drawn.through]


def _sentence(drawn: Drawn, names: Mapping[str, str]) -> str:
    if drawn.through:
        return f"placed through {' and '.join(_names(drawn, names))}"
    if drawn.way[0].by_hand:
        return "as it was set by hand"
    return "placed by its sound" if drawn.status is Status.PLACED else "placed by its sound, unsure"
