"""The demo's first project: the miller's talk at Brack Mill, as twelve microphones kept it. All of it is invented."""

import io
from fractions import Fraction
from pathlib import Path

import numpy as np
import soundfile
from scipy.signal import butter, oaconvolve, sosfilt

from gullywind.core.ground.timecode import Counting
from material.claps import clapped
from material.containers import with_time_reference
from material.devices import RATE_HZ, SoundPath, clocked, encode, followed, heard, noise_of, room_response
from material.music import piece
from material.pictures import mouth_of, video
from material.speech import say, talk
from material.timecode_sound import CodeSound, code_sound

EVENT_S = 260.0
#: The line after which somebody claps twice, heard by all who are there from beginning to end.
CLAPS_AFTER = 17
#: The desk recorder's clock says so when it starts, s since midnight; the cameras were set by it, one of them badly.
DESK_TIME_S = 20 * 3600 + 14 * 60 + 7.0
#: The desk recorder is stopped before the last words.
DESK_ENDS_S = 231.0
#: The right one of the stage's microphones hears so much later: 31 cm.
STAGE_APART_S = 0.0009
#: The gallery's camera shows what it sees so many frames after it hears it.
GALLERY_LATE_FRAMES = 3
LINES = [
    "Good evening, and welcome to Brack Mill. Mind the step, it is older than I am.",
    "Tonight we light the lanterns, as my grandmother did, one for every sack that the winter asked of us.",
    "The wheel you hear under the floor has turned since the year of the long frost.",
    "It stopped only twice. Once for the flood, and once for a heron, which nobody had the heart to move.",
    "When the water comes over the upper gate it carries leaves, and sometimes a letter.",
    "Barley goes in here, and flour comes out there, and in between there is only patience.",
    "Listen to the stones. When they run dry they ring like a cracked bell, and then you must run.",
    "My father could tell the weather from the sound of the race. I can tell it from my knees.",
    "This hook held the great rope. Forty men pulled on it when the second stone was raised.",
    "The bell on the weir is for the fish. They never come, but they like to be asked.",
    "Take a lantern each, keep it level, and follow the apprentice along the lower path.",
    "If you lose your way, stand still and listen. The mill will tell you where it is.",
    "We grind for eleven villages now, and for one baker who swears that he can taste the moon in it.",
    "There is a song about the wheel. It has no ending, because nobody has stayed awake to hear one.",
    "Thank you for coming. The soup is by the oven, and the oven is by the door.",
]


def event() -> tuple[np.ndarray, np.ndarray]:
    """The talk and what surrounds it (audience, water), both (samples,), float64."""
    rng = np.random.default_rng(4021)
    total = int(EVENT_S * RATE_HZ)
    voice, around = np.zeros(total), np.zeros(total)
    at = 9.0
    lines = LINES * 2
    for i, line in enumerate(lines):
        said = say(
            line,
            voice="en-gb-scotland",
            variant="m3",
            words_per_minute=148 + int(rng.integers(-6, 7)),
            pitch=38 + int(rng.integers(-4, 5)),
        )
        start = int(at * RATE_HZ)
        end = min(total, start + said.size)
        if start >= total:
            break
        voice[start:end] += said[: end - start]
        at += said.size / RATE_HZ + rng.uniform(0.7, 2.6)
        if i == CLAPS_AFTER:
            # Somebody claps twice, for those who will have to line this up.
            both = clapped([0.6, 1.07], "hands", 1.5, rng) * 0.12
            begin = int(at * RATE_HZ)
            voice[begin : begin + both.size] += both
            at += 1.9
        if i % 5 == 4:
            clap_end = min(total, int((at + 3.5) * RATE_HZ))
            for t in np.sort(rng.uniform(at - 0.8, at + 3.0, 160)):
                j = int(t * RATE_HZ)
                if j + 2000 < clap_end:
                    around[j : j + 2000] += (
                        rng.standard_normal(2000) * np.exp(-np.arange(2000) / 160) * rng.uniform(0.05, 0.25)
                    )
            at += 4.0
    wheel = noise_of(rng, "pink", total) * (0.006 + 0.003 * np.sin(2 * np.pi * np.arange(total) / RATE_HZ / 3.1))
    return voice / np.abs(voice).max(), around + sosfilt(butter(2, 900, fs=RATE_HZ, output="sos"), wheel)


