"""Bring all recordings of a project to one loudness, as one change."""

from dataclasses import replace
from uuid import UUID

from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.ground.words import signed
from gullywind.core.maps.sounding_edits import SetGain
from gullywind.core.sound.levels import USUAL_LIMIT_DBTP, matched_gain
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, record_change
from gullywind.store.projects import get_project, lock_project
from gullywind.store.recordings import list_recordings, reference_of

#: Nobody delivers softer or louder.
LEAST_TARGET_LUFS, MOST_TARGET_LUFS = -60.0, -5.0
#: Gains nearer than this are the same.
SAME_GAIN_DB = 0.005


def match_levels(session: Session, project_id: UUID, *, target_lufs: float | None, limit_dbtp: float | None) -> int:
    """Set the gains of all placed recordings so that each is as loud as the target, None: as the reference.

    No true peak goes over the limit, None: the usual one. What is heard by some of its channels alone, or was listened
    to by an older version, was not measured so and is left. Returns how many changed.
    """
    lock_project(session, project_id)
    if target_lufs is not None and not LEAST_TARGET_LUFS <= target_lufs <= MOST_TARGET_LUFS:
        raise InputError(f"A loudness to match lies between -60 and -5 LUFS, got {target_lufs:g}.")
    limit_dbtp = USUAL_LIMIT_DBTP if limit_dbtp is None else limit_dbtp
    if not -20 <= limit_dbtp <= 0:
        raise InputError(f"A limit for true peaks lies between -20 and 0 dBTP, got {limit_dbtp:g}.")
    reference = reference_of(session, get_project(session, project_id))
    if target_lufs is None:
        if reference is None or reference.media.loudness_lufs is None:
            raise NotNowError("The reference has no loudness to match: it is silent, or not listened to yet.")
        target_lufs = reference.media.loudness_lufs
    parts = []
    for row in list_recordings(session, project_id):
        media, current = row.media, row.current
        if current is None or row.locked or media.loudness_lufs is None or media.true_peak_dbtp is None:
            continue
        now = current.value
        if now.sounding.channels not in (None, media.sounding_channels):
            continue
        matched = matched_gain(
            media.loudness_lufs, media.true_peak_dbtp, target_lufs=target_lufs, limit_dbtp=limit_dbtp
        )
        if abs(matched.gain_db - now.sounding.gain_db) < SAME_GAIN_DB:
            continue
        sounded = SetGain(matched.gain_db).apply(now.sounding)
        limited = f", {matched.limited_db:.1f} dB less than asked for its peaks" if matched.limited_db else ""
        parts.append(Part(row, replace(now, sounding=sounded.sounding), f"{sounded.sentence}{limited}"))
    if parts:
        record_change(session, project_id, f"levels matched to {signed(target_lufs, 1)} LUFS", parts)
        announce(session, project_id)
    return len(parts)
