"""The ways that look at two recordings alone, by sound and by claps, and which of their answers counts."""

from collections.abc import Collection, Sequence
from dataclasses import replace

from gullywind.core.align import PreparedReference, align_recording
from gullywind.core.by_claps import align_by_claps
from gullywind.core.features.extract import Heard
from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.judge.confidence import is_repeat
from gullywind.core.judge.judge import unplaced
from gullywind.core.judge.notes import heard_notes
from gullywind.core.measure.evidence import Alignment, Status, Way
from gullywind.core.measure.windows import MapAll
from gullywind.core.sound.views import sounding_channels

#: Those that a person may name, in the order in which they are tried.
WAYS = (Way.SOUND, Way.CLAPS, Way.TIMECODE, Way.NEIGHBOURS)


def align_pair(
    reference: PreparedReference,
    recording: Sequence[Heard],
    *,
    ways: Collection[Way] = WAYS,
    map_all: MapAll = map,
    checkpoint: Checkpoint = no_checkpoint,
) -> list[Alignment]:
    """The judgement by each way that was tried; claps are asked where the sound as a whole leaves a doubt."""
    found = []
    if Way.SOUND in ways:
        found.append(align_recording(reference, recording, map_all=map_all, checkpoint=checkpoint))
        if found[0].status is Status.PLACED or _repeats(found[0]):
            return found
    if Way.CLAPS in ways:
        by_claps = align_by_claps(reference.heard, recording)
        if by_claps is not None:
            found.append(by_claps)
    return found


def _repeats(by_sound: Alignment) -> bool:
    """Whether the sound agrees at several places alike: sharp sounds are part of it, and come again as it does."""
    return by_sound.support is not None and is_repeat(by_sound.support, by_sound.rival_support)


def surest(alignments: Sequence[Alignment], recording: Sequence[Heard]) -> Alignment:
    """The answer that counts, with what was noticed while listening, and the match curve where there is one."""
    if not alignments:
        return unplaced(heard_notes(recording))
    best = max(alignments, key=lambda one: (one.status is Status.PLACED, one.confidence))
    first = recording[0]
    best = replace(best, sounding=sounding_channels(first.view.source.channels, first.timecode_channels))
    if best.by is Way.SOUND:
        return best
    curve = next((one.curve for one in alignments if one.curve is not None), None)
    return replace(best, notes=(*heard_notes(recording), *best.notes), curve=curve)
