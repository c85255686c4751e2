import os
import pickle
import tempfile
import unittest
from pathlib import Path

import av
import numpy as np
import soundfile

from gullywind.core.ground.errors import InputError, UnreadableError
from gullywind.formats.media import decoding_work, open_media
from gullywind.formats.riff import riff_facts
from gullywind.formats.write_sound import SampleForm, write_sound
from material.devices import CODECS, encode
from material.pictures import video
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy


class OpenMediaTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def open(self, path: Path):
        sound, facts = open_media(path, self.folder / f"{path.name}.spool")
        self.addCleanup(sound.close)
        return sound, facts

    def written(self, name: str, body: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(body)
        return path

    def test_every_pcm_form_reads_alike_and_by_content(self):
        tone = 0.5 * np.sin(np.arange(4800) / 20)
        wav = {"PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
        others = [("AIFF", "PCM_24", 24), ("RF64", "PCM_24", 24), ("W64", "PCM_16", 16), ("FLAC", "PCM_24", 24)]
        for form, subtype, bits in [*(("WAV", subtype, bits) for subtype, bits in wav.items()), *others]:
            with self.subTest(form=form, subtype=subtype):
                sound, facts = self.open(
                    self.written(f"{form}{subtype}.jpg", wav_bytes(tone, subtype=subtype, form=form))
                )
                self.assertEqual((facts.bits, facts.channels, facts.samples, facts.truncated), (bits, 1, 4800, False))
                np.testing.assert_allclose(sound.read(0, 4800)[0], tone, atol=0.01 if bits == 8 else 1e-4)

    def test_sixteen_bits_are_scaled_exactly(self):
        steps = np.array([-32768, -32767, -1, 0, 1, 255, 32766, 32767], np.int16)
        path = self.folder / "steps.wav"
        soundfile.write(path, np.stack([steps, steps[::-1]], 1), RATE_HZ, subtype="PCM_16")
        sound, _ = open_media(path, self.folder / "steps.spool")
        expected = np.stack([steps, steps[::-1]]).astype(np.float64) / 32768
        np.testing.assert_array_equal(sound.read(0, 8), expected)
        np.testing.assert_array_equal(sound.read(-2, 10), np.pad(expected, ((0, 0), (2, 2))))

    def test_another_process_opens_the_same_sound_anew(self):
        tone = busy(1.0, 3)
        soundfile.write(self.folder / "p.wav", tone, RATE_HZ, subtype="PCM_24")
        encode(self.folder / "p.mp3", tone, RATE_HZ, "mp3")
        for name in ("p.wav", "p.mp3"):
            sound, _ = open_media(self.folder / name, self.folder / f"{name}.spool")
            passed_on = pickle.loads(pickle.dumps(sound))
            sound.close()
            self.assertEqual((passed_on.samples, passed_on.channels), (sound.samples, 1))
            self.assertGreater(float(np.abs(passed_on.read(1000, 2000)).max()), 0.0)

    def test_work_is_judged_by_length_not_by_bytes(self):
        tone = busy(4.0, 3)
        soundfile.write(self.folder / "w.wav", np.stack([tone, tone], 1), RATE_HZ, subtype="PCM_24")
        soundfile.write(self.folder / "w.flac", tone, RATE_HZ, subtype="PCM_16")
        encode(self.folder / "w.mp3", tone, RATE_HZ, "mp3")
        wav, flac, mp3 = (decoding_work(self.folder / f"w.{kind}") for kind in ("wav", "flac", "mp3"))
        self.assertEqual((wav, flac), (4.0 * RATE_HZ, 4.0 * RATE_HZ))
        self.assertGreater(mp3, wav)
        self.assertEqual(decoding_work(self.folder / "absent.wav"), 0.0)

    def test_reading_outside_gives_zeros(self):
        sound, _ = self.open(self.written("a.wav", wav_bytes(np.full(100, 0.5))))
        self.assertEqual(np.flatnonzero(sound.read(-10, 120)[0]).tolist(), list(range(10, 110)))
        self.assertEqual(sound.read(500, 510).shape, (1, 10))

    def test_lossy_codecs_begin_at_time_zero(self):
        rng = np.random.default_rng(5)
        click = rng.standard_normal(3 * RATE_HZ) * 0.02
        click[RATE_HZ : RATE_HZ + 200] += rng.standard_normal(200) * 0.6
        for codec in [*CODECS, "vorbis"]:
            with self.subTest(codec=codec):
                path = self.folder / f"x.{codec}"
                if codec == "vorbis":
                    soundfile.write(path, click, RATE_HZ, format="OGG", subtype="VORBIS")
                else:
                    encode(path, click, RATE_HZ, codec, 160000)
                sound, facts = self.open(path)
                decoded = sound.read(0, 3 * RATE_HZ)[0]
                lag = (
                    np.argmax(np.correlate(decoded[RATE_HZ - 2000 : RATE_HZ + 2200], click[RATE_HZ : RATE_HZ + 200]))
                    - 2000
                )
                self.assertLessEqual(abs(lag), 1)
                self.assertEqual(facts.sample_rate_hz, RATE_HZ)

    def test_a_pipe_is_refused_and_not_waited_for(self):
        os.mkfifo(self.folder / "pipe.wav")
        with self.assertRaisesRegex(UnreadableError, "is no file, but a pipe or a device"):
            self.open(self.folder / "pipe.wav")

    def test_sound_of_a_video(self):
        path = self.folder / "v.mp4"
        video(path, busy(2.0), seconds=2.0, hue=0.3, codec="aac", time_s=36000.0)
        _, facts = self.open(path)
        self.assertEqual((facts.codec, facts.channels, facts.frame_rate), ("aac", 1, 25))
        self.assertAlmostEqual(facts.duration_s, 2.0, delta=0.05)

    def test_odd_rates_and_many_channels(self):
        sound, facts = self.open(self.written("hi.wav", wav_bytes(np.zeros((12, 1920)) + 0.1, 192000)))
        self.assertEqual((facts.channels, facts.sample_rate_hz, sound.read(0, 5).shape), (12, 192000, (12, 5)))

    def test_truncated_files_are_used_and_named(self):
        whole = wav_bytes(busy(2.0))
        sound, facts = self.open(self.written("cut.wav", whole[: len(whole) // 2]))
        self.assertTrue(facts.truncated)
        self.assertAlmostEqual(sound.samples / RATE_HZ, 1.0, delta=0.01)
        path = self.folder / "cut.mp3"
        encode(path, busy(4.0), RATE_HZ, "mp3")
        path.write_bytes(path.read_bytes()[:20000])
        self.assertGreater(self.open(path)[0].samples, RATE_HZ)

    def test_an_ogg_file_with_its_headers_twice_is_read_all_the_same(self):
        tone = busy(1.5, 5)
        pages, rest = [], wav_bytes(tone, subtype="VORBIS", form="OGG")
        plain, _ = self.open(self.written("plain.ogg", rest))
        while rest:
            size = 27 + rest[26] + sum(rest[27 : 27 + rest[26]])
            pages.append(rest[:size])
            rest = rest[size:]
        path = self.written("twice.ogg", b"".join([*pages[:2], *pages]))
        with self.assertRaises(av.error.FFmpegError):
            av.open(str(path))
        sound, facts = self.open(path)
        self.assertEqual((facts.codec, facts.samples, facts.truncated), ("vorbis", tone.size, False))
        np.testing.assert_allclose(sound.read(0, tone.size), plain.read(0, tone.size), atol=1e-5)

    def test_what_cannot_be_read_says_why(self):
        for name, body, words in [
            ("empty.wav", b"", "is empty"),
            ("noise.mp4", np.random.default_rng(2).bytes(30000), "not a sound or video file"),
            ("none.wav", wav_bytes(np.zeros(0)), "0 samples"),
        ]:
            with self.subTest(name=name), self.assertRaisesRegex(UnreadableError, words):
                self.open(self.written(name, body))
        with self.assertRaisesRegex(UnreadableError, "no such file"):
            self.open(self.folder / "absent.wav")
        with self.assertRaisesRegex(UnreadableError, "folder"):
            open_media(self.folder, self.folder / "s")


class WriteSoundTest(unittest.TestCase):
    def setUp(self):
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "x.wav"

    def test_24_bits_are_exact_and_the_time_reference_is_inside(self):
        sound = np.round(busy(1.0) * 8388608).astype(np.float32) / np.float32(8388608)
        blocks = [np.stack([sound, -sound])[:, k : k + 10000] for k in range(0, RATE_HZ, 10000)]
        write_sound(
            self.path,
            blocks,
            sample_rate_hz=RATE_HZ,
            channels=2,
            form=SampleForm.PCM24,
            time_reference_samples=172800000,
        )
        read, _ = soundfile.read(self.path, dtype="float32")
        np.testing.assert_array_equal(read.T, np.stack([sound, -sound]))
        self.assertEqual(riff_facts(self.path).time_reference_samples, 172800000)

    def test_float_keeps_what_is_over_full_scale(self):
        write_sound(
            self.path, [np.full((1, 100), 1.75, np.float32)], sample_rate_hz=44100, channels=1, form=SampleForm.FLOAT32
        )
        read, rate_hz = soundfile.read(self.path)
        self.assertEqual((rate_hz, read.max()), (44100, 1.75))

    def test_flac_of_24_bits_is_exact_and_says_what_it_cannot_hold(self):
        sound = np.round(busy(1.0) * 8388608).astype(np.float32) / np.float32(8388608)
        path = self.path.with_suffix(SampleForm.FLAC24.suffix)
        clipped = write_sound(
            path, [sound[None], np.full((1, 7), 1.5, np.float32)], sample_rate_hz=RATE_HZ, channels=1,
            form=SampleForm.FLAC24, time_reference_samples=172800000,
        )  # fmt: skip
        read, rate_hz = soundfile.read(path, dtype="float32")
        self.assertEqual((rate_hz, clipped, soundfile.info(path).subtype), (RATE_HZ, 7, "PCM_24"))
        np.testing.assert_array_equal(read[: sound.size], sound)
        with self.assertRaisesRegex(InputError, "8 channels at most, this recording has 9"):
            write_sound(path, [], sample_rate_hz=RATE_HZ, channels=9, form=SampleForm.FLAC24)

    def test_many_channels(self):
        sound = np.arange(600, dtype=np.float32).reshape(6, 100) / 1024
        write_sound(self.path, [sound], sample_rate_hz=RATE_HZ, channels=6, form=SampleForm.FLOAT32)
        np.testing.assert_array_equal(soundfile.read(self.path)[0].T, sound)

    def test_a_failed_write_leaves_nothing(self):
        def blocks():
            yield np.zeros((1, 10), np.float32)
            raise RuntimeError("stop")

        with self.assertRaises(RuntimeError):
            write_sound(self.path, blocks(), sample_rate_hz=RATE_HZ, channels=1, form=SampleForm.PCM24)
        self.assertEqual(list(self.path.parent.iterdir()), [])
