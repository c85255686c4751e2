"""What was done to a project: the list, back and forth in it."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Body, Query

from gullywind.actions import edit_many
from gullywind.actions.edit import step_history
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.acts import ActIn, Aside, DoneOut, Removal
from gullywind.api.models.changes import ChangeOut, GoToIn, StepIn
from gullywind.api.models.map_edits import Lock
from gullywind.api.models.projects import ProjectOut
from gullywind.api.shown import project_out
from gullywind.store.history import list_changes
from gullywind.store.projects import get_project
from gullywind.store.recordings import names_of

router = APIRouter(tags=["changes"])


@router.get("/projects/{project_id}/changes")
def get_changes(
    project_id: UUID,
    session: SessionDep,
    recording_id: Annotated[UUID | None, Query(description="only what touches this recording")] = None,
) -> list[ChangeOut]:
    """All that was done, oldest first, with what was taken back."""
    get_project(session, project_id)
    names = names_of(session, project_id)
    return [ChangeOut.of(one, recording_id, names) for one in list_changes(session, project_id, recording_id)]


@router.post("/projects/{project_id}/changes")
def post_step(
    project_id: UUID,
    body: Annotated[StepIn | GoToIn, Body(discriminator="kind")],
    context: ContextDep,
    session: SessionDep,
) -> ProjectOut:
    """Take back, do again, or go to any change; each whole, in their order."""
    match body:
        case GoToIn():
            step_history.go_to(context, session, project_id, body.number)
        case StepIn(kind="undo"):
            step_history.undo(context, session, project_id)
        case _:
            step_history.redo(context, session, project_id)
    return project_out(session, project_id)


@router.post("/projects/{project_id}/acts")
def post_act(project_id: UUID, body: ActIn, context: ContextDep, session: SessionDep) -> DoneOut:
    """Do one thing to many recordings, as one change; what cannot be done to one of them leaves the others alone."""
    act, ids = body.act, body.recording_ids
    match act:
        case Lock():
            done = edit_many.lock_many(session, project_id, ids, locked=act.locked)
        case Aside():
            done = edit_many.set_many_aside(context, session, project_id, ids)
        case Removal():
            done = edit_many.remove_many(session, project_id, ids)
        case _:
            done = edit_many.edit_many(context, session, project_id, ids, act.to_core())
    return DoneOut.of(done)
