"""Room on disk: what takes it, and what can be made free."""

from fastapi import APIRouter

from gullywind.actions.projects.change_recordings import forget_removed
from gullywind.actions.projects.sweep import free_derived, room
from gullywind.api.deps import ContextDep
from gullywind.api.models.room import RoomOut

router = APIRouter(tags=["room"])


@router.get("/room")
def get_room(context: ContextDep) -> RoomOut:
    """What the program uses on disk, by what it is."""
    return RoomOut.of(room(context))


@router.post("/room/freeing")
def post_freeing(context: ContextDep) -> RoomOut:
    """Delete decoded sound that is made again when it is needed; what is used afterwards."""
    free_derived(context)
    return RoomOut.of(room(context))


@router.post("/room/forgetting")
def post_forgetting(context: ContextDep) -> RoomOut:
    """Delete for good what was removed from projects; that cannot be undone. What is used afterwards."""
    forget_removed(context, days=0.0)
    return RoomOut.of(room(context))
