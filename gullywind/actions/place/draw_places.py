"""Placings drawn from what is known of any two recordings: after a measurement, and where the reference changes."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.core.ground.words import Note
from gullywind.core.judge.loops import Contradiction, contradiction_note, draw_consistently
from gullywind.core.judge.placing import Drawn, Known, draw_placings, through_note
from gullywind.core.judge.set_places import set_note, with_sets
from gullywind.core.maps.sets import Member
from gullywind.core.maps.time_map import TimeMap, alike
from gullywind.core.maps.version import Sounding, Version
from gullywind.core.measure.evidence import Status, Way
from gullywind.core.sound.file_notes import file_notes
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, add_part, add_parts, move_reference, point_at_placings
from gullywind.store.placings import durations_of, keep_measurements, keep_placings, measurements_of
from gullywind.store.recordings import list_recordings, reference_of
from gullywind.store.sets import sets_of
from gullywind.store.tables import (
    ChangeRow,
    MeasurementRow,
    MediaState,
    PlacingRow,
    ProjectRow,
    RecordingRow,
    VersionRow,
)

REMOVED = "a recording that was removed"


def known_of(session: Session, rows: Sequence[MeasurementRow]) -> list[Known]:
    """What is stored, as core values."""
    durations_s = durations_of(session, [one.timeline_hash for one in rows])
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
            offset_error_s=one.offset_error_s,
            error_at_s=one.error_at_s,
            agreement=1.0 if one.agreement is None else one.agreement,
            way=Way(one.way),
            timeline_s=durations_s.get(one.timeline_hash),
        )
        for one in rows
    ]


def draw_anew(
    context: Context,
    session: Session,
    project: ProjectRow,
    reference: RecordingRow,
    row: RecordingRow,
    change: ChangeRow,
    *,
    coded: Collection[str],
) -> Drawn:
    """Store where a recording lies after it was measured, and with it those that wait for a place and now have one.

    What the program placed, and by what is known now lies elsewhere or not surely there, is told anew as well.

    `coded`: contents of whose places their timecode says something new.
    """
    direct = known_of(session, measurements_of(session, project.id, [row.content_hash]))
    tied = row.membership is not None or any(
        reference.content_hash not in (one.timeline, one.recording) and not one.by_hand for one in direct
    )
    drawn = draw_placings(reference.content_hash, [one for one in direct if one.timeline == reference.content_hash])
    left_out: list[Contradiction] = []
    recordings = [row]
    if tied or coded or drawn[row.content_hash].status is not Status.PLACED:
        recordings = list(list_recordings(session, project.id))
        contents = [one.content_hash for one in recordings]
        drawn, left_out = draw_consistently(
            reference.content_hash,
            reference.media.duration_s or 0.0,
            known_of(session, measurements_of(session, project.id, contents)),
        )
    drawn = with_sets(reference.content_hash, drawn, members_by_set(recordings))
    names = {one.content_hash: one.name for one in recordings}
    found = []
    for one in recordings:
        there = drawn.get(one.content_hash)
        if there is None or one.locked:
            continue
        # Who was in doubt by what others say may be sure by what they say now.
        later = there.through or there.status is Status.PLACED or one.content_hash in coded
        told_anew = (_waits(one, reference) and later) or _lies_elsewhere(one, row, there) or _in_doubt(one, there)
        if one.id == row.id or told_anew:
            found.append(Found(one, there))
    placed = [one for one in found if one.drawn.time_map is not None or one.recording.version_id is not None]
    made = {one.recording.id: add_part(session, change, part_of(one, names)) for one in placed}
    keep_drawn(session, reference, found, [made.get(one.recording.id) for one in found], names, left_out)
    request_proofs(context, session, project.id, [one.recording for one in found if one.recording.id != row.id])
    return next(one.drawn for one in found if one.recording.id == row.id)


def members_by_set(rows: Sequence[RecordingRow]) -> list[dict[str, Member]]:
    """Of every set its members, by their contents."""
    return [
        {one.content_hash: one.member for one in members if one.member is not None}
        for members in sets_of(rows).values()
    ]


def _lies_elsewhere(one: RecordingRow, row: RecordingRow, there: Drawn) -> bool:
    """Whether a recording moves because another of its set was placed."""
    if one.member is None or row.member is None or one.id == row.id or there.time_map is None:
        return False
    if one.member.membership.set_id != row.member.membership.set_id or there.way[-1].way is not Way.SET:
        return False
    return one.current is None or not alike(one.current.value.time_map, there.time_map)


def _in_doubt(one: RecordingRow, there: Drawn) -> bool:
    """Whether a recording that the program placed does not lie there any more by what all say, or not surely."""
    if one.placing is None or one.placing.status != Status.PLACED or not one.is_untouched:
        return False
    if there.status is not Status.PLACED or there.time_map is None or one.current is None:
        return True
    return not one.current.value.time_map.lies_at(there.time_map.offset_s)


def _waits(row: RecordingRow, reference: RecordingRow) -> bool:
    """Whether a recording was looked for and has no sure place, and nobody has given it one."""
    if row.id == reference.id or row.placing is None or row.placing.status == Status.PLACED or row.is_set_aside:
        return False
    return row.version_id is None or row.is_untouched


@dataclass(frozen=True, eq=False)
class Found:
    """A recording and where it lies."""

    recording: RecordingRow
    drawn: Drawn

    @property
    def version(self) -> Version | None:
        """Where it lies, pushed and sounding as before, but for the polarity, which is told against the reference."""
        if self.drawn.time_map is None:
            return None
        fresh = Version(self.drawn.time_map, sounding=Sounding(channels=self.recording.media.sounding_channels))
        now = self.recording.current.value if self.recording.current else fresh
        return replace(now.at(self.drawn.time_map), sounding=now.sounding.with_polarity(self.drawn.polarity))


def keep_drawn(
    session: Session,
    reference: RecordingRow,
    found: Sequence[Found],
    made: Sequence[VersionRow | None],
    names: Mapping[str, str],
    left_out: Sequence[Contradiction] = (),
) -> None:
    """Store the placings of recordings, and which versions they made.

    `names`: of recordings, by their contents; `left_out`: measurements that contradict the others.
    """
    kept = []
    for one, version in zip(found, made, strict=True):
        drawn = one.drawn
        if drawn.direct and drawn.way[0].by_hand:
            # What a person decided is no judgement: that of the sound stands as it was.
            continue
        evidence = session.get(MeasurementRow, UUID(drawn.way[0].key)) if drawn.direct else None
        media = one.recording.media
        notes = list(file_notes(media.to_facts())) if media.state == MediaState.READY else []
        notes += [Note(**note) for note in evidence.notes] if evidence else []
        if drawn.way and drawn.way[-1].way is Way.SET:
            notes.append(set_note(names.get(drawn.through[-1], REMOVED)))
        elif drawn.through:
            notes.append(through_note(_names(drawn, names), drawn.status, drawn.error_s))
        own = one.recording.content_hash
        notes += [
            contradiction_note(wrong, lambda key: names.get(key, REMOVED))
            for wrong in left_out
            if own in wrong.contents
        ]
        placing = PlacingRow(
            measurement_id=evidence.id if evidence else None,
            version_id=version.id if version else None,
            status=drawn.status,
            confidence=min(drawn.confidence, 1.0),
            polarity=drawn.polarity,
            ppm_error=drawn.ppm_error,
            notes=[asdict(note) for note in notes],
            through=_names(drawn, names),
            stored=version.stored if version else None,
        )
        kept.append((one.recording, placing))
    keep_placings(session, reference.id, kept)


def part_of(found: Found, names: Mapping[str, str]) -> Part:
    """What a placing does to its recording, in words."""
    return Part(found.recording, found.version, _sentence(found.drawn, names))


def change_reference(context: Context, session: Session, project: ProjectRow, reference: RecordingRow) -> None:
    """Line everything up to another recording: all that is known stays known, and no sound is read."""
    keep_decisions(session, project)
    change = move_reference(session, project, reference.id, f"reference is {reference.name}")
    point_at_placings(session, project.id, reference.id)
    recordings = list_recordings(session, project.id)
    names = {one.content_hash: one.name for one in recordings}
    known = known_of(session, measurements_of(session, project.id, list(names)))
    drawn, left_out = draw_consistently(reference.content_hash, reference.media.duration_s or 0.0, known)
    drawn = with_sets(reference.content_hash, drawn, members_by_set(recordings))
    found = [Found(row, drawn[row.content_hash]) for row in recordings if row.content_hash in drawn]
    found = [one for one in found if one.recording.id != reference.id and not one.recording.is_set_aside]
    # How far a place reaches nobody knows before both were listened to, whatever was measured of them elsewhere.
    found = [one for one in found if None not in (one.recording.media.duration_s, reference.media.duration_s)]
    placed = {one.recording.id for one in found if one.drawn.time_map is not None}
    made = add_parts(session, change, [part_of(one, names) for one in found if one.recording.id in placed])
    keep_drawn(session, reference, [one for one in found if one.recording.id in placed], made, names, left_out)
    unplaced = [one for one in found if one.recording.id not in placed]
    keep_drawn(session, reference, unplaced, [None] * len(unplaced), names)
    gone = [row for row in recordings if row.version_id is not None and row.id not in placed]
    add_parts(session, change, [Part(row, None, change.sentence) for row in gone])
    request_proofs(context, session, project.id, recordings)
    announce(session, project.id)


def keep_decisions(session: Session, project: ProjectRow) -> None:
    """What a person did to the places of a project is known of its recordings from now on, whatever the reference.

    Of recordings of one content that lie elsewhere by hand, what was done last is kept.
    """
    reference = reference_of(session, project)
    if reference is None:
        return
    rows = list_recordings(session, project.id)
    moved = [(row.current, row.content_hash) for row in rows if row.current and not row.is_as_judged]
    decided = dict[str, MeasurementRow]()
    for version, content_hash in sorted(moved, key=lambda one: one[0].created_at):
        decided[content_hash] = MeasurementRow(
            timeline_hash=reference.content_hash,
            recording_hash=content_hash,
            way=Way.HAND,
            project_id=project.id,
            status=Status.PLACED,
            confidence=1.0,
            polarity=version.value.sounding.polarity,
            pieces=version.value.time_map.to_json(),
            candidates=[],
            notes=[asdict(Note("by-hand", version.sentence))],
        )
    keep_measurements(session, list(decided.values()))


def _names(drawn: Drawn, names: Mapping[str, str]) -> list[str]:
    return [names.get(one, REMOVED) for one in drawn.through]


def _sentence(drawn: Drawn, names: Mapping[str, str]) -> str:
    if drawn.way and drawn.way[-1].way is Way.SET:
        return f"placed with {names.get(drawn.through[-1], REMOVED)}, of the same set"
    if drawn.way[0].by_hand and not drawn.through:
        return "as it was set by hand"
    by = (
        f"placed through {' and '.join(_names(drawn, names))}" if drawn.through else f"placed by its {drawn.way[0].way}"
    )
    return by if drawn.status is Status.PLACED else f"{by}, unsure"
