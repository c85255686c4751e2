"""Recordings: upload, name, edit, evidence."""

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from fastapi import Path as PathParam
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from gullywind.actions.bring_in.listen_for_recording import listen_again
from gullywind.actions.edit import bend_recording
from gullywind.actions.hear.channel_levels import channel_levels
from gullywind.actions.hear.hear_difference import difference_at
from gullywind.actions.hear.hear_rivals import moment_of_rival
from gullywind.actions.hear.measure_timing import doubling_at, loupe_moments, measure_timing
from gullywind.actions.hear.performances import moments_in
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.actions.place.place_by_timecode import offsets_by_codes
from gullywind.actions.projects.change_recordings import add_recording, describe_recording, remove_recordings, take_in
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.bend import BendOut, MomentsOut
from gullywind.api.models.evidence import (
    ChannelOut,
    CurveOut,
    DifferenceOut,
    DoublingOut,
    ProofWindowsOut,
    TimecodeOut,
    TimingOut,
    VersionOut,
)
from gullywind.api.models.folders import PathIn
from gullywind.api.models.recordings import DescribeIn, RecordingOut
from gullywind.api.shown import recording_out
from gullywind.core.ground.errors import Cancelled, NotFoundError
from gullywind.store.files import IncomingFile
from gullywind.store.placings import curve_of
from gullywind.store.projects import get_project
from gullywind.store.recordings import find_version, get_recording, reference_of

router = APIRouter(tags=["recordings"])
#: Uploads are written in pieces of this size: fewer thread changes than the network's own pieces.
WRITE_BYTES = 1 << 20


@router.post("/projects/{project_id}/recordings", status_code=201)
async def upload_recording(
    project_id: UUID, request: Request, context: ContextDep, file_name: str = Query(min_length=1, max_length=1000)
) -> RecordingOut:
    """Bring in a file: the body is its bytes. Streamed to disk; the same content is stored once."""

    def check() -> None:
        with context.database.session() as session:
            get_project(session, project_id)

    # Before the bytes come, not after gigabytes of them.
    await run_in_threadpool(check)
    incoming = IncomingFile(context.media)
    try:
        gathered, size = list[bytes](), 0
        async for chunk in request.stream():
            gathered.append(chunk)
            size += len(chunk)
            if size >= WRITE_BYTES:
                await run_in_threadpool(incoming.write, *gathered)
                gathered, size = [], 0
        await run_in_threadpool(incoming.write, *gathered)
        if await request.is_disconnected():
            # Stopped with its last bytes on their way: who stopped it does not want to find it there.
            raise ClientDisconnect

        def store() -> RecordingOut:
            incoming.share()
            with context.database.session() as session:
                row = add_recording(context, session, project_id, file_name, incoming)
                return recording_out(session, row.id)

        return await run_in_threadpool(store)
    except ClientDisconnect as error:
        # Nobody is left to be told, and nothing is wrong.
        raise Cancelled("The upload was stopped.") from error
    finally:
        incoming.drop()


@router.post("/projects/{project_id}/recordings/in-place", status_code=201)
def take_in_recording(project_id: UUID, body: PathIn, context: ContextDep) -> RecordingOut:
    """Bring in a file of the server's machine without a copy; only from folders that its setting allows."""
    recording_id = take_in(context, project_id, body.path)
    with context.database.session() as session:
        return recording_out(session, recording_id)


@router.get("/recordings/{recording_id}")
def get_one_recording(recording_id: UUID, session: SessionDep) -> RecordingOut:
    """A recording with its judgement and map."""
    return recording_out(session, recording_id)


@router.patch("/recordings/{recording_id}")
def patch_recording(recording_id: UUID, body: DescribeIn, session: SessionDep) -> RecordingOut:
    """Rename, or note something."""
    describe_recording(session, recording_id, body.version, name=body.name, remark=body.remark)
    return recording_out(session, recording_id)


@router.delete("/recordings/{recording_id}", status_code=204)
def delete_recording(recording_id: UUID, session: SessionDep) -> Response:
    """Take a recording out of its project; undoing brings it back."""
    remove_recordings(session, get_recording(session, recording_id).project_id, [recording_id])
    return Response(status_code=204)


@router.post("/recordings/{recording_id}/listening", status_code=202)
def post_listening(recording_id: UUID, context: ContextDep, session: SessionDep) -> RecordingOut:
    """Listen again to a file that could not be used before."""
    listen_again(context, session, recording_id)
    return recording_out(session, recording_id)


@router.get("/recordings/{recording_id}/versions/{version_id}")
def get_version(recording_id: UUID, version_id: UUID, response: Response, session: SessionDep) -> VersionOut:
    """One version of a recording; it never changes, so that it is asked for once."""
    row = find_version(session, version_id, recording_id)
    if row is None:
        raise NotFoundError("This version does not exist any more.")
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return VersionOut.of(row)


