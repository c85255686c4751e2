"""Stored recordings as they are compared with other performances."""

from dataclasses import dataclass

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import open_sound
from gullywind.core.bending.ties import moments_of
from gullywind.core.features.extract import views_of
from gullywind.core.features.performance import Performance, hear_performance
from gullywind.core.ground.units import Checkpoint, Floats, no_checkpoint
from gullywind.formats.derived import MOMENTS, load_moments, save_moments


def performance_of(context: Context, content_hash: str, checkpoint: Checkpoint = no_checkpoint) -> Performance:
    """A recording's best view."""
    return hear_performance(views_of(open_sound(context, content_hash))[0][0], checkpoint=checkpoint)


def moments_in(context: Context, content_hash: str) -> Floats:
    """Moments, s, at which something begins or ends in a recording; made once."""
    known = load_moments(context.media.fetch_derived(content_hash, MOMENTS))
    if known is not None:
        return known
    found = moments_of(performance_of(context, content_hash))
    save_moments(context.media.make_derived(content_hash), found)
    context.media.put_derived(content_hash, [MOMENTS])
    return found


@dataclass
class PerformanceCache:
    """The last reference that was heard as a performance: all doubles of a part are compared with one lead."""

    content_hash: str | None = None
    performance: Performance | None = None

    def of(self, context: Context, content_hash: str, checkpoint: Checkpoint) -> Performance:
        """The reference, heard anew where it is another one."""
        if self.performance is None or self.content_hash != content_hash:
            self.performance = performance_of(context, content_hash, checkpoint)
            self.content_hash = content_hash
        return self.performance
