"""Decoded sound on disk that can be read anywhere: PCM and FLAC files in place, and spools of what was decoded once."""

from __future__ import annotations

import os
import threading
from bisect import bisect_left, bisect_right
from pathlib import Path

import numpy as np
import soundfile

from gullywind.core.ground.errors import UnreadableError
from gullywind.core.ground.units import Samples
from gullywind.formats.file_time import FileTime
from gullywind.formats.spool import file_time_path

LEAST_RATE_HZ, MOST_RATE_HZ, MOST_CHANNELS = 2000, 768000, 64
#: Float samples 80 dB above full scale are no sound but damage, and their squares overflow.
MOST_SAMPLE = 1e4


class DamagedError(UnreadableError):
    """A file that is read in place is damaged: it must be decoded with care, see `open_media`."""


class InPlaceSound:
    """Random access through libsndfile; safe to read from several threads. Other processes open the file anew.

    `samples` may be fewer than the header says.
    """

    def __init__(self, path: Path, samples: int) -> None:
        self._path = path
        # As bytes: a name need not be UTF-8.
        self._file = soundfile.SoundFile(os.fsencode(path))
        self._lock = threading.Lock()
        self.sample_rate_hz = int(self._file.samplerate)
        self.channels = int(self._file.channels)
        self.samples = samples
        # Samples of 16 bits are read as they are and scaled here: the library's own scaling takes twice as long.
        self._dtype = "int16" if self._file.subtype == "PCM_16" and self._file.format != "FLAC" else "float32"

    def __reduce__(self) -> tuple[type[InPlaceSound], tuple[Path, int]]:
        return InPlaceSound, (self._path, self.samples)

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file.

        Raises
        ------
        DamagedError : this stretch cannot be decoded.
        """
        low, high = max(start, 0), min(stop, self.samples)
        if high <= low:
            return np.zeros((self.channels, stop - start), np.float32)
        with self._lock:
            try:
                self._file.seek(low)
                block = self._file.read(high - low, dtype=self._dtype, always_2d=True).T
            except soundfile.LibsndfileError as error:
                raise DamagedError("is damaged") from error
        if block.shape[1] < high - low:
            raise DamagedError("ends before its header says")
        return _padded(_scaled(block), low - start, stop - start)

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()


class SpooledSound:
    """Random access to a raw spool, channels interleaved, in the file's time: silence where the file has no sound.

    Reads do not map memory, so long files stay small. Other processes open the spool anew.
    """

    def __init__(self, path: Path, sample_rate_hz: int, channels: int, sample_type: str) -> None:
        self._made_from = (path, sample_rate_hz, channels, sample_type)
        self._dtype = np.dtype(sample_type)
        self._handle = -1
        self._handle = os.open(path, os.O_RDONLY)
        try:
            self.file_time = FileTime.load(file_time_path(path))
        except BaseException:
            self.close()
            raise
        self.sample_rate_hz = sample_rate_hz
        self.channels = channels
        self._frame_bytes = self._dtype.itemsize * channels
        self._starts = [one.at for one in self.file_time.stretches]
        self.samples = self.file_time.samples

    def __reduce__(self) -> tuple[type[SpooledSound], tuple[Path, int, int, str]]:
        return SpooledSound, self._made_from

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file and where it has no sound."""
        first = max(bisect_right(self._starts, start) - 1, 0)
        inside = [
            (max(start, one.at), min(stop, one.at + one.samples), one.stored - one.at)
            for one in self.file_time.stretches[first : bisect_left(self._starts, stop)]
        ]
        inside = [(low, high, shift) for low, high, shift in inside if high > low]
        if len(inside) == 1:
            low, high, shift = inside[0]
            return _padded(self._stored(low + shift, high + shift), low - start, stop - start)
        whole = np.zeros((self.channels, stop - start), np.float32)
        for low, high, shift in inside:
            whole[:, low - start : high - start] = self._stored(low + shift, high + shift)
        return whole

    def _stored(self, first: int, end: int) -> Samples:
        raw = os.pread(self._handle, (end - first) * self._frame_bytes, first * self._frame_bytes)
        return _scaled(np.frombuffer(raw, self._dtype).reshape(-1, self.channels).T)

    def close(self) -> None:
        """Let go of the file."""
        if self._handle >= 0:
            os.close(self._handle)
        self._handle = -1

    def __del__(self) -> None:
        # Kept sounds are dropped while another thread may still read them; whoever holds one last closes it.
        self.close()


Sound = InPlaceSound | SpooledSound


def check_form(sample_rate_hz: int, channels: int) -> None:
    """Refuse what no recorder makes.

    Raises
    ------
    UnreadableError : with the reason, in the editor's words.
    """
    if not LEAST_RATE_HZ <= sample_rate_hz <= MOST_RATE_HZ:
        raise UnreadableError(f"states a sample rate of {sample_rate_hz} Hz, which is outside 2 to 768 kHz")
    if not 1 <= channels <= MOST_CHANNELS:
        raise UnreadableError(f"has {channels} channels; up to {MOST_CHANNELS} can be read")


def _scaled(block: np.ndarray) -> Samples:
    """Float samples as they are, but for what is no number or none of sound; those of 16 bits scaled to -1..1."""
    if block.dtype.kind == "f":
        if block.size and not (block.min() >= -MOST_SAMPLE and block.max() <= MOST_SAMPLE):
            return np.where(np.abs(block) <= MOST_SAMPLE, block, np.float32(0))
        return block
    return np.asarray(np.multiply(block, np.float32(1 / 32768), dtype=np.float32, order="C"))


def _padded(block: Samples, before: int, total: int) -> Samples:
    """The block with zeros on both sides; `total` samples long."""
    if before == 0 and block.shape[1] == total:
        return np.ascontiguousarray(block)
    whole = np.zeros((block.shape[0], total), np.float32)
    whole[:, before : before + block.shape[1]] = block
    return whole
