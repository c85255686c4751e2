"""What the ways to a place cost, as ratios within one run: sharp sounds, timecode, courses, settling, pictures."""

import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np

from gullywind.actions.deliver.picture_file import picture_file, reference_for_picture
from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.features.bands import BandExtractor
from gullywind.core.features.claps import ClapFinder
from gullywind.core.features.linear_timecode import read_timecode
from gullywind.core.ground.timecode import Counting
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.windows import Line
from gullywind.core.places.settle import settle
from gullywind.core.sound.views import Listening
from gullywind.formats.media import open_media
from material.arrays import ArraySound
from material.courses import course_case
from material.pictures import video
from material.speech import talk
from material.timecode_sound import CodeSound, code_sound
from scripts.figures import line

RATE_HZ = 48000
MINUTES = 4


def took(work: Callable[[], object]) -> float:
    """Wall time, s: the least of three."""
    times = []
    for _ in range(3):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def bench_ways(folder: Path) -> None:
    """Each against what must be done anyway."""
    sound = talk(5, MINUTES * 60.0)
    blocks = [sound[k : k + 65536] for k in range(0, sound.size, 65536)]

    def push_all(listener: BandExtractor | ClapFinder) -> None:
        for block in blocks:
            listener.push(block)

    bands_s = took(lambda: push_all(BandExtractor(RATE_HZ)))
    claps_s = took(lambda: push_all(ClapFinder(RATE_HZ)))
    line("finding sharp sounds, against the features alone", f"{claps_s / bands_s:.1f} times", "")
    counting = Counting(Fraction(25))
    labels = [counting.label(900_000 + k) for k in range(MINUTES * 60 * 25)]
    code = ArraySound(code_sound(labels, CodeSound(snr_db=30), np.random.default_rng(3)), RATE_HZ)
    code_s = took(lambda: read_timecode(code, 0))
    line("reading linear timecode, against the features alone", f"{code_s / bands_s:.1f} times", "")
    case = course_case(0, family="fitted")
    reference = prepare_reference(ArraySound(case.reference, RATE_HZ))
    recording = hear(ArraySound(case.recording, RATE_HZ))
    course_s = took(lambda: align_recording(reference, recording))
    line("following a delay that wanders", f"{course_s / (case.recording.size / RATE_HZ) * 60:.2f} s a minute", "")
    views = Listening(ArraySound(sound, RATE_HZ), (0,)), Listening(ArraySound(sound[60 * RATE_HZ :], RATE_HZ), (0,))
    settled_s = took(lambda: settle(*views, Line(60.03, 1.0), 0.05, None))
    line("a strip that settles, sound in memory", f"{settled_s * 1e3:.0f} ms", "200 ms")
    path = folder / "camera.mp4"
    video(path, sound[: 60 * RATE_HZ], seconds=60.0, hue=0.5, codec="aac", time_s=0.0)
    with tempfile.TemporaryDirectory(dir=folder) as spools:
        opened, facts = open_media(path, Path(spools) / "spool")
        opened.close()
    new = reference_for_picture("desk", ArraySound(sound, RATE_HZ), TimeMap.placement(-3.0, 1.00004, 60.0), None)
    written_s = took(lambda: picture_file(path, facts, [new], folder / "out.mp4"))
    line("a video with its new sound, one thread", f"{60 / written_s:.0f} times real time", "")
