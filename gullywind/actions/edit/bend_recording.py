"""Edit the bend of a recording by hand; every edit is a change that can be taken back."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID, uuid4

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.edit.tie_sets import carried_parts
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.maps.bend_edits import BendEdit, HoldEdges, HoldTies, PutTie
from gullywind.core.maps.bending import Bend, Bending
from gullywind.core.maps.sets import Member, Membership, carried
from gullywind.core.maps.ties import Levels
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Gaps, Sounding, Version
from gullywind.core.sound.peaks import FINEST_BIN, SCALE
from gullywind.formats.derived import load_peaks, peaks_name
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, add_part, record_change
from gullywind.store.projects import check_version, get_project
from gullywind.store.recordings import get_recording
from gullywind.store.tables import ChangeRow, RecordingRow

#: More bins than any recording has that may be bent.
ALL_BINS = 1 << 26


def bend_recording(
    context: Context, session: Session, recording_id: UUID, version: int, edit: BendEdit
) -> RecordingRow:
    """Bend a recording otherwise."""
    row = _locked(session, recording_id, version)
    now = bending_of(row)
    assert row.current is not None
    heard_map, push_s = row.current.value.heard_map, row.current.value.push_s
    if isinstance(edit, HoldTies) and edit.held:
        # Held is where it lies now, not where it would lie without the limit.
        t_rec = np.array([now.ties[index].t_rec for index in edit.indices if 0 <= index < len(now.ties)])
        lies = heard_map.to_reference(t_rec)
        edit = replace(edit, places=tuple(lies.tolist())) if np.all(np.isfinite(lies)) else edit
    if isinstance(edit, PutTie) and edit.index is not None and 0 <= edit.index < len(now.ties):
        # A hand moves it from where it is heard, however much of its difference is taken away.
        lay = float(heard_map.to_reference(np.array([now.ties[edit.index].t_rec]))[0])
        edit = replace(edit, lay=lay) if np.isfinite(lay) else edit
    # Moments are told as they are heard, with the push.
    edited = edit.apply(now.shifted(push_s))
    bending = edited.bending.shifted(-push_s)
    made = bending.made(row.media.duration_s or 0.0, levels_of(context, row))
    return _store(context, session, row, made.time_map, bending, edited.sentence)


def hold_edges(
    context: Context, session: Session, recording_id: UUID, version: int, start_s: float, end_s: float, *, only: bool
) -> RecordingRow:
    """Hold both edges of a stretch of the reference where the recording lies there now."""
    row = get_recording(session, recording_id)
    bending_of(row)
    assert row.current is not None
    edit = HoldEdges.where_it_lies(row.current.value.heard_map, start_s, end_s, only=only)
    return bend_recording(context, session, recording_id, version, edit)


def bend_as(context: Context, session: Session, recording_id: UUID, version: int, other_id: UUID) -> RecordingRow:
    """The very map of another recording that began at the same moment: another microphone of the same take."""
    row, other = _locked(session, recording_id, version), get_recording(session, other_id)
    if other.project_id != row.project_id or other.id == row.id:
        raise InputError("Choose another recording of the same project.")
    bending = bending_of(other)
    if row.id == get_project(session, row.project_id).reference_id:
        raise InputError("The reference is not bent: all others follow it.")
    if row.media.duration_s is None:
        raise NotNowError(f"{row.name} has not been listened to yet.")
    assert other.current is not None and other.media.duration_s is not None
    together = Membership(uuid4(), 0.0)
    of, to = Member(together, other.media.duration_s), Member(together, row.media.duration_s)
    time_map = carried(other.current.value.time_map, of, to)
    if time_map is None:
        raise NotNowError(f"Nothing of it would be left: {other.name} is bent along what it does not have.")
    bent = sounding_bent(row, Version(time_map)).bent(time_map, bending)
    return keep_version(context, session, row, bent, f"bent as {other.name}")


def unbend(context: Context, session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Take the bend off: the recording keeps its plain place, and its ties are forgotten; undoing brings them back."""
    row = _locked(session, recording_id, version)
    plain = TimeMap.placement(bending_of(row).offset_s, 1.0, row.media.duration_s or 0.0)
    return _store(context, session, row, plain, None, "bend taken off")


def bending_of(row: RecordingRow) -> Bending:
    """The bend of a recording; raises `NotNowError` where it has none."""
    bending = row.current.value.bending if row.current else None
    if bending is None:
        raise NotNowError("This recording is not bent: match it with the reference first.")
    return bending


@dataclass(frozen=True, eq=False)
class BendNow:
    """The bend of a recording as it is heard, with its push, and what comes of each tie."""

    bending: Bending
    made: Bend


def bend_now(
    context: Context, session: Session, recording_id: UUID, settings: Mapping[str, Any] | None = None
) -> BendNow | None:
    """A recording's bend; None where it has none. `settings`: how it would be with other ones; nothing is stored."""
    row = get_recording(session, recording_id)
    version = row.current.value if row.current else None
    if version is None or version.bending is None:
        return None
    bending = version.bending.shifted(version.push_s)
    if settings:
        bending = replace(bending, settings=replace(bending.settings, **settings))
    return BendNow(bending, bending.made(row.media.duration_s or 0.0, levels_of(context, row)))


def levels_of(context: Context, row: RecordingRow) -> Levels | None:
    """How loud a recording is along its time, from its peaks; None where it has none yet."""
    if not row.media.sample_rate_hz:
        return None
    try:
        peaks = load_peaks(context.media.fetch_derived(row.content_hash, peaks_name(0)), 0, ALL_BINS)
    except FileNotFoundError:
        return None
    rms = peaks[:, 2].astype(np.float32)
    level_db = np.asarray(20 * np.log10(np.maximum(rms, 0.5) / SCALE), np.float32)
    return Levels(FINEST_BIN / row.media.sample_rate_hz, level_db) if level_db.size else None


def sounding_bent(row: RecordingRow, fresh: Version) -> Version:
    """Sounding and pushed as before, `fresh` where it had no place; the room goes on where a bend has to cut."""
    if row.current is None:
        return replace(fresh, sounding=Sounding(Gaps.ROOM_TONE, channels=row.media.sounding_channels))
    now = row.current.value
    return replace(now, sounding=replace(now.sounding, gaps=Gaps.ROOM_TONE))


def _locked(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    if row.locked:
        raise NotNowError(f"{row.name} is locked: unlock it before it is changed.")
    return row


def _store(
    context: Context, session: Session, row: RecordingRow, time_map: TimeMap, bending: Bending | None, words: str
) -> RecordingRow:
    assert row.current is not None
    now = row.current.value
    return keep_version(context, session, row, now.bent(time_map, bending) if bending else now.at(time_map), words)


def keep_version(
    context: Context,
    session: Session,
    row: RecordingRow,
    version: Version,
    words: str,
    change: ChangeRow | None = None,
) -> RecordingRow:
    """Make a new version of a recording, and of the others of its set: a change of its own, or part of one."""
    parts = [Part(row, version, words), *carried_parts(session, row, version, words)]
    if change is None:
        record_change(session, row.project_id, words, parts)
    else:
        for part in parts:
            add_part(session, change, part)
    request_proofs(context, session, row.project_id, [part.recording for part in parts])
    announce(session, row.project_id)
    return row
