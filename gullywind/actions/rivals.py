"""A recording at one of the places that the search offers."""

from dataclasses import replace

from gullywind.core.ground.errors import NotNowError
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Sounding, Version
from gullywind.store.tables import RecordingRow


def rival_version(row: RecordingRow, index: int) -> Version:
    """The recording at one of the places that the search offers, sounding as it does now."""
    placing, duration_s = row.placing, row.media.duration_s
    if placing is None or duration_s is None or not 0 <= index < len(placing.candidates):
        raise NotNowError("This place is not offered any more.")
    chosen = placing.candidates[index]
    time_map = TimeMap.placement(chosen["offset_s"], chosen["rate"], duration_s)
    fresh = Version(time_map, sounding=Sounding(channels=row.media.sounding_channels))
    now = row.current.value if row.current else fresh
    return replace(now.at(time_map), sounding=now.sounding.with_polarity(placing.polarity))
