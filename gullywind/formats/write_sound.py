"""Writes sound through FFmpeg's muxers: WAV/BWF (EBU Tech 3285), 24-bit or float, RF64 beyond 4 GB; FLAC, 24-bit."""

from collections.abc import Iterable
from enum import StrEnum
from pathlib import Path

import av
import numpy as np

from gullywind.core.ground.errors import InputError, StorageError
from gullywind.core.ground.units import Samples

LAYOUTS = {1: "mono", 2: "stereo"}
#: Half a step of 24 bits above full scale still rounds to the highest step.
MOST_PCM = 1 + 0.5 / 8388608
#: RFC 9639, 9.1.3.
MOST_FLAC_CHANNELS = 8


class SampleForm(StrEnum):
    """What we deliver: WAV of 24 bits or float, FLAC of 24 bits."""

    PCM24 = "pcm24"
    FLOAT32 = "float32"
    FLAC24 = "flac24"

    @property
    def suffix(self) -> str:
        """Of a file's name."""
        return ".flac" if self is SampleForm.FLAC24 else ".wav"


#: Codec, samples as it takes them, container.
FORMS = {
    SampleForm.PCM24: ("pcm_s24le", "s32", "wav"),
    SampleForm.FLOAT32: ("pcm_f32le", "flt", "wav"),
    SampleForm.FLAC24: ("flac", "s32", "flac"),
}


def write_sound(
    path: Path,
    blocks: Iterable[Samples],
    *,
    sample_rate_hz: int,
    channels: int,
    form: SampleForm,
    time_reference_samples: int = 0,
    description: str = "",
) -> int:
    """Write blocks of shape (channels, n), float32, whole or not at all; a WAV has a `bext` chunk.

    Returns
    -------
    int : samples that were above full scale and had to be clipped; 0 in float.

    Raises
    ------
    StorageError : the file could not be written.
    InputError : the form cannot hold so many channels.
    """
    if form is SampleForm.FLAC24 and channels > MOST_FLAC_CHANNELS:
        raise InputError(f"FLAC holds {MOST_FLAC_CHANNELS} channels at most, this recording has {channels}: write WAV.")
    part = path.with_name(f".{path.name}.part")
    codec, frame_format, container_format = FORMS[form]
    layout = LAYOUTS.get(channels, f"{channels}c")
    clipped = 0
    try:
        options = {"write_bext": "1", "rf64": "auto"} if container_format == "wav" else {}
        with av.open(f"file:{part}", "w", format=container_format, options=options) as container:
            container.metadata["time_reference"] = str(time_reference_samples)
            container.metadata["description"] = description[:255]
            container.metadata["originator"] = "Gullywind"
            stream = container.add_stream(codec, rate=sample_rate_hz, layout=layout)
            assert isinstance(stream, av.AudioStream)
            stream.format = av.AudioFormat(frame_format)
            for block in blocks:
                if form is not SampleForm.FLOAT32:
                    clipped += int(np.count_nonzero(np.abs(block) > MOST_PCM))
                packed = _packed(block, form)
                frame = av.AudioFrame.from_ndarray(packed, format=frame_format, layout=layout)
                frame.sample_rate = sample_rate_hz
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        part.replace(path)
    except (OSError, av.error.FFmpegError) as error:
        part.unlink(missing_ok=True)
        raise StorageError(f"{path.name} could not be written: {(error.strerror or str(error)).lower()}") from error
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return clipped


def _packed(block: Samples, form: SampleForm) -> np.ndarray:
    """Interleaved samples, shape (1, channels * n)."""
    interleaved = block.T.reshape(1, -1)
    if form is SampleForm.FLOAT32:
        return np.ascontiguousarray(interleaved, np.float32)
    # float32 carries 24 bits exactly; scaling by a power of two keeps copies bit-exact.
    steps = np.rint(interleaved.astype(np.float64) * 8388608).clip(-8388608, 8388607)
    return np.ascontiguousarray(steps.astype(np.int32) << 8)
