"""Sets: recordings of one recorder that move as one."""

from uuid import UUID

from fastapi import APIRouter, Response

from gullywind.actions.edit.tie_sets import offers_of, refuse_offer, tie_set, untie_set
from gullywind.actions.hear.measure_set import measure_set
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.sets import InsideOut, NoSetIn, SetIn, SetsOut
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import list_recordings

router = APIRouter(tags=["sets"])


@router.get("/projects/{project_id}/sets")
def get_sets(project_id: UUID, session: SessionDep) -> SetsOut:
    """The sets of a project, and recordings that look like one."""
    return _shown(session, project_id)


@router.post("/projects/{project_id}/sets", status_code=201)
def post_set(project_id: UUID, body: SetIn, context: ContextDep, session: SessionDep) -> SetsOut:
    """Tie recordings as a set: from now on they move as one."""
    tie_set(context, session, project_id, body.recording_ids, one_after_another=body.one_after_another)
    return _shown(session, project_id)


@router.delete("/projects/{project_id}/sets/{set_id}")
def delete_set(project_id: UUID, set_id: UUID, session: SessionDep) -> SetsOut:
    """Take a set apart; its members stay where they lie."""
    untie_set(session, project_id, set_id)
    return _shown(session, project_id)


@router.post("/projects/{project_id}/no-sets", status_code=204)
def post_no_set(project_id: UUID, body: NoSetIn, session: SessionDep) -> Response:
    """Say that recordings that look like a set are none; it stays said."""
    refuse_offer(session, project_id, body.recording_ids)
    return Response(status_code=204)


@router.get("/projects/{project_id}/sets/{set_id}/inside")
def get_inside(project_id: UUID, set_id: UUID, context: ContextDep) -> list[InsideOut]:
    """Delay and polarity of the members against each other."""
    return [InsideOut.of(one) for one in measure_set(context, project_id, set_id)]


def _shown(session: Session, project_id: UUID) -> SetsOut:
    session.flush()
    project = get_project(session, project_id)
    rows = list(list_recordings(session, project_id, with_places=False))
    return SetsOut.of(rows, offers_of(project, rows))