@router.get("/recordings/{recording_id}/moments")
def get_moments(recording_id: UUID, context: ContextDep) -> MomentsOut:
    """Moments of a recording on which a tie may be laid."""
    with context.database.session() as session:
        content_hash = get_recording(session, recording_id).content_hash
    # Not while a connection is held: it may have to be listened to.
    return MomentsOut(times_s=moments_in(context, content_hash).tolist())


@router.get("/recordings/{recording_id}/bend")
def get_bend(
    recording_id: UUID,
    context: ContextDep,
    session: SessionDep,
    closeness: Annotated[float | None, Query(ge=0, le=1)] = None,
    leave_below_ms: Annotated[float | None, Query(ge=0)] = None,
    limit_percent: Annotated[float | None, Query(gt=0)] = None,
    ends: bool | None = None,
) -> BendOut | None:
    """The ties of a bent recording, and how it follows them, or would by other settings; null where it is not bent."""
    wish = {
        "closeness": closeness,
        "leave_below_s": None if leave_below_ms is None else leave_below_ms / 1e3,
        "limit": None if limit_percent is None else limit_percent / 100,
        "ends": ends,
    }
    settings = {name: value for name, value in wish.items() if value is not None}
    found = bend_recording.bend_now(context, session, recording_id, settings)
    return BendOut.of(found) if found else None


@router.get("/recordings/{recording_id}/proof-windows")
def get_proof_windows(recording_id: UUID, session: SessionDep) -> ProofWindowsOut | None:
    """The windows of the newest proof; null where nothing was measured yet."""
    proof = get_recording(session, recording_id).proof
    if proof is None:
        return None
    version = find_version(session, proof.version_id)
    return ProofWindowsOut.of(proof, bent=version is not None and version.value.bending is not None)


@router.post("/recordings/{recording_id}/proofs", status_code=202)
def request_proof(recording_id: UUID, context: ContextDep, session: SessionDep) -> None:
    """Measure what is left over, unless it is measured or will be."""
    row = get_recording(session, recording_id, lock=True)
    request_proofs(context, session, row.project_id, [row])


@router.get("/recordings/{recording_id}/match-curve")
def get_match_curve(recording_id: UUID, session: SessionDep) -> CurveOut | None:
    """How well every offset fits; null where it was not searched yet."""
    placing = get_recording(session, recording_id).placing
    judged = curve_of(session, placing) if placing else None
    if judged is None or judged.curve is None or judged.curve_start_s is None or judged.curve_step_s is None:
        return None
    heights = np.frombuffer(judged.curve, "<f4")
    return CurveOut(start_s=judged.curve_start_s, step_s=judged.curve_step_s, heights=np.round(heights, 2).tolist())


@router.get("/recordings/{recording_id}/rivals/{index}/moment")
def get_rival_moment(
    recording_id: UUID, index: Annotated[int, PathParam(json_schema_extra={"minimum": 0})], context: ContextDep
) -> float:
    """The reference time at which this one of the places offered is best told from the others, s."""
    return moment_of_rival(context, recording_id, index)


@router.get("/recordings/{recording_id}/channels")
def get_channels(recording_id: UUID, context: ContextDep) -> list[ChannelOut]:
    """What each channel holds, and how loud it is along the recording."""
    return [ChannelOut.model_validate(one, from_attributes=True) for one in channel_levels(context, recording_id)]


@router.get("/recordings/{recording_id}/timecodes")
def get_timecodes(recording_id: UUID, session: SessionDep) -> list[TimecodeOut]:
    """What the recording says of its own time, the most trustworthy first."""
    row = get_recording(session, recording_id)
    reference = reference_of(session, get_project(session, row.project_id))
    return [TimecodeOut.of(one) for one in offsets_by_codes(reference, row)]


@router.get("/recordings/{recording_id}/loupes")
def get_loupes(recording_id: UUID, context: ContextDep) -> list[float]:
    """Reference times of a clear onset near the start, the middle and the end of the overlap, s."""
    return loupe_moments(context, recording_id)


@router.get("/recordings/{recording_id}/timing")
def get_timing(recording_id: UUID, map_id: UUID, t_ref: float, context: ContextDep) -> TimingOut:
    """The timing difference at one moment of the reference, measured anew through one version of the map."""
    timing = measure_timing(context, recording_id, map_id, t_ref)
    return TimingOut(t_ref=timing.t_ref, lag_ms=timing.lag_ms, quality=timing.quality)


@router.get("/recordings/{recording_id}/doubling")
def get_doubling(recording_id: UUID, map_id: UUID, t_ref: float, context: ContextDep) -> DoublingOut | None:
    """What an ear makes of both together around a moment; null where nothing there is clearly alike."""
    found = doubling_at(context, recording_id, map_id, t_ref)
    return DoublingOut.of(found) if found else None


@router.get("/recordings/{recording_id}/difference")
def get_difference(recording_id: UUID, map_id: UUID, t_ref: float, context: ContextDep) -> DifferenceOut | None:
    """What cancels around a moment when the recording is taken from the reference; null where one of them is silent."""
    found = difference_at(context, recording_id, map_id, t_ref)
    return DifferenceOut.model_validate(found, from_attributes=True) if found else None
