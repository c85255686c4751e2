"""One reading of a whole sound: features, sharp sounds, timecode, levels. Application and command line share it."""

from collections.abc import Callable
from dataclasses import dataclass

from gullywind.core.features.claps import Clap
from gullywind.core.features.extract import Heard, blocks_of, claps_of, finish_all, listeners_for
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.core.sound.loudness import LoudnessMeter
from gullywind.core.sound.true_peak import TruePeakMeter
from gullywind.core.sound.views import SampleSource, sounding_channels


@dataclass(frozen=True, eq=False)
class WholeSound:
    """What was heard of all views, and the levels of all channels that hold sound, None for silence."""

    heard: tuple[Heard, ...]
    loudness_lufs: float | None
    true_peak_dbtp: float | None

    @property
    def claps(self) -> tuple[Clap, ...]:
        """Sharp sounds, in order."""
        return claps_of(self.heard)

    @property
    def timecode(self) -> tuple[TimecodeRun, ...]:
        """Linear timecode that was read."""
        return self.heard[0].timecode


def hear_sound(
    sound: SampleSource, also: Callable[[Samples], None] | None = None, *, checkpoint: Checkpoint = no_checkpoint
) -> WholeSound:
    """Read a sound once from beginning to end; `also` is given every block of the channels that hold sound."""
    meter, peak, listeners = LoudnessMeter(sound.sample_rate_hz), TruePeakMeter(), listeners_for(sound)
    audible = sounding_channels(sound.channels, listeners[0].code)
    for block in blocks_of(sound, checkpoint=checkpoint):
        part = block if audible is None else block[list(audible)]
        meter.push(part)
        peak.push(part)
        if also:
            also(part)
        for listener in listeners:
            listener.push(block)
    return WholeSound(finish_all(listeners), meter.finish(), peak.finish())
