"""Which recordings of a project are tied as sets."""

from collections import defaultdict
from collections.abc import Sequence
from uuid import UUID

from gullywind.store.tables import RecordingRow


def sets_of(rows: Sequence[RecordingRow]) -> dict[UUID, list[RecordingRow]]:
    """The sets of a project, by their ids, members in their order; one alone is none."""
    found = defaultdict[UUID, list[tuple[float, str, RecordingRow]]](list)
    for row in rows:
        member = row.member
        if member is not None:
            found[member.membership.set_id].append((member.membership.place_s, row.name, row))
    return {
        key: [row for *_, row in sorted(some, key=lambda one: one[:2])] for key, some in found.items() if len(some) > 1
    }
