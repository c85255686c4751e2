"""What has no place by its sound may be another performance of the same part: that is told, and never done unasked."""

from dataclasses import replace

from gullywind.actions.context import Context
from gullywind.actions.hear.performances import PerformanceCache, performance_of
from gullywind.core.bending.match import match_performances
from gullywind.core.ground.units import Checkpoint
from gullywind.core.judge.notes import performance_note
from gullywind.core.measure.evidence import Alignment, Status

#: Parts that are performed twice are minutes long; whole evenings are not compared.
MOST_RECOGNISED_S = 600.0
#: Where so many windows hold the very sound of the reference nothing was performed anew, however many places fit.
SAME_SOUND_SHARE = 0.5


def recognised(
    context: Context,
    reference_hash: str,
    recording_hash: str,
    alignment: Alignment,
    cache: PerformanceCache,
    checkpoint: Checkpoint,
) -> Alignment:
    """The same judgement; where it is another performance of the same part, with a note that says so."""
    if alignment.support is not None and alignment.support.agreement >= SAME_SOUND_SHARE:
        return alignment
    ours = cache.of(context, reference_hash, lambda done: checkpoint(0.4 * done))
    theirs = performance_of(context, recording_hash, lambda done: checkpoint(0.4 + 0.3 * done))
    matched = match_performances(ours, theirs, checkpoint=lambda done: checkpoint(0.7 + 0.3 * done))
    if matched.status is Status.UNPLACED or matched.exact or not matched.can_be_held:
        return alignment
    # A line of a few words is hardly ever surely the same; whoever brought it in knows.
    note = performance_note(matched.confidence, surely=matched.status is Status.PLACED)
    return replace(alignment, notes=(*alignment.notes, note))
