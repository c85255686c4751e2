import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from gullywind.core.ground.errors import UnreadableError
from gullywind.core.sound.facts import Gap, GapKind
from gullywind.core.sound.file_notes import file_notes
from gullywind.formats.decode import open_decoded
from gullywind.formats.file_time import FileTime, Stretch, place_in_file
from gullywind.formats.media import open_media, with_sound
from gullywind.formats.sound_files import DamagedError
from gullywind.formats.spool import file_time_path
from material.bad_files import TEXTS, bad_files, good_files, lying_headers
from material.containers import with_gap
from material.devices import encode
from tests.signals import RATE_HZ, busy


class FolderTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def heard(self, path: Path):
        """Facts and all samples of the first channel, as `with_sound` gives them to whoever listens."""
        spool = self.folder / f"{path.name}.spool"
        sound, facts, block = with_sound(path, spool, lambda sound, _: sound.read(0, sound.samples)[0])
        self.addCleanup(sound.close)
        return facts, block

    def written(self, name: str, body: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(body)
        return path


class PlaceInFileTest(unittest.TestCase):
    def placed(self, stamps_s, *, samples=1000, tick_s=1e-5, damage=()):
        marks = np.zeros(len(stamps_s), bool)
        marks[list(damage)] = True
        sizes = np.full(len(stamps_s), samples)
        return place_in_file(sizes, np.array(stamps_s), marks, sample_rate_hz=1000, tick_s=tick_s)

    def test_sound_without_gaps_stands_as_it_is(self):
        self.assertEqual(self.placed(np.arange(20.0)), FileTime((Stretch(0, 0, 20000),)))

    def test_late_holes_and_damage_are_told_apart(self):
        stamps_s = np.arange(40.0) + 0.25
        stamps_s[12:] += 0.7
        stamps_s[25:] += 2.0
        placed = self.placed(stamps_s, damage=[25])
        self.assertEqual(
            placed.gaps,
            (Gap(0.0, 0.25, GapKind.LATE), Gap(12.25, 0.7, GapKind.HOLE), Gap(25.95, 2.0, GapKind.DAMAGE)),
        )
        self.assertEqual(
            placed.stretches, (Stretch(250, 0, 12000), Stretch(12950, 12000, 13000), Stretch(27950, 25000, 15000))
        )
        self.assertEqual(placed.samples, 42950)

    def test_priming_before_time_zero_is_dropped(self):
        self.assertEqual(self.placed(np.arange(5.0) - 0.1).stretches, (Stretch(0, 100, 4900),))

    def test_jitter_rounding_and_jumps_back_move_nothing(self):
        rng = np.random.default_rng(3)
        steady = np.arange(60.0) * 0.02
        for name, stamps_s in {
            "rounded to ms": np.round(steady, 3),
            "jitter of a live recorder": steady + rng.uniform(-0.009, 0.009, 60),
            "early and late in turn": steady + 0.008 * (np.arange(60) % 2),
            "one frame far off": np.where(np.arange(60) == 30, steady + 0.5, steady),
            "back by a second": np.where(np.arange(60) >= 30, steady - 1.0, steady),
            "nonsense": np.where(np.arange(60) >= 30, steady + 40000.0, steady),
        }.items():
            with self.subTest(name):
                stamps_s = stamps_s - stamps_s[0]
                placed = self.placed(stamps_s, samples=20, tick_s=0.001)
                self.assertEqual(placed.stretches, (Stretch(0, 0, 1200),))

    def test_a_clock_that_drifts_makes_no_holes(self):
        placed = self.placed(np.arange(5000.0) * 0.02 * 1.001, samples=20, tick_s=0.001)
        self.assertEqual(placed.gaps, ())

    def test_nothing_is_told_of_unknown_stamps(self):
        self.assertEqual(self.placed([np.nan] * 4).stretches, (Stretch(0, 0, 4000),))


class ContainersTest(FolderTest):
    def test_late_sound_and_holes_keep_their_time_to_the_sample(self):
        sound = busy(5.0, 4)
        cases = [
            # When its first sound is heard: AAC in MP4 keeps its priming where it is late; Opus drops it.
            ("mp4", "aac", 0.5 - 1024 / RATE_HZ),
            ("mov", "aac", 0.5 - 1024 / RATE_HZ),
            ("mov", "alac", 0.5),
            ("mkv", "pcm_s16le", 0.5),
            ("mkv", "libopus", 0.5),
        ]
        for suffix, codec, begins_s in cases:
            with self.subTest(suffix=suffix, codec=codec):
                path = self.folder / f"late-{codec}.{suffix}"
                packets = with_gap(path, sound, codec, late_s=0.5, hole_s=(2.0, 2.7))
                facts, block = self.heard(path)
                before_s = max(start + length for start, length in packets if start < 2.5)
                after_s = min(start for start, _ in packets if start > 2.5)
                late, hole = facts.gaps
                self.assertEqual((late.kind, hole.kind), (GapKind.LATE, GapKind.HOLE))
                # Matroska's stamps and MP4's edit lists say whole ms.
                self.assertAlmostEqual(late.duration_s, begins_s, delta=0.0011)
                self.assertAlmostEqual(hole.start_s + hole.duration_s, after_s, delta=0.0011)
                exact = suffix != "mkv"
                self.assertAlmostEqual(hole.duration_s, after_s - before_s, delta=1 / RATE_HZ if exact else 0.0021)
                silent = slice(round((hole.start_s + 0.01) * RATE_HZ), round((after_s - 0.01) * RATE_HZ))
                self.assertFalse(block[silent].any())
                # What stands there is what was recorded then.
                at = round(4.0 * RATE_HZ)
                lags = np.correlate(block[at - 5000 : at + 5000], sound[at - RATE_HZ // 2 - 4000 :][:8000])
                self.assertLessEqual(abs(int(np.argmax(lags)) - 1000), 55)
                self.assertEqual(facts.picture_start_s, 0.0)
                self.assertIn("late-sound", [note.code for note in file_notes(facts)])

    def test_damage_costs_what_is_damaged_and_no_more(self):
        sound = busy(20.0, 5)
        for suffix in ("m4a", "mp3", "flac", "opus", "aac"):
            with self.subTest(suffix):
                path = self.folder / f"hit.{suffix}"
                if suffix == "flac":
                    soundfile.write(path, sound, RATE_HZ)
                elif suffix == "aac":
                    _write_adts(path, sound)
                else:
                    encode(path, sound, RATE_HZ, {"m4a": "aac"}.get(suffix, suffix))
                whole, intact = self.heard(path)
                body = bytearray(path.read_bytes())
                at = len(body) // 4
                body[at : at + 400] = np.random.default_rng(6).bytes(400)
                hit, block = self.heard(self.written(f"was-hit.{suffix}", bytes(body)))
                self.assertFalse(hit.truncated)
                self.assertAlmostEqual(hit.duration_s, whole.duration_s, delta=0.03)
                self.assertEqual({gap.kind for gap in hit.gaps}, {GapKind.DAMAGE})
                # A page of Opus in Ogg is a second; of the others some frames are lost.
                self.assertLess(sum(gap.duration_s for gap in hit.gaps), 1.2)
                self.assertIn("Damaged: ", file_notes(hit)[-1].message)
                late = 15 * RATE_HZ
                lag = int(np.argmax(np.correlate(block[late - 3000 : late + 6000], intact[late : late + 3000]))) - 3000
                self.assertLessEqual(abs(lag), 2)

    def test_a_flac_that_is_cut_off_is_used_as_far_as_it_goes(self):
        sound = busy(10.0, 8)
        path = self.folder / "cut.flac"
        soundfile.write(path, sound, RATE_HZ, subtype="PCM_16")
        path.write_bytes(path.read_bytes()[: path.stat().st_size * 6 // 10])
        facts, block = self.heard(path)
        self.assertTrue(facts.truncated)
        self.assertGreater(facts.duration_s, 5.0)
        self.assertLess(facts.duration_s, 7.0)
        np.testing.assert_allclose(block[:RATE_HZ], sound[:RATE_HZ], atol=1e-4)

    def test_damage_in_what_is_read_in_place_is_noticed_while_reading(self):
        path = self.folder / "mid.flac"
        soundfile.write(path, busy(10.0, 9), RATE_HZ, subtype="PCM_16")
        body = bytearray(path.read_bytes())
        body[len(body) // 2 : len(body) // 2 + 300] = bytes(300)
        path.write_bytes(bytes(body))
        spool = self.folder / "spool"
        sound, _ = open_media(path, spool)
        with self.assertRaisesRegex(DamagedError, "damaged"):
            sound.read(0, sound.samples)
        sound.close()
        careful, facts = open_media(path, spool, careful=True)
        careful.close()
        self.assertEqual(facts.samples, 10 * RATE_HZ)
        # From now on it is read as it was decoded.
        again, _ = open_media(path, spool)
        self.assertEqual(again.read(0, again.samples).shape, (1, 10 * RATE_HZ))
        again.close()


class BadFilesTest(FolderTest):
    def test_texts_and_playlists_are_no_recordings(self):
        for name, body in TEXTS.items():
            with self.subTest(name), self.assertRaisesRegex(UnreadableError, "not a sound or video file"):
                self.heard(self.written(name, body))

    def test_headers_that_lie(self):
        good = good_files(self.folder)
        for name, body in lying_headers(good["wav"], good["rf64.wav"]):
            with self.subTest(name):
                try:
                    facts, block = self.heard(self.written(name, body))
                except UnreadableError as error:
                    self.assertRegex(str(error), "^[a-z].*[a-z)]$")
                    continue
                self.assertLess(facts.duration_s, 100.0)
                self.assertEqual(block.size, facts.samples)
                self.assertLess(facts.time_reference_samples or 0, 2**62)

    def test_a_hundred_malformed_files_are_read_or_refused_in_words(self):
        for name, body in bad_files(self.folder, 100, seed=11):
            path = self.written(name, body)
            with self.subTest(name):
                try:
                    facts, block = self.heard(path)
                except UnreadableError as error:
                    self.assertGreater(len(str(error)), 10)
                else:
                    self.assertEqual(block.size, facts.samples)
                    self.assertTrue(np.isfinite(block).all())
        self.assertEqual(list(self.folder.glob("*.part*")), [])

    def test_what_decodes_to_more_than_a_file_can_hold_is_refused(self):
        path = self.folder / "bomb.flac"
        soundfile.write(path, np.zeros(RATE_HZ * 300), RATE_HZ, subtype="PCM_16")
        sound, facts = open_decoded(path, self.folder / "fine", path.stat().st_size, lambda _: None)
        sound.close()
        self.assertEqual(facts.samples, RATE_HZ * 300)
        with self.assertRaisesRegex(UnreadableError, "far more sound than a file of its size"):
            open_decoded(path, self.folder / "bomb", 61, lambda _: None)
        self.assertFalse((self.folder / "bomb").exists())

    def test_two_that_decode_one_file_at_once_do_not_disturb_each_other(self):
        path, spool = self.folder / "x.mp3", self.folder / "x.spool"
        encode(path, busy(4.0), RATE_HZ, "mp3")
        inner = []

        def meanwhile(_: float) -> None:
            if not inner:
                inner.append(None)
                inner[0] = open_media(path, spool)[0]

        outer, _ = open_media(path, spool, checkpoint=meanwhile)
        np.testing.assert_array_equal(outer.read(0, outer.samples), inner[0].read(0, outer.samples))
        outer.close()
        inner[0].close()
        self.assertEqual(sorted(one.name for one in self.folder.iterdir()), ["x.mp3", "x.spool", "x.time.json"])

    def test_silence_on_two_channels_is_heard_as_silence(self):
        from gullywind.core.align import hear

        buffer = io.BytesIO()
        soundfile.write(buffer, np.zeros((RATE_HZ * 2, 2)), RATE_HZ, format="WAV", subtype="PCM_16")
        sound, _ = open_media(self.written("quiet.wav", buffer.getvalue()), self.folder / "s")
        self.addCleanup(sound.close)
        self.assertTrue(all(one.silent for one in hear(sound)))

    def test_a_name_need_not_be_text(self):
        name = b"caf\xe9.wav".decode("utf-8", "surrogateescape")
        path = self.folder / name
        soundfile.write(self.folder / "plain.wav", busy(1.0), RATE_HZ)
        (self.folder / "plain.wav").rename(path)
        facts, _ = self.heard(path)
        self.assertEqual(facts.samples, RATE_HZ)

    def test_a_spool_without_its_time_is_made_again(self):
        path, spool = self.folder / "x.mp3", self.folder / "x.spool"
        encode(path, busy(2.0), RATE_HZ, "mp3")
        open_media(path, spool)[0].close()
        file_time_path(spool).unlink()
        sound, _ = open_media(path, spool)
        self.addCleanup(sound.close)
        self.assertGreater(sound.samples, RATE_HZ)


def _write_adts(path: Path, sound: np.ndarray) -> None:
    import av

    with av.open(str(path), "w", format="adts") as container:
        stream = container.add_stream("aac", rate=RATE_HZ, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound[None], np.float32), "fltp", "mono")
        frame.sample_rate = RATE_HZ
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
