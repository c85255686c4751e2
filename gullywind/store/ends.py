"""What would be taken back or done again next, of every recording of a project."""

from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gullywind.store.tables import ChangePartRow, ChangeRow, VersionRow


@dataclass(frozen=True, slots=True)
class Ends:
    """Of one recording: the words for what would be taken back or done again next, and the version before that."""

    undo: str | None
    redo: str | None
    earlier_id: UUID | None


def ends_of(session: Session, project_id: UUID, recording_id: UUID | None = None) -> dict[UUID, Ends]:
    """The ends of all recordings of a project that have a history, or of one, in two queries.

    A change of the reference is no step of one recording, and nothing before it can be gone to from there.
    """
    moved = select(ChangeRow.number, ChangeRow.applied).where(
        ChangeRow.project_id == project_id, ChangeRow.moves_reference
    )
    moves = session.execute(moved).all()
    after = max((number for number, applied in moves if applied), default=0)
    before = min((number for number, applied in moves if not applied), default=None)

    def one_each(*, applied: bool) -> dict[UUID, tuple[str, UUID | None]]:
        order = ChangeRow.number.desc() if applied else ChangeRow.number
        ends = (
            select(ChangePartRow.recording_id, ChangePartRow.before_id, ChangePartRow.after_id, ChangeRow.sentence)
            .join(ChangeRow, ChangeRow.id == ChangePartRow.change_id)
            .where(ChangeRow.project_id == project_id, ChangeRow.applied.is_(applied), ~ChangeRow.moves_reference)
            .distinct(ChangePartRow.recording_id)
            .order_by(ChangePartRow.recording_id, order)
        )
        ends = ends.where(ChangeRow.number > after) if applied else ends
        ends = ends.where(ChangeRow.number < before) if not applied and before is not None else ends
        ends = ends.where(ChangePartRow.recording_id == recording_id) if recording_id else ends
        one = ends.subquery()
        words = func.coalesce(VersionRow.sentence, one.c.sentence)
        query = select(one.c.recording_id, words, one.c.before_id).outerjoin(
            VersionRow, VersionRow.id == one.c.after_id
        )
        return {key: (sentence, earlier_id) for key, sentence, earlier_id in session.execute(query)}

    undo, redo = one_each(applied=True), one_each(applied=False)
    nothing = (None, None)
    return {
        one: Ends(undo.get(one, nothing)[0], redo.get(one, nothing)[0], undo.get(one, nothing)[1])
        for one in undo.keys() | redo.keys()
    }
