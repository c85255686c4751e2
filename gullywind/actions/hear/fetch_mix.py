"""Many recordings heard together: mixed here, so that the browser plays one stream however many sound."""

import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import MOST_PLAYED, open_sound
from gullywind.actions.status import status_of_recording
from gullywind.actions.timeline import timeline_of
from gullywind.core.ground.units import Samples
from gullywind.core.maps.version import Version
from gullywind.core.render.mix import PLAIN, Voice, add_voice
from gullywind.core.render.warp import render
from gullywind.store.projects import get_project
from gullywind.store.recordings import list_recordings

#: Sound is rendered and kept in blocks of this many samples, so that another level needs no rendering.
BLOCK = 1 << 14
#: What is kept of it: some seconds of 72 voices, all that a page has fetched ahead and will ask for again.
MOST_KEPT_BYTES = 192 << 20


@dataclass(frozen=True, slots=True)
class _Sounding:
    """A recording that sounds in a stretch; `version_id` names how it lies."""

    recording_id: UUID
    content_hash: str
    version_id: UUID
    version: Version


class _Blocks:
    """Rendered blocks, those used last; by version, rate and number."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[UUID, int, int], Samples] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: tuple[UUID, int, int]) -> Samples | None:
        with self._lock:
            block = self._kept.get(key)
            if block is not None:
                self._kept.move_to_end(key)
            return block

    def put(self, key: tuple[UUID, int, int], block: Samples) -> None:
        with self._lock:
            if key not in self._kept:
                self._bytes += block.nbytes
            self._kept[key] = block
            while self._bytes > MOST_KEPT_BYTES:
                self._bytes -= self._kept.popitem(last=False)[1].nbytes


_BLOCKS = _Blocks()
_RENDERERS = ThreadPoolExecutor(4, thread_name_prefix="mix")


def fetch_mix(
    context: Context, project_id: UUID, first: int, samples: int, voices: Mapping[UUID, Voice] | None = None
) -> Samples:
    """All placed recordings together, without the reference, shape (2, samples), at the reference's rate.

    Each counts as much as any other, but for what `voices` says of it; together they are about as loud as one, however
    many are not muted.
    """
    wishes = voices or {}
    with context.database.session() as session:
        project = get_project(session, project_id)
        rate_hz = timeline_of(session, project).sample_rate_hz
        placed = [
            _Sounding(one.id, one.content_hash, one.current.id, one.current.value)
            for one in list_recordings(session, project_id)
            if one.id != project.reference_id and one.current and status_of_recording(one) == "placed"
        ]
    heard = [one for one in placed if not wishes.get(one.recording_id, PLAIN).muted]
    start_s, end_s = first / rate_hz, (first + samples) / rate_hz
    sounding = [
        one
        for one in heard
        if one.version.heard_map.start_ref_s < end_s and one.version.heard_map.end_ref_s_exclusive > start_s
    ]

    def stretch(one: _Sounding) -> Samples:
        return _stretch(context, one, rate_hz, first, samples)

    mix = np.zeros((MOST_PLAYED, samples), np.float32)
    for one, part in zip(sounding, _RENDERERS.map(stretch, sounding), strict=True):
        add_voice(mix, part, wishes.get(one.recording_id, PLAIN))
    return mix * np.float32(1 / np.sqrt(max(1, len(heard))))


def _stretch(context: Context, one: _Sounding, rate_hz: int, first: int, samples: int) -> Samples:
    """A stretch of one recording, shape (1 or 2, samples), cut from kept blocks."""
    start = first - first % BLOCK
    blocks = np.concatenate(list(_blocks(context, one, rate_hz, start, first + samples)), axis=1)
    return blocks[:, first - start : first - start + samples]


def _blocks(context: Context, one: _Sounding, rate_hz: int, start: int, stop: int) -> Iterator[Samples]:
    for at in range(start, stop, BLOCK):
        key = (one.version_id, rate_hz, at)
        block = _BLOCKS.get(key)
        if block is None:
            sound = open_sound(context, one.content_hash)
            lies, sounding = one.version.heard_map, one.version.sounding
            made = render(sound, lies, sounding, sample_rate_hz=rate_hz, samples=BLOCK, first=at)
            # A copy: a view would keep all channels of a recorder of many.
            block = made[:MOST_PLAYED].copy()
            _BLOCKS.put(key, block)
        yield block
