"""Sound and peaks for the interface, in short stretches, fast."""

import threading
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

import numpy as np

from gullywind.actions.bring_in.listen_to_media import drawing_mix, open_stored
from gullywind.actions.context import Context
from gullywind.actions.rivals import rival_version
from gullywind.actions.timeline import timeline_of
from gullywind.core.ground.errors import InputError, NotFoundError, NotNowError
from gullywind.core.ground.units import Samples
from gullywind.core.maps.version import Version
from gullywind.core.render.warp import render
from gullywind.core.sound.peaks import FACTOR, FINEST_BIN, LEVELS, TILE_BINS, Peaks, peaks_of
from gullywind.core.sound.views import chosen_channels
from gullywind.formats.derived import load_peaks, peaks_name
from gullywind.formats.sound_files import Sound
from gullywind.store.database import Session
from gullywind.store.files import MediaFolder
from gullywind.store.projects import get_project
from gullywind.store.recordings import find_media, find_version, get_recording
from gullywind.store.tables import MediaState

#: Open files are kept: opening costs more than reading a chunk.
MOST_OPEN = 96
BINS = [FACTOR**k for k in range(0, 20) if FACTOR**k < FINEST_BIN] + [FINEST_BIN * FACTOR**k for k in range(LEVELS)]
#: The browser plays two; more channels are heard by their first two.
MOST_PLAYED = 2


class OpenSounds:
    """The sounds used last, kept open."""

    def __init__(self) -> None:
        self._open: OrderedDict[tuple[str, str], Sound] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, folder: MediaFolder, content_hash: str) -> Sound:
        """A sound, opened if need be."""
        key = (str(folder.root), content_hash)
        with self._lock:
            sound = self._open.get(key)
            if sound is None:
                sound, _ = open_stored(folder, content_hash)
                self._open[key] = sound
                while len(self._open) > MOST_OPEN:
                    # Not closed here: another thread may be reading it; it closes when nobody holds it.
                    self._open.popitem(last=False)
            self._open.move_to_end(key)
            return sound


_SOUNDS = OpenSounds()
_RENDERERS = ThreadPoolExecutor(4, thread_name_prefix="render")


def open_sound(context: Context, content_hash: str) -> Sound:
    """A stored file as sound, kept open for the next time."""
    return _SOUNDS.get(context.media, content_hash)


def fetch_sound(
    context: Context, recording_id: UUID, map_id: UUID | None, first: int, samples: int, *, rival: int | None = None
) -> Samples:
    """A stretch of a recording in reference time, shape (1 or 2, samples), at the reference's rate.

    The reference itself plays as it is; a recording without a place is refused. `rival`: at one of the places that the
    search offers, whatever its own is.
    """
    # The database is let go before sound is read: a spool that must be made again takes minutes.
    with context.database.session() as session:
        content_hash, rate_hz, version = _playable(session, recording_id, map_id, rival)
        audible = get_recording(session, recording_id).media.sounding_channels
    sound, half = open_sound(context, content_hash), samples // 2
    if version is None:
        return chosen_channels(sound, audible).read(first, first + samples)[:MOST_PLAYED]

    def part(bounds: tuple[int, int]) -> Samples:
        return _rendered(sound, version, rate_hz, *bounds)

    # Two halves on two cores: a person waits for this.
    halves = [(first, half), (first + half, samples - half)] if half else [(first, samples)]
    return np.concatenate(list(_RENDERERS.map(part, halves)), axis=1)[:MOST_PLAYED]


def _rendered(sound: Sound, version: Version, rate_hz: int, first: int, samples: int) -> Samples:
    return render(sound, version.heard_map, version.sounding, sample_rate_hz=rate_hz, samples=samples, first=first)


def _playable(
    session: Session, recording_id: UUID, map_id: UUID | None, rival: int | None
) -> tuple[str, int, Version | None]:
    """What to play: content, the rate of the reference, and the version; None for the reference itself."""
    row = get_recording(session, recording_id)
    project = get_project(session, row.project_id)
    if row.media.state != MediaState.READY:
        raise NotNowError("This recording has not been listened to yet.")
    if project.reference_id in (None, row.id):
        return row.content_hash, row.media.to_facts().sample_rate_hz, None
    rate_hz = timeline_of(session, project).sample_rate_hz
    if rival is not None:
        return row.content_hash, rate_hz, rival_version(row, rival)
    chosen = row.current if map_id is None else find_version(session, map_id, recording_id)
    if chosen is None:
        raise NotNowError("This recording has no place yet, so it cannot be heard in step.")
    return row.content_hash, rate_hz, chosen.value


def fetch_peaks(context: Context, content_hash: str, bin_samples: int, tile: int) -> Peaks:
    """A tile of up to TILE_BINS bins, shape (bins, 3), int16; empty past the end."""
    if bin_samples not in BINS or tile < 0:
        raise InputError(f"Bins must be one of {BINS}, tiles 0 or more; got {bin_samples}, {tile}.")
    if bin_samples >= FINEST_BIN:
        level = BINS.index(bin_samples) - BINS.index(FINEST_BIN)
        try:
            return load_peaks(context.media.fetch_derived(content_hash, peaks_name(level)), tile * TILE_BINS, TILE_BINS)
        except FileNotFoundError as error:
            raise NotFoundError("This recording has not been listened to yet.") from error
    with context.database.session() as session:
        media = find_media(session, content_hash)
        audible = media.sounding_channels if media else None
    sound = chosen_channels(open_sound(context, content_hash), audible)
    start = tile * TILE_BINS * bin_samples
    stop = min(start + TILE_BINS * bin_samples, sound.samples)
    if stop <= start:
        return np.zeros((0, 3), np.int16)
    mono = drawing_mix(sound.read(start, stop))
    return peaks_of(np.pad(mono, (0, -mono.size % bin_samples)), bin_samples)
