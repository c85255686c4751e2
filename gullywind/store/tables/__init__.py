"""All tables; importing this package registers them."""

from gullywind.store.tables.base import Base
from gullywind.store.tables.media import MediaRow, MediaState
from gullywind.store.tables.project import ProjectRow
from gullywind.store.tables.recording import AlignmentRow, MapVersionRow, ProofRow, RecordingRow
from gullywind.store.tables.work import OPEN_STATES, DeliveryRow, WorkKind, WorkRow, WorkState

__all__ = [
    "OPEN_STATES",
    "AlignmentRow",
    "Base",
    "DeliveryRow",
    "MapVersionRow",
    "MediaRow",
    "MediaState",
    "ProjectRow",
    "ProofRow",
    "RecordingRow",
    "WorkKind",
    "WorkRow",
    "WorkState",
]
