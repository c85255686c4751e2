"""Videos with the reference's sound: packets as they were, and sound in step with the file's own, to the end."""

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from scipy.signal import correlate

from gullywind.actions.deliver.picture_file import SoundForPicture, picture_file, reference_for_picture
from gullywind.core.ground.errors import StorageError, UnreadableError
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.formats.media import open_media
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked, source

EVENT = busy(30.0, 810)
OFFSET_S, RATE, SECONDS = 4.25, 1.0003, 20.0
#: Container, codecs of its picture and sound.
FORMS = {
    ".mp4": ("libx264", "aac"),
    ".mov": ("libx264", "pcm_s16le"),
    ".mkv": ("libx264", "flac"),
    ".webm": ("libvpx", "libopus"),
    ".ts": ("libx264", "aac"),
}


def desk(lies: TimeMap) -> SoundForPicture:
    return reference_for_picture("Desk", source(EVENT), lies, None)


def video(path: Path, sound: np.ndarray) -> None:
    """A small video with frames that depend on later ones, and mono sound."""
    codec, sound_codec = FORMS[path.suffix]
    with av.open(str(path), "w") as container:
        picture = container.add_stream(codec, rate=25)
        assert isinstance(picture, av.VideoStream)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        audio = container.add_stream(sound_codec, rate=RATE_HZ, layout="mono")
        assert isinstance(audio, av.AudioStream)
        form = "s16" if sound_codec in ("pcm_s16le", "flac") else "flt" if sound_codec == "libopus" else "fltp"
        for number in range(int(SECONDS * 25)):
            shade = np.full((48, 64, 3), (number * 7) % 256, np.uint8)
            frame = av.VideoFrame.from_ndarray(shade, "rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(picture.encode(frame))
            part = sound[number * 1920 : (number + 1) * 1920][None, :]
            packed = (part * 32767).astype(np.int16) if form == "s16" else part.astype(np.float32)
            heard = av.AudioFrame.from_ndarray(packed, form, "mono")
            heard.sample_rate, heard.pts = RATE_HZ, number * 1920
            container.mux(audio.encode(heard))
        container.mux(picture.encode(None))
        container.mux(audio.encode(None))


def packets(path: Path, kind: str) -> list[bytes]:
    with av.open(str(path)) as container:
        stream = getattr(container.streams, kind)[-1]
        return [bytes(packet) for packet in container.demux(stream) if packet.size]


def picture_times_s(path: Path) -> list[float]:
    """When each picture is shown, against the first packet of the file's own sound."""
    with av.open(str(path)) as container:
        own = container.streams.audio[-1]
        begins_s = next(float(packet.pts * packet.time_base) for packet in container.demux(own))
    with av.open(str(path)) as container:
        return [float(frame.time) - begins_s for frame in container.decode(video=0)]


def track(path: Path, number: int) -> np.ndarray:
    """A track of sound on the file's clock, mono."""
    with av.open(str(path)) as container:
        start_s = float((container.start_time or 0) / av.time_base) if path.suffix == ".ts" else 0.0
        out = np.zeros(int((SECONDS + 2) * RATE_HZ))
        for frame in container.decode(container.streams.audio[number]):
            samples = frame.to_ndarray()
            if not frame.format.is_planar:
                samples = samples.reshape(-1, frame.layout.nb_channels).T
            scale = {"s16": 32768, "s32": 2**31}.get(frame.format.name.rstrip("p"), 1)
            at = round((float(frame.time) - start_s) * RATE_HZ)
            part = samples[0, max(0, -at) :] / scale
            out[max(at, 0) : max(at, 0) + part.size] = part
        return out


def lag_ms(one: np.ndarray, other: np.ndarray, at_s: float) -> float:
    """By how much the other is late around a moment, ms."""
    first = int(at_s * RATE_HZ)
    ours, theirs = one[first : first + RATE_HZ], other[first : first + RATE_HZ]
    found = correlate(theirs, ours, method="fft")
    middle = found[RATE_HZ - 1 - 480 : RATE_HZ + 480]
    return (int(np.argmax(middle)) - 480) / RATE_HZ * 1e3


class PictureFileTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.out = self.folder / "out"
        self.out.mkdir()
        self.sound = clocked(EVENT, OFFSET_S, RATE, SECONDS)

    def written(self, suffix: str, time_map: TimeMap) -> tuple[Path, Path]:
        path = self.folder / f"Camera{suffix}"
        video(path, self.sound)
        sound, facts = open_media(path, self.folder / "spool")
        sound.close()
        output = self.out / path.name
        picture_file(path, facts, [desk(time_map)], output)
        return path, output

    def test_in_every_container_the_picture_is_copied_and_the_sound_is_in_step_to_the_end(self) -> None:
        for suffix in FORMS:
            with self.subTest(suffix):
                # Time 0 of a transport stream is its first frame, and that is what the codec begins with.
                begins_s = 1024 / RATE_HZ if suffix == ".ts" else 0.0
                path, output = self.written(suffix, TimeMap.placement(OFFSET_S - begins_s, RATE, SECONDS))
                self.assertEqual(packets(path, "video"), packets(output, "video"))
                np.testing.assert_allclose(picture_times_s(path), picture_times_s(output), atol=1.1e-3)
                # Its own sound follows as it was, the new one lies on it.
                self.assertEqual(packets(path, "audio"), packets(output, "audio"))
                new, own = track(output, 0), track(output, 1)
                for at_s in (0.5, 9.5, 18.5):
                    self.assertLessEqual(abs(lag_ms(own, new, at_s)), 1.0, f"{suffix} at {at_s} s")
                self.assertGreater(np.sqrt(np.mean(new[RATE_HZ : 2 * RATE_HZ] ** 2)), 0.005)

    def test_where_the_reference_has_nothing_it_is_silent(self) -> None:
        # It began 6 s before the reference did, and lost two seconds halfway.
        pieces = TimeMap((Piece(((-6.0, 0.0), (4.0, 10.0))), Piece(((6.0, 10.0), (16.0, 20.0)))))
        _, output = self.written(".mov", pieces)
        new = track(output, 0)
        np.testing.assert_array_equal(new[: int(5.9 * RATE_HZ)], 0.0)
        for at_s, ref_s in ((7.0, 1.0), (12.0, 8.0)):
            first, ref = int(at_s * RATE_HZ), int(ref_s * RATE_HZ)
            np.testing.assert_allclose(new[first : first + 1000], EVENT[ref : ref + 1000], atol=1e-5)

    def test_tracks_are_named(self) -> None:
        _, output = self.written(".mkv", TimeMap.placement(OFFSET_S, RATE, SECONDS))
        with av.open(str(output)) as container:
            self.assertEqual([one.metadata["title"] for one in container.streams.audio], ["Desk", "own sound"])

    def test_the_recording_itself_is_never_written_over(self) -> None:
        path = self.folder / "Camera.mp4"
        video(path, self.sound)
        before = path.read_bytes()
        _, facts = open_media(path, self.folder / "spool")
        with self.assertRaisesRegex(StorageError, "over the recording itself"):
            picture_file(path, facts, [desk(TimeMap.placement(0, 1, SECONDS))], path)
        self.assertEqual(path.read_bytes(), before)

    def test_sound_alone_has_no_picture_to_write(self) -> None:
        path = self.folder / "Pocket.wav"
        path.write_bytes(wav_bytes(self.sound))
        _, facts = open_media(path, self.folder / "spool")
        with self.assertRaisesRegex(UnreadableError, "holds no picture"):
            picture_file(path, facts, [desk(TimeMap.placement(0, 1, SECONDS))], self.out / "Pocket.wav")
        self.assertEqual(list(self.out.iterdir()), [])
