"""One act on many recordings: one change, one step back; what cannot be done to one of them leaves the others alone."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.edit.edit_map import edited_version
from gullywind.actions.edit.tie_sets import carried_parts, set_around
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.actions.projects.change_recordings import remove_recordings
from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.maps.edits import MapEdit
from gullywind.core.maps.push import SetPush
from gullywind.core.maps.sounding_edits import SoundingEdit
from gullywind.core.maps.version import Version
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, record_change
from gullywind.store.projects import get_project
from gullywind.store.recordings import list_recordings
from gullywind.store.tables import RecordingRow

_LOCKED = "it is locked"
#: So many are named of those to which nothing was done.
MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Left:
    """A recording to which nothing was done, and why."""

    name: str
    reason: str


@dataclass(frozen=True, slots=True)
class Done:
    """To how many recordings something was done, and which were left."""

    count: int
    left: tuple[Left, ...]

    @property
    def words(self) -> str:
        """To which it was not done, and why; empty where to all."""
        if not self.left:
            return ""
        named = ", ".join(f"{one.name} ({one.reason.removesuffix('.')})" for one in self.left[:MOST_NAMED])
        more = f" and {len(self.left) - MOST_NAMED} more" if len(self.left) > MOST_NAMED else ""
        return f"Left as it is: {named}{more}."


def edit_many(
    context: Context,
    session: Session,
    project_id: UUID,
    recording_ids: Sequence[UUID],
    edit: MapEdit | SoundingEdit | SetPush,
) -> Done:
    """The same edit of several recordings."""
    return _change_many(context, session, project_id, recording_ids, lambda row: edited_version(row, edit))


def set_many_aside(context: Context, session: Session, project_id: UUID, recording_ids: Sequence[UUID]) -> Done:
    """Say of several recordings that they do not belong; it stays said."""

    def aside(_: RecordingRow) -> tuple[None, str]:
        return None, "set aside: it does not belong"

    def say(row: RecordingRow) -> None:
        row.set_aside = True

    return _change_many(context, session, project_id, recording_ids, aside, say)


def lock_many(session: Session, project_id: UUID, recording_ids: Sequence[UUID], *, locked: bool) -> Done:
    """Say of several recordings, and of their sets, that they are finished, or that they are not."""
    rows, left = _chosen(session, project_id, recording_ids, refuse_locked=False)
    whole = {one.id: one for row in rows for one in (set_around(session, row) or [row])}
    for one in whole.values():
        one.locked = locked
        one.version += 1
    announce(session, project_id)
    return Done(len(whole), tuple(left))


def remove_many(session: Session, project_id: UUID, recording_ids: Sequence[UUID]) -> Done:
    """Take several recordings out of their project; undoing brings them back."""
    get_project(session, project_id, lock=True)
    wanted = set(recording_ids)
    rows = [one for one in list_recordings(session, project_id) if one.id in wanted]
    left = [Left(one.name, _LOCKED) for one in rows if one.locked]
    free = [one.id for one in rows if not one.locked]
    return Done(remove_recordings(session, project_id, free) if free else 0, tuple(left))


def _change_many(
    context: Context,
    session: Session,
    project_id: UUID,
    recording_ids: Sequence[UUID],
    make: Callable[[RecordingRow], tuple[Version | None, str]],
    then: Callable[[RecordingRow], None] = lambda row: None,
) -> Done:
    """One change of what `make` makes of each; `then` is called for those that it could be done to.

    What has no place and gets none is no part of the change: there is nothing to take back.
    """
    rows, left = _chosen(session, project_id, recording_ids, refuse_locked=True)
    parts, carried, sentences, told = list[Part](), set[UUID](), set[str](), 0
    for row in rows:
        if row.id in carried:
            # It moved with its set.
            then(row)
            continue
        try:
            version, sentence = make(row)
            if version is None and row.current is None:
                then(row)
                row.version += 1
                told += 1
                continue
            together = [Part(row, version, sentence), *carried_parts(session, row, version, sentence)]
        except (NotNowError, InputError) as error:
            left.append(Left(row.name, str(error)))
            continue
        parts += together
        then(row)
        sentences.add(sentence)
        carried |= {part.recording.id for part in together}
    if parts:
        record_change(session, project_id, sentences.pop() if len(sentences) == 1 else "changed together", parts)
        request_proofs(context, session, project_id, [part.recording for part in parts])
    announce(session, project_id)
    return Done(len(parts) + told, tuple(left))


def _chosen(
    session: Session, project_id: UUID, recording_ids: Sequence[UUID], *, refuse_locked: bool
) -> tuple[list[RecordingRow], list[Left]]:
    """Those of the recordings that may be changed, in the order of the project, and the others."""
    project = get_project(session, project_id, lock=True)
    wanted = set(recording_ids)
    rows, left = list[RecordingRow](), list[Left]()
    for one in list_recordings(session, project_id):
        if one.id not in wanted:
            continue
        if one.id == project.reference_id:
            left.append(Left(one.name, "it is the reference"))
        elif one.locked and refuse_locked:
            left.append(Left(one.name, _LOCKED))
        else:
            rows.append(one)
    return rows, left
