"""Small real media files with known content."""

import io

import numpy as np
import soundfile

from tests.signals import RATE_HZ


def wav_bytes(sound: np.ndarray, rate_hz: int = RATE_HZ, subtype: str = "PCM_24", form: str = "WAV") -> bytes:
    """A file as bytes; sound of shape (samples,) or (channels, samples)."""
    out = io.BytesIO()
    soundfile.write(out, np.atleast_2d(sound).T, rate_hz, format=form, subtype=subtype)
    return out.getvalue()
