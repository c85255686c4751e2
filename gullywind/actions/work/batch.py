"""Several recordings that are listened to or placed: how many are through, and about how long the rest takes."""

from collections.abc import Sequence
from dataclasses import dataclass

from gullywind.store.database import Session
from gullywind.store.tables import WorkKind, WorkRow, WorkState
from gullywind.store.works import ended_since

#: Sooner nobody needs to know how long it will take.
LEAST_ELAPSED_S = 2.0
KINDS = (WorkKind.LISTEN, WorkKind.PLACE, WorkKind.MATCH)


@dataclass(frozen=True, slots=True)
class Batch:
    """`seconds_left` is None where nothing can be said yet."""

    done: int
    total: int
    seconds_left: float | None


def batch_of(session: Session, works: Sequence[WorkRow]) -> Batch | None:
    """The batch that a project's open work belongs to; None where there is none.

    What has ended since the oldest of the open ones was asked for is part of it.
    """
    some = [one for one in works if one.kind in KINDS]
    if not some:
        return None
    done, elapsed_s = ended_since(session, some[0].project_id, KINDS, min(one.created_at for one in some))
    total = done + len(some)
    if total < 2:
        return None
    through = done + sum(one.fraction_done for one in some if one.state == WorkState.RUNNING)
    # The first ones prepare what all need: before any is done, nothing can be said.
    known = done > 0 and elapsed_s >= LEAST_ELAPSED_S
    return Batch(done, total, (total - through) * elapsed_s / through if known else None)
