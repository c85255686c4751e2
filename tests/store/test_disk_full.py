"""A disk that takes no more: the kernel refuses writes past a limit on the file size, as a full disk refuses them."""

import contextlib
import resource
import tempfile
import unittest
from pathlib import Path

import numpy as np

from gullywind.core.ground.errors import StorageError
from gullywind.formats.media import open_media
from gullywind.formats.write_sound import SampleForm, write_sound
from gullywind.store.files import IncomingFile, MediaFolder
from material.devices import encode
from tests.signals import RATE_HZ, busy


@contextlib.contextmanager
def full_after(size_bytes: int):
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size_bytes, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


class DiskFullTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def left(self) -> list[Path]:
        return [path for path in self.folder.rglob("*") if path.is_file()]

    def test_an_upload_says_so_and_leaves_nothing(self):
        incoming = IncomingFile(MediaFolder(self.folder))
        with full_after(100_000), self.assertRaisesRegex(StorageError, "cannot be stored: "):
            for _ in range(50):
                incoming.write(b"x" * 10_000)
            incoming.keep()
        self.assertEqual(self.left(), [])

    def test_a_rendered_file_says_so_and_leaves_nothing(self):
        blocks = (np.zeros((2, 48000), np.float32) for _ in range(20))
        with full_after(200_000), self.assertRaisesRegex(StorageError, "x.wav could not be written"):
            write_sound(self.folder / "x.wav", blocks, sample_rate_hz=RATE_HZ, channels=2, form=SampleForm.PCM24)
        self.assertEqual(self.left(), [])

    def test_decoded_sound_says_so_and_leaves_nothing(self):
        path = self.folder / "x.mp3"
        encode(path, busy(10.0), RATE_HZ, "mp3")
        with full_after(300_000), self.assertRaisesRegex(StorageError, "decoded sound could not be stored"):
            open_media(path, self.folder / "spool")
        self.assertEqual(self.left(), [path])
