"""Projects and the work on them."""

from uuid import UUID

from fastapi import APIRouter, Response

from gullywind.actions.edit.match_recording import request_matching
from gullywind.actions.place.place_recording import request_placing
from gullywind.actions.projects.change_projects import change_project, create_project, delete_project
from gullywind.actions.status import states_by_project
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.projects import (
    FrameRateOut,
    MatchIn,
    PlaceIn,
    ProjectChange,
    ProjectIn,
    ProjectOut,
    ProjectSummary,
    WorkOut,
)
from gullywind.api.shown import project_out
from gullywind.core.ground.frames import FRAME_RATES, frame_rate
from gullywind.store.database import announce
from gullywind.store.projects import list_projects
from gullywind.store.works import ask_to_stop, get_work

router = APIRouter(tags=["projects"])


@router.get("/frame-rates")
def get_frame_rates() -> list[FrameRateOut]:
    """Frame rates that a project may have."""
    return [FrameRateOut.of(one) for one in FRAME_RATES]


@router.get("/projects")
def get_projects(session: SessionDep) -> list[ProjectSummary]:
    """All projects, newest first, with how far each is."""
    states = states_by_project(session)
    summaries = []
    for row in list_projects(session):
        others = [state for recording_id, state in states.get(row.id, []) if recording_id != row.reference_id]
        summaries.append(
            ProjectSummary(
                id=row.id,
                name=row.name,
                frame_rate=FrameRateOut.of(frame_rate(row.frame_rate)),
                recordings=len(others) + (row.reference_id is not None),
                placed=others.count("placed"),
                needs_you=sum(state in ("unsure", "unplaced", "failed") for state in others),
                created_at=row.created_at.isoformat(),
            )
        )
    return summaries


@router.post("/projects", status_code=201)
def post_project(body: ProjectIn, session: SessionDep) -> ProjectOut:
    """A new, empty project."""
    return project_out(session, create_project(session, body.name, body.frame_rate).id)


@router.get("/projects/{project_id}")
def get_one_project(project_id: UUID, session: SessionDep) -> ProjectOut:
    """A project with its recordings and the work on it."""
    return project_out(session, project_id)


@router.patch("/projects/{project_id}")
def patch_project(project_id: UUID, body: ProjectChange, context: ContextDep, session: SessionDep) -> ProjectOut:
    """Rename, set the frame rate, choose the reference."""
    change_project(
        context,
        session,
        project_id,
        body.version,
        name=body.name,
        frame_rate=body.frame_rate,
        reference_id=body.reference_id,
    )
    return project_out(session, project_id)


@router.delete("/projects/{project_id}", status_code=204)
def remove_project(project_id: UUID, context: ContextDep) -> Response:
    """Delete a project and the files that only it used."""
    delete_project(context, project_id)
    return Response(status_code=204)


@router.post("/projects/{project_id}/alignments", status_code=202)
def post_alignments(project_id: UUID, body: PlaceIn, context: ContextDep, session: SessionDep) -> list[WorkOut]:
    """Queue the placing of some recordings, or of all that have no place yet."""
    return [WorkOut.of(one) for one in request_placing(context, session, project_id, body.recording_ids)]


@router.post("/projects/{project_id}/matches", status_code=202)
def post_matches(project_id: UUID, body: MatchIn, context: ContextDep, session: SessionDep) -> list[WorkOut]:
    """Queue the matching of some recordings as other performances of the reference's part."""
    stretch_s = (body.stretch.start_s, body.stretch.end_s) if body.stretch else None
    works = request_matching(context, session, project_id, body.recording_ids, stretch_s)
    return [WorkOut.of(one) for one in works]


@router.delete("/works/{work_id}", status_code=202)
def stop_work(work_id: UUID, session: SessionDep) -> WorkOut:
    """Ask queued or running work to stop."""
    row = get_work(session, work_id)
    ask_to_stop(session, row)
    announce(session, row.project_id)
    return WorkOut.of(row)
