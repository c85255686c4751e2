"""All tables; importing this package registers them."""

from gullywind.store.tables.base import Base
from gullywind.store.tables.history import ChangePartRow, ChangeRow
from gullywind.store.tables.mark import MarkRow
from gullywind.store.tables.media import MediaRow, MediaState
from gullywind.store.tables.placing import MeasurementRow, PlacingRow
from gullywind.store.tables.project import ProjectRow
from gullywind.store.tables.recording import ProofRow, RecordingRow, VersionRow
from gullywind.store.tables.work import OPEN_STATES, DeliveryRow, WorkKind, WorkRow, WorkState

__all__ = [
    "OPEN_STATES",
    "Base",
    "ChangePartRow",
    "ChangeRow",
    "DeliveryRow",
    "MarkRow",
    "MeasurementRow",
    "MediaRow",
    "MediaState",
    "PlacingRow",
    "ProjectRow",
    "ProofRow",
    "RecordingRow",
    "VersionRow",
    "WorkKind",
    "WorkRow",
    "WorkState",
]
