"""Decoded sound on disk that can be read anywhere: PCM and FLAC files in place, and spools of what was decoded once."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import numpy as np
import soundfile

from gullywind.core.errors import UnreadableError
from gullywind.core.units import Samples

LEAST_RATE_HZ, MOST_RATE_HZ, MOST_CHANNELS = 2000, 768000, 64


class InPlaceSound:
    """Random access through libsndfile; safe to read from several threads. Other processes open the file anew."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file = soundfile.SoundFile(str(path))
        self._lock = threading.Lock()
        self.sample_rate_hz = int(self._file.samplerate)
        self.channels = int(self._file.channels)
        self.samples = int(self._file.frames)
        # Samples of 16 bits are read as they are and scaled here: the library's own scaling takes twice as long.
        self._dtype = "int16" if self._file.subtype == "PCM_16" and self._file.format != "FLAC" else "float32"

    def __reduce__(self) -> tuple[type[InPlaceSound], tuple[Path]]:
        return InPlaceSound, (self._path,)

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file."""
        low, high = max(start, 0), min(stop, self.samples)
        if high <= low:
            return np.zeros((self.channels, stop - start), np.float32)
        with self._lock:
            self._file.seek(low)
            block = self._file.read(high - low, dtype=self._dtype, always_2d=True).T
        return _padded(_scaled(block), low - start, stop - start)

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()


class SpooledSound:
    """Random access to a raw spool file, channels interleaved; reads do not map memory, so long files stay small.

    Other processes open the spool anew.
    """

    def __init__(self, path: Path, sample_rate_hz: int, channels: int, sample_type: str) -> None:
        self._made_from = (path, sample_rate_hz, channels, sample_type)
        self._dtype = np.dtype(sample_type)
        self._handle = os.open(path, os.O_RDONLY)
        self.sample_rate_hz = sample_rate_hz
        self.channels = channels
        self._frame_bytes = self._dtype.itemsize * channels
        self.samples = os.fstat(self._handle).st_size // self._frame_bytes

    def __reduce__(self) -> tuple[type[SpooledSound], tuple[Path, int, int, str]]:
        return SpooledSound, self._made_from

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file."""
        low, high = max(start, 0), min(stop, self.samples)
        if high <= low:
            return np.zeros((self.channels, stop - start), np.float32)
        raw = os.pread(self._handle, (high - low) * self._frame_bytes, low * self._frame_bytes)
        block = np.frombuffer(raw, self._dtype).reshape(-1, self.channels).T
        return _padded(_scaled(block), low - start, stop - start)

    def close(self) -> None:
        """Let go of the file."""
        os.close(self._handle)


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
    """Float samples as they are, those of 16 bits scaled to -1..1."""
    if block.dtype.kind == "f":
        return block
    return np.asarray(np.multiply(block, np.float32(1 / 32768), dtype=np.float32, order="C"))


def _padded(block: Samples, before: int, total: int) -> Samples:
    if before == 0 and block.shape[1] == total:
        return np.ascontiguousarray(block)
    whole = np.zeros((block.shape[0], total), np.float32)
    whole[:, before : before + block.shape[1]] = block
    return whole
