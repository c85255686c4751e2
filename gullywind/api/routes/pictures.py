"""The picture of a recording, as its file and frame by frame."""

import struct
from uuid import UUID

from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse

from gullywind.actions.hear.see_picture import LEAST_WIDTH, MOST_WIDTH, picture_path, see_frames, see_times
from gullywind.api.deps import ContextDep

router = APIRouter(tags=["pictures"])
KEPT = "private, max-age=3600"


@router.get("/recordings/{recording_id}/file", response_class=FileResponse)
def get_file(recording_id: UUID, context: ContextDep) -> FileResponse:
    """The file of a recording with a picture, as it was brought in; a browser asks for the parts that it plays."""
    path, kind = picture_path(context, recording_id)
    return FileResponse(path, media_type=kind, headers={"Cache-Control": KEPT})


@router.get("/recordings/{recording_id}/frames", response_class=Response)
def get_frames(
    recording_id: UUID,
    context: ContextDep,
    start: float = Query(description="moment of the recording's own time, s"),
    stop: float = Query(description="frames that begin before this come too, s"),
    width: int = Query(default=480, ge=LEAST_WIDTH, le=MOST_WIDTH, description="pixels"),
) -> Response:
    """The frame that is seen at a moment, and those that follow it; empty before the first one.

    Of each: the moment from which on it is seen, s (float64), the number of its bytes (uint32), and so many bytes of
    JPEG; little-endian.
    """
    frames = see_frames(context, recording_id, start, stop, width)
    body = b"".join(struct.pack("<dI", one.start_s, len(one.jpeg)) + one.jpeg for one in frames)
    return Response(body, media_type="application/octet-stream", headers={"Cache-Control": KEPT})


@router.get("/recordings/{recording_id}/frame-times", response_class=Response)
def get_frame_times(recording_id: UUID, context: ContextDep) -> Response:
    """When each frame begins, s of the recording's own time, as little-endian float64; empty where they are even."""
    times = see_times(context, recording_id)
    return Response(
        times.astype("<f8").tobytes(), media_type="application/octet-stream", headers={"Cache-Control": KEPT}
    )
