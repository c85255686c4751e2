"""What became of a recording, in one word: for one that is at hand, and for all at once."""

from collections import defaultdict
from typing import Literal
from uuid import UUID

from gullywind.store.database import Session
from gullywind.store.recordings import states_of_all
from gullywind.store.tables import MediaState, RecordingRow

RecordingStatus = Literal["waiting", "placed", "unsure", "unplaced", "failed"]


def status_of_recording(row: RecordingRow) -> RecordingStatus:
    """A place that a person changed counts as placed."""
    judged = row.placing.status if row.placing else None
    return _status(row.media.state, row.version_id is not None, judged, row.is_untouched, row.set_aside)


def states_by_project(session: Session) -> dict[UUID, list[tuple[UUID, RecordingStatus]]]:
    """Every recording's id and status, by project; maps and evidence are not read."""
    found: dict[UUID, list[tuple[UUID, RecordingStatus]]] = defaultdict(list)
    for one in states_of_all(session):
        found[one.project_id].append(
            (one.recording_id, _status(one.media_state, one.has_place, one.judged, one.is_untouched, one.set_aside))
        )
    return found


def _status(
    media_state: str, has_place: bool, judged: str | None, is_untouched: bool, set_aside: bool
) -> RecordingStatus:
    if media_state == MediaState.FAILED:
        return "failed"
    if has_place:
        return "unsure" if judged == "unsure" and is_untouched else "placed"
    return "unplaced" if judged == "unplaced" or set_aside else "waiting"
