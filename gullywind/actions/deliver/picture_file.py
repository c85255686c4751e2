"""Write a video with the reference's sound, brought to the video's own clock by the inverse of its map."""

from pathlib import Path

from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.maps.compose import inverse
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.render.warp import render_blocks
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.views import SampleSource, chosen_channels
from gullywind.formats.picture import NewSound, sound_rate_hz, write_picture


def picture_file(
    path: Path,
    facts: MediaFacts,
    time_map: TimeMap,
    reference: SampleSource,
    name: str,
    output: Path,
    *,
    channels: tuple[int, ...] | None = None,
    checkpoint: Checkpoint = no_checkpoint,
) -> None:
    """Copy a recording's picture with the reference's sound in step with it.

    The picture is never touched: the sound is made for the recording's own clock, silent where the reference has none.

    Parameters
    ----------
    time_map : of the recording on the reference.
    name : what the new sound is called.
    channels : of the reference that hold sound, None for all.
    """
    rate_hz = sound_rate_hz(path.suffix, reference.sample_rate_hz)
    chosen = chosen_channels(reference, channels)
    blocks = render_blocks(
        chosen,
        inverse(time_map),
        sample_rate_hz=rate_hz,
        samples=round(facts.duration_s * rate_hz),
    )
    write_picture(path, output, NewSound(name, rate_hz, chosen.channels, blocks), checkpoint=checkpoint)