def write_talk(folder: Path) -> list[Path]:
    """Write all files of the project; the first is the desk recorder."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(77)
    voice, around = event()
    mixed = voice * 0.7 + around * 0.4

    def at(path: SoundPath, offset_s: float, ppm: float, length_s: float, rate_hz: int = RATE_HZ) -> np.ndarray:
        return clocked(heard(mixed, path, rng), offset_s, 1 + ppm * 1e-6, length_s, rate_hz)

    desk = np.stack([oaconvolve(mixed, room_response(rng, 0.35, db))[: mixed.size] for db in (14.0, 12.0)])
    desk = (desk / np.abs(desk).max() * 0.6 + rng.standard_normal(desk.shape) * 2e-4)[
        :, int(4 * RATE_HZ) : int(DESK_ENDS_S * RATE_HZ)
    ]
    _write_at(folder / "Desk recorder.wav", desk, DESK_TIME_S)

    north = at(SoundPath(0.5, 1.0, 24, "pink", True), 4 - 6.218, -2.0, 190.0)
    video(
        folder / "Camera north.mp4",
        north,
        seconds=190.0,
        hue=0.58,
        codec="aac",
        time_s=DESK_TIME_S - 6.22,
        mouth=mouth_of(clocked(voice, 4 - 6.218, 1 - 2e-6, 190.0), RATE_HZ),
    )
    gallery = at(SoundPath(0.7, -3.0, 18, "pink", True), 4 + 61.48, 11.4, 185.0)
    lips = mouth_of(clocked(voice, 4 + 61.48, 1 + 11.4e-6, 185.0), RATE_HZ)
    video(
        folder / "Camera gallery.mp4",
        -gallery,
        seconds=185.0,
        hue=0.07,
        codec="aac",
        time_s=DESK_TIME_S + 3600 + 61.48,
        mouth=np.concatenate([np.zeros(GALLERY_LATE_FRAMES), lips])[: lips.size],
    )
    pocket = at(SoundPath(0.4, 6.0, 30, "white", True, clip_db=3.0), 4 + 12.345678, 38.1, 232.0, 44100)
    soundfile.write(folder / "Pocket recorder.wav", pocket, 44100, subtype="PCM_16")
    phone = at(SoundPath(0.6, -1.0, 14, "pink", True), 4 + 21.9, 17.5, 190.0)
    cut, pause = int(118.3 * RATE_HZ), int(1.7 * RATE_HZ)
    encode(folder / "Phone, back row.m4a", np.concatenate([phone[:cut], phone[cut + pause :]]), RATE_HZ, "aac", 64000)
    lapel = at(SoundPath(0.3, 16.0, 34, "white", True), 4 + 41.902, -9.3, 150.0, 44100)
    soundfile.write(folder / "Lapel.wav", lapel, 48000, subtype="PCM_16")
    # A second recorder, with the hall's timecode on its other channel.
    back = at(SoundPath(0.8, -4.0, 20, "pink", True), 4 + 30.2, -6.4, 180.0)
    counting = Counting(Fraction(25))
    first = counting.number((20, 14, 37, 5))
    code = code_sound([counting.label(first + k) for k in range(180 * 25)], CodeSound(level_db=-18, snr_db=40), rng)
    soundfile.write(folder / "Balcony recorder.wav", np.stack([back, code[: back.size]]).T, RATE_HZ, subtype="PCM_24")
    # A clip of the last words: the desk had stopped, other recorders had not.
    clip = at(SoundPath(0.5, 2.0, 20, "pink", True), DESK_ENDS_S + 2.0, 8.0, 16.0)
    encode(folder / "Phone, last words.m4a", clip, RATE_HZ, "aac", 64000)
    # A phone that somebody carries from the stove to the window and back.
    t = np.arange(int(64 * RATE_HZ)) / RATE_HZ
    walked_s = 0.0032 * np.sin(2 * np.pi * t / 31) + 0.0011 * np.sin(2 * np.pi * t / 13 + 1)
    carried = followed(heard(mixed, SoundPath(0.5, 3.0, 16, "pink", True), rng), 4 + 96.4 + t - walked_s)
    encode(folder / "Phone, carried about.m4a", carried, RATE_HZ, "aac", 96000)
    # One recorder with two microphones: a hand's breadth apart and a bit, the right one soldered the wrong way round.
    left = at(SoundPath(0.4, 5.0, None, "pink", True), 4 + 18.4, 6.2, 160.0)
    later_s = np.arange(left.size) / RATE_HZ - STAGE_APART_S
    for name, sound in (("left", left), ("right", -followed(left, later_s))):
        hiss = rng.standard_normal(sound.size) * 10 ** (-62 / 20)
        soundfile.write(folder / f"Stage {name}.wav", sound * 0.8 + hiss, RATE_HZ, subtype="PCM_24")
    stray = talk(905, 40.0) * 0.7 + piece(906, 40.0)[: int(40 * RATE_HZ)] * 0.2
    encode(folder / "Take 09.mp3", stray, RATE_HZ, "mp3", 96000)
    return [
        folder / name
        for name in (
            "Desk recorder.wav",
            "Camera north.mp4",
            "Camera gallery.mp4",
            "Pocket recorder.wav",
            "Phone, back row.m4a",
            "Lapel.wav",
            "Balcony recorder.wav",
            "Phone, last words.m4a",
            "Phone, carried about.m4a",
            "Stage left.wav",
            "Stage right.wav",
            "Take 09.mp3",
        )
    ]


def _write_at(path: Path, sound: np.ndarray, time_s: float) -> None:
    """A broadcast WAV file that says when it begins, s since midnight."""
    body = io.BytesIO()
    soundfile.write(body, sound.T, RATE_HZ, format="WAV", subtype="PCM_24")
    path.write_bytes(with_time_reference(body.getvalue(), round(time_s * RATE_HZ)))
