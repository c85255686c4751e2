"""What each channel of a recording holds, to choose among them."""

from dataclasses import dataclass
from enum import StrEnum
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import open_sound
from gullywind.core.ground.errors import NotNowError
from gullywind.core.sound.channel_levels import LOWEST_DBFS, levels_along
from gullywind.store.recordings import get_recording
from gullywind.store.tables import MediaState


class ChannelHolds(StrEnum):
    """What a channel is good for."""

    SOUND = "sound"
    TIMECODE = "timecode"
    SILENCE = "silence"


@dataclass(frozen=True, slots=True)
class ChannelLevels:
    """A channel's levels along the file, dBFS, and what it holds."""

    channel: int
    holds: ChannelHolds
    levels_dbfs: tuple[float, ...]


def channel_levels(context: Context, recording_id: UUID) -> list[ChannelLevels]:
    """All channels of a recording, in their order."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        if row.media.state != MediaState.READY:
            raise NotNowError("This recording has not been listened to yet.")
        content, code = row.content_hash, {run["channel"] for run in row.media.timecode_runs or ()}
    told = []
    for channel, levels in enumerate(levels_along(open_sound(context, content))):
        silent = bool((levels <= LOWEST_DBFS).all())
        holds = ChannelHolds.TIMECODE if channel in code else ChannelHolds.SILENCE if silent else ChannelHolds.SOUND
        told.append(ChannelLevels(channel, holds, tuple(round(float(one), 1) for one in levels)))
    return told
