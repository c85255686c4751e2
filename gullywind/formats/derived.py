"""Derived files of one recording: decoded spool, peaks, features. Made once, can be deleted, are made again."""

import json
import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from gullywind.core.features.bands import BandFeatures
from gullywind.core.features.claps import Clap
from gullywind.core.features.extract import Heard
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.ground.errors import StorageError
from gullywind.core.ground.units import Floats
from gullywind.core.sound.peaks import Peaks
from gullywind.core.sound.views import Listening, SampleSource

#: Raised when the features' meaning changes, so that older files are made again.
FEATURES_VERSION = 2
SPOOL, FEATURES = "spool.raw", "features.npz"
#: Its number rises when moments are found otherwise.
MOMENTS = "moments-1.npy"


def peaks_name(level: int) -> str:
    """The file of one level of peaks."""
    return f"peaks-{level}.npy"


def save_peaks(folder: Path, levels: Sequence[Peaks]) -> None:
    """Write one file a level."""
    for level, peaks in enumerate(levels):
        _save(folder / peaks_name(level), peaks=peaks)


def load_peaks(path: Path, first_bin: int, bins: int) -> Peaks:
    """Some bins of a level's file, shape (up to bins, 3); raises `FileNotFoundError` where it was not made yet."""
    stored = np.load(path, mmap_mode="r")
    return np.array(stored[first_bin : first_bin + bins])


def save_moments(folder: Path, moments_s: Floats) -> None:
    """Write at which moments, s, something begins or ends."""
    _save(folder / MOMENTS, moments=moments_s)


def load_moments(path: Path) -> Floats | None:
    """What was saved before; None where nothing was."""
    return np.asarray(np.load(path), np.float64) if path.exists() else None


def save_heard(folder: Path, heard: Sequence[Heard]) -> None:
    """Write the features of all listening views."""
    arrays: dict[str, np.ndarray] = {"version": np.array(FEATURES_VERSION), "count": np.array(len(heard))}
    for i, one in enumerate(heard):
        arrays[f"values{i}"] = one.features.values.astype(np.float16)
        arrays[f"valid{i}"] = one.features.valid
        arrays[f"facts{i}"] = np.array([one.features.origin_s, one.clipped_samples, one.silent], np.float64)
        arrays[f"channels{i}"] = np.array(one.view.channels)
        arrays[f"claps{i}"] = np.array([(clap.t_rec, clap.certainty) for clap in one.claps]).reshape(-1, 2)
        arrays["timecode"] = np.array(json.dumps([run.to_json() for run in one.timecode]))
    _save(folder / FEATURES, **arrays)


def load_heard(path: Path, source: SampleSource) -> tuple[Heard, ...] | None:
    """Features saved before in a file; None where there are none of this version."""
    if not path.exists():
        return None
    with np.load(path) as stored:
        if int(stored["version"]) != FEATURES_VERSION:
            return None
        runs = tuple(TimecodeRun.from_json(one) for one in json.loads(str(stored["timecode"])))
        heard = []
        for i in range(int(stored["count"])):
            origin_s, clipped, silent = stored[f"facts{i}"]
            features = BandFeatures(stored[f"values{i}"].astype(np.float32), stored[f"valid{i}"], float(origin_s))
            view = Listening(source, tuple(int(c) for c in stored[f"channels{i}"]))
            claps = tuple(Clap(float(t_rec), float(certainty)) for t_rec, certainty in stored[f"claps{i}"])
            heard.append(Heard(view, features, int(clipped), bool(silent), claps, runs))
    return tuple(heard)


def _save(path: Path, **arrays: np.ndarray) -> None:
    """Whole or not at all: a killed worker leaves no half file."""
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, suffix=path.suffix, delete=False) as file:
            if path.suffix == ".npy":
                np.save(file, next(iter(arrays.values())))
            else:
                np.savez(file, **arrays)  # type: ignore[arg-type]
        os.replace(file.name, path)
    except OSError as error:
        raise StorageError(f"What was heard could not be stored: {(error.strerror or str(error)).lower()}.") from error
