"""Write a recording as an aligned file: it starts at time 0 of the timeline and has its length and rate."""

from pathlib import Path

from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.maps.timeline import Timeline
from gullywind.core.maps.version import Version
from gullywind.core.render.warp import render_blocks
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.views import chosen_channels
from gullywind.formats.sound_files import Sound
from gullywind.formats.write_sound import SampleForm, write_sound


def render_file(
    recording: Sound,
    facts: MediaFacts,
    version: Version,
    timeline: Timeline,
    output: Path,
    *,
    form: SampleForm | None = None,
    checkpoint: Checkpoint = no_checkpoint,
) -> int:
    """Render through the map as it is to sound, and write; returns how many samples were above full scale and clipped.

    Parameters
    ----------
    form : None chooses: float where the recording has more than 24 bits of its own, else 24-bit.
    """
    blocks = render_blocks(
        recording,
        version.heard_map,
        version.sounding,
        sample_rate_hz=timeline.sample_rate_hz,
        samples=timeline.samples,
        checkpoint=checkpoint,
    )
    if form is None:
        form = SampleForm.FLOAT32 if facts.is_float or (facts.bits or 0) > 24 else SampleForm.PCM24
    return write_sound(
        output,
        blocks,
        sample_rate_hz=timeline.sample_rate_hz,
        channels=chosen_channels(recording, version.sounding.channels).channels,
        form=form,
        time_reference_samples=timeline.start_samples,
    )
