"""Marks: moments of recordings that were found, or that a person named."""

from uuid import UUID

from fastapi import APIRouter, Response

from gullywind.actions.edit.mark_moments import add_mark, remove_mark, rename_mark
from gullywind.api.deps import SessionDep
from gullywind.api.models.marks import MarkIn, MarkNameIn, MarkOut, RecordingMarksOut
from gullywind.store.marks import claps_of_project, marks_of_project
from gullywind.store.projects import get_project

router = APIRouter(tags=["marks"])


@router.get("/projects/{project_id}/marks")
def get_marks(project_id: UUID, session: SessionDep) -> list[RecordingMarksOut]:
    """The marks of all recordings of a project."""
    get_project(session, project_id)
    own = marks_of_project(session, project_id)
    return [
        RecordingMarksOut.of(recording_id, claps, [one for one in own if one.recording_id == recording_id])
        for recording_id, claps in claps_of_project(session, project_id).items()
    ]


@router.post("/recordings/{recording_id}/marks", status_code=201)
def post_mark(recording_id: UUID, body: MarkIn, session: SessionDep) -> MarkOut:
    """Mark a moment of a recording."""
    return MarkOut.of(add_mark(session, recording_id, body.t_rec, body.name))


@router.patch("/marks/{mark_id}")
def patch_mark(mark_id: UUID, body: MarkNameIn, session: SessionDep) -> MarkOut:
    """Name a mark."""
    return MarkOut.of(rename_mark(session, mark_id, body.name))


@router.delete("/marks/{mark_id}", status_code=204)
def delete_mark(mark_id: UUID, session: SessionDep) -> Response:
    """Take a mark away."""
    remove_mark(session, mark_id)
    return Response(status_code=204)
