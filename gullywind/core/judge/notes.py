"""What the editor should know of a recording, in words: clock, breaks, polarity, channels, clipping."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from gullywind.core.features.extract import Heard
from gullywind.core.ground.words import Note, clock_time, milliseconds, percent, seconds, short_time
from gullywind.core.judge.confidence import PART_NATS, PART_QUALITY
from gullywind.core.maps.time_map import Piece, TimeMap, gap_between, jump_between
from gullywind.core.measure.evidence import Status, Support
from gullywind.core.places.verify import Verified
from gullywind.core.sound.views import quiet_channels

SHORT_OVERLAP_S = 3.0
#: Neighbours that meet within this were cut, not broken.
TOLD_JUMP_S = 0.001
#: Below this nobody hears it, and no number is shown for it.
UNHEARD_MS = 0.1
#: Clocks nearer to the reference's are in step.
LEAST_PPM = 0.05
#: With less than this of the whole what agrees may be a part.
MOST_PART = 0.6
#: Code of the note on another performance of the same part.
PERFORMANCE = "performance"
#: A residual is uneven where its 95th percentile is this many times its median.
UNEVEN = 1.8


def heard_notes(recording: Sequence[Heard]) -> tuple[Note, ...]:
    """What was noticed while listening."""
    notes = []
    clipped = max(one.clipped_samples for one in recording)
    if clipped:
        notes.append(Note("clipped", f"Clips: {clipped} samples stand at full scale."))
    views = [one.view for one in recording]
    code = recording[0].timecode_channels
    for channel in code:
        notes.append(Note("timecode-channel", f"Channel {channel + 1} holds timecode and was not listened to."))
    for channel, below_db in quiet_channels(views[0].source, views, without=code).items():
        words = f"Channel {channel + 1} is {below_db:.0f} dB below the loudest and was not listened to."
        notes.append(Note("quiet-channel", words))
    return tuple(notes)


def performance_note(confidence: float, *, surely: bool) -> Note:
    """It has no place by its sound, but is the same part performed anew; offered, never done unasked."""
    sure = f"{percent(confidence)}\u00a0% sure"
    if surely:
        return Note(PERFORMANCE, f"Performs the part anew, {sure}.")
    return Note(PERFORMANCE, f"Perhaps performs the part anew, {sure}: hear it.")


def silent_note(reference: Sequence[Heard], recording: Sequence[Heard]) -> Note:
    """Why nothing can be compared: whose sound is missing."""
    name, heard = ("The recording", recording) if all(one.silent for one in recording) else ("The reference", reference)
    if heard[0].timecode_channels:
        return Note("silent", f"{name} holds timecode and no other sound: there is nothing to listen to.")
    return Note("silent", f"{name} is silent: there is nothing to line up by.")


def placed_notes(time_map: TimeMap, speed: float, polarity: int, best: Verified, overlap: float) -> list[Note]:
    """What a placement tells; `speed`: stated seconds of the recording for each true one."""
    notes = drift_notes(time_map, speed)
    if polarity < 0:
        notes.append(Note("inverted", "Recorded inverted against the reference: put right."))
    used, there = best.recording.channels, best.recording.source.channels
    if there > 1 and len(used) == 1:
        notes.append(Note("one-channel", f"Lined up by channel {used[0] + 1} of {there} alone."))
    if overlap < SHORT_OVERLAP_S:
        notes.append(Note("short-overlap", f"Only {overlap:.1f} s lie within the reference."))
    return notes


def drift_notes(time_map: TimeMap, speed: float) -> list[Note]:
    """How the clock runs, unless nobody could hear it."""
    ppm = (time_map.rate / speed - 1) * 1e6
    slid_ms = abs(ppm) * 1e-3 * sum(piece.end_exclusive[0] - piece.start[0] for piece in time_map.pieces)
    bent = [bent_words(piece, speed) for piece in time_map.pieces if not piece.is_straight]
    if not bent and (slid_ms < UNHEARD_MS or abs(ppm) < LEAST_PPM):
        return []
    way = "fast" if ppm > 0 else "slow"
    told = f"Runs {abs(ppm):.1f} ppm {way}: {milliseconds(slid_ms)} over its length."
    return [Note("clock-drift", " ".join([told, *bent]))]


def bent_words(piece: Piece, speed: float = 1.0) -> str:
    """Between which rates the clock of a piece changes."""
    slopes = np.diff(piece.t_rec) / np.diff(piece.t_ref)
    low, high = ((float(rate) / speed - 1) * 1e6 for rate in (slopes.min(), slopes.max()))
    return f"Its clock is not steady: from {low:+.1f} to {high:+.1f} ppm.".replace("-", "−")


def part_notes(status: Status, support: Support) -> list[Note]:
    """Why a place is not believed in although it agrees to the sample."""
    clear = support.chance_nats >= PART_NATS and support.quality >= PART_QUALITY
    if status is not Status.UNSURE or not clear or support.explained >= MOST_PART:
        return []
    share = f"Only {support.explained * 100:.0f}\u00a0% of what sounds there is in it."
    return [Note("part-alike", f"{share} It may be another passage over the same drums or chords.")]


def break_notes(time_map: TimeMap) -> list[Note]:
    """Where the recorder paused, or recorded too much, in reference time."""
    return [
        Note("break", f"{joint_words(before, after)} at {clock_time(before.end_exclusive[0])}.")
        for before, after in pairwise(time_map.pieces)
        if abs(jump_between(before, after)) >= TOLD_JUMP_S
    ]


def joint_words(before: Piece, after: Piece) -> str:
    """What lies between two neighbours."""
    jump_s, gap_s = jump_between(before, after), gap_between(before, after)
    if jump_s >= TOLD_JUMP_S:
        return f"Paused for {seconds(jump_s)}"
    if jump_s <= -TOLD_JUMP_S:
        return f"{seconds(-jump_s)} too much were recorded"
    return f"{seconds(gap_s)} left out" if gap_s >= TOLD_JUMP_S else "Cut, nothing moved"


def left_over_words(median_ms: float, p95_ms: float) -> str:
    """What is left over; where that differs much along a recording, the median alone would hide it."""
    if p95_ms >= UNHEARD_MS and p95_ms > UNEVEN * median_ms:
        return f"{short_time(median_ms)} left over, up to {short_time(p95_ms)}"
    return f"{short_time(median_ms)} left over"
