"""How much of the reference cancels when a recording is taken from it, around one moment."""

from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import fetch_sound
from gullywind.actions.timeline import timeline_of
from gullywind.core.ground.errors import NotNowError
from gullywind.core.measure.difference import Difference, measure_difference
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording

#: What is compared around the moment, s.
COMPARED_S = 4.0


def difference_at(context: Context, recording_id: UUID, map_id: UUID, t_ref: float) -> Difference | None:
    """Compare as both are heard, through one version; None where one of them is silent there."""
    with context.database.session() as session:
        project = get_project(session, get_recording(session, recording_id).project_id)
        rate_hz, reference_id = timeline_of(session, project).sample_rate_hz, project.reference_id
    if reference_id is None or reference_id == recording_id:
        raise NotNowError("There is no other recording to take from the reference.")
    first, samples = round((t_ref - COMPARED_S / 2) * rate_hz), round(COMPARED_S * rate_hz)
    ours = fetch_sound(context, reference_id, None, first, samples)
    return measure_difference(ours, fetch_sound(context, recording_id, map_id, first, samples))
