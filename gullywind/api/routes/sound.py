"""What is drawn and heard of recordings: peaks, sound in step, many together."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response
from fastapi import Path as PathParam

from gullywind.actions.hear.fetch_mix import fetch_mix
from gullywind.actions.hear.fetch_sound import BINS, fetch_peaks, fetch_sound
from gullywind.api.deps import ContextDep
from gullywind.api.models.mix import MixIn
from gullywind.core.ground.units import Samples

router = APIRouter(tags=["sound"])
BINARY = "application/octet-stream"
Bins = Annotated[int, PathParam(json_schema_extra={"enum": list(BINS)})]
Tile = Annotated[int, PathParam(json_schema_extra={"minimum": 0})]
ContentHash = Annotated[str, PathParam(pattern="^[0-9a-f]{64}$")]


@router.get("/media/{content_hash}/peaks/{bin_samples}/{tile}", response_class=Response)
def get_peaks(content_hash: ContentHash, bin_samples: Bins, tile: Tile, context: ContextDep) -> Response:
    """A tile of 1024 bins: int16 minimum, maximum, RMS, interleaved. Bins: 1, 4, 16 ... 262144 samples."""
    peaks = fetch_peaks(context, content_hash, bin_samples, tile)
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(peaks.astype("<i2").tobytes(), media_type=BINARY, headers=headers)


@router.post("/projects/{project_id}/mix", response_class=Response)
def post_mix(
    project_id: UUID,
    body: MixIn,
    context: ContextDep,
    first: int = Query(description="first sample in reference time, at the reference's sample rate"),
    samples: int = Query(gt=0, le=960_000),
) -> Response:
    """All placed recordings together, as loud and where the body says, without the reference; it changes nothing.

    float32, channel after channel.
    """
    return _sound(fetch_mix(context, project_id, first, samples, body.to_core()), kept_s=0)


@router.get("/recordings/{recording_id}/sound", response_class=Response)
def get_sound(
    recording_id: UUID,
    context: ContextDep,
    first: int = Query(description="first sample in reference time, at the reference's sample rate"),
    samples: int = Query(gt=0, le=960_000),
    map_id: UUID | None = None,
    rival: int | None = Query(default=None, ge=0, description="at this one of the places that the search offers"),
) -> Response:
    """Sound in reference time through a version of the map (null: the current one), at the reference's rate.

    float32, channel after channel.
    """
    # What is offered changes with the next search.
    kept_s = 600 if rival is None else 0
    return _sound(fetch_sound(context, recording_id, map_id, first, samples, rival=rival), kept_s=kept_s)


def _sound(chunk: Samples, *, kept_s: int) -> Response:
    headers = {"X-Channels": str(chunk.shape[0]), "Cache-Control": f"private, max-age={kept_s}"}
    return Response(chunk.astype("<f4", copy=False).tobytes(), media_type=BINARY, headers=headers)
