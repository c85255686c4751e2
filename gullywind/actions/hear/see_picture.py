"""The picture of a recording: its file for a browser that plays it, single frames by time for what none plays."""

import mimetypes
from functools import lru_cache
from pathlib import Path
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.core.ground.errors import InputError, NotFoundError
from gullywind.core.ground.units import Floats
from gullywind.formats.frames import FrameReader, Picture, read_frame_times
from gullywind.store.recordings import get_recording

#: Videos are kept open: two pictures side by side, and those looked at just before.
MOST_OPEN = 4
#: An hour of a phone's frames takes 0.9 MB.
MOST_TIMES = 8
#: What one answer may hold, and how wide a picture is, pixels.
MOST_SECONDS, LEAST_WIDTH, MOST_WIDTH = 2.0, 64, 1920


@lru_cache(MOST_OPEN)
def _opened(path: Path) -> FrameReader:
    return FrameReader(path)


@lru_cache(MOST_TIMES)
def _times(path: Path) -> Floats:
    return read_frame_times(path)


def picture_path(context: Context, recording_id: UUID) -> tuple[Path, str]:
    """The file of a recording that has a picture, and its media type."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        if row.media.picture_start_s is None:
            raise NotFoundError("This recording has no picture.")
        content_hash, name = row.content_hash, row.file_name
    kind, _ = mimetypes.guess_type(name)
    is_video = kind is not None and kind.startswith("video/")
    return context.media.whole_original(content_hash), kind if kind and is_video else "video/mp4"


def see_frames(context: Context, recording_id: UUID, start_s: float, stop_s: float, width: int) -> list[Picture]:
    """The frame that is seen at `start_s` of the recording's own time, and those that begin before `stop_s`."""
    if not 0 <= stop_s - start_s <= MOST_SECONDS:
        raise InputError(f"Up to {MOST_SECONDS:g} s of pictures come at once.")
    path, _ = picture_path(context, recording_id)
    return _opened(path).read(start_s, stop_s, width=width)


def see_times(context: Context, recording_id: UUID) -> Floats:
    """When each frame begins, s of the recording's own time; none where they lie as its frame rate says."""
    path, _ = picture_path(context, recording_id)
    return _times(path)
