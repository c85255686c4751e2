"""Follows a stretch whose place is known: what both have there is compared, and nothing beyond it is moved."""

from dataclasses import replace

from gullywind.core.bending.match import Matched, match_performances
from gullywind.core.features.performance import Performance
from gullywind.core.ground.units import Checkpoint, no_checkpoint

#: What lies so far around a stretch is compared as well, s: words are known by their neighbours.
HEARD_AROUND_S = 4.0


def match_within(
    reference: Performance,
    recording: Performance,
    t_ref: tuple[float, float],
    t_rec: tuple[float, float],
    *,
    checkpoint: Checkpoint = no_checkpoint,
) -> Matched:
    """Match what lies between two moments of each.

    Parameters
    ----------
    t_ref, t_rec : ascending, s. The stretch in the reference, and where the recording lies there now.

    Returns
    -------
    Matched : of the stretch with what lies around it; its ties are those within the stretch in both.
    """
    ours, ours_s = reference.cut(t_ref[0] - HEARD_AROUND_S, t_ref[1] + HEARD_AROUND_S)
    theirs, theirs_s = recording.cut(t_rec[0] - HEARD_AROUND_S, t_rec[1] + HEARD_AROUND_S)
    matched = match_performances(ours, theirs, checkpoint=checkpoint)
    ties = (replace(tie, t_ref=tie.t_ref + ours_s, t_rec=tie.t_rec + theirs_s) for tie in matched.ties)
    within = tuple(one for one in ties if t_ref[0] < one.t_ref < t_ref[1] and t_rec[0] < one.t_rec < t_rec[1])
    offset_s = None if matched.offset_s is None else matched.offset_s + ours_s - theirs_s
    return replace(matched, ties=within, offset_s=offset_s)
