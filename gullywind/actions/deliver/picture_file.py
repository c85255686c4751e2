"""Write a video with another recording's sound, brought to the video's own clock."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.maps.compose import inverse
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import AS_USUAL, Sounding
from gullywind.core.render.warp import render_blocks
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.views import SampleSource, chosen_channels
from gullywind.formats.picture import NewSound, sound_rate_hz, write_picture


@dataclass(frozen=True, eq=False)
class SoundForPicture:
    """The sound that a picture is to have.

    Attributes
    ----------
    name : what its track is called.
    time_map : of the sound on the video's own clock.
    sample_rate_hz : at which it is to be written, where the container leaves a choice.
    """

    name: str
    source: SampleSource
    time_map: TimeMap
    sample_rate_hz: int
    sounding: Sounding = AS_USUAL


def reference_for_picture(
    name: str, source: SampleSource, lies: TimeMap, channels: tuple[int, ...] | None
) -> SoundForPicture:
    """The reference's sound for a video that lies on it by a map; `channels` hold sound, None: all do."""
    return SoundForPicture(name, source, inverse(lies), source.sample_rate_hz, Sounding(channels=channels))


def picture_file(
    path: Path,
    facts: MediaFacts,
    sounds: Sequence[SoundForPicture],
    output: Path,
    *,
    keeps_own: bool = True,
    checkpoint: Checkpoint = no_checkpoint,
) -> None:
    """Copy a recording's picture with other sounds in step with it.

    The picture is never touched: sound is made for the recording's own clock, silent where there is none.
    """
    news = [_new_sound(one, facts, output.suffix) for one in sounds]
    write_picture(path, output, news, keeps_own=keeps_own, checkpoint=checkpoint)


def _new_sound(sound: SoundForPicture, facts: MediaFacts, suffix: str) -> NewSound:
    rate_hz = sound_rate_hz(suffix, sound.sample_rate_hz)
    blocks = render_blocks(
        sound.source,
        sound.time_map,
        sound.sounding,
        sample_rate_hz=rate_hz,
        samples=round(facts.duration_s * rate_hz),
    )
    channels = chosen_channels(sound.source, sound.sounding.channels).channels
    return NewSound(sound.name, rate_hz, channels, blocks)
