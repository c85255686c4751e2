"""Integrated loudness and sample peak (ITU-R BS.1770-4) by FFmpeg's meter, streamed."""

import math
from fractions import Fraction

import av
import av.filter
import numpy as np

from gullywind.core.units import Samples
from gullywind.formats.wav import LAYOUTS


class LoudnessMeter:
    """Takes blocks of shape (channels, n), float32; `finish` gives LUFS, None where all is below the gate."""

    def __init__(self, sample_rate_hz: int, channels: int) -> None:
        # More than two channels have no agreed layout in a field recorder: their mix is measured.
        self._channels = min(channels, 2)
        self._layout = LAYOUTS[self._channels]
        self._rate_hz = sample_rate_hz
        self._position = 0
        self._integrated = -math.inf
        self._graph = av.filter.Graph()
        source = self._graph.add_abuffer(
            sample_rate=sample_rate_hz, format="flt", layout=self._layout, time_base=Fraction(1, sample_rate_hz)
        )
        meter = self._graph.add("ebur128", "metadata=1:framelog=quiet")
        sink = self._graph.add("abuffersink")
        source.link_to(meter)
        meter.link_to(sink)
        self._graph.configure()
        self._source, self._sink = source, sink

    def push(self, block: Samples) -> None:
        """Add sound."""
        if block.shape[0] > 2:
            block = block.mean(axis=0, keepdims=True)
            if self._channels == 2:
                block = np.repeat(block, 2, axis=0)
        interleaved = np.ascontiguousarray(np.nan_to_num(block).T.reshape(1, -1))
        frame = av.AudioFrame.from_ndarray(interleaved, format="flt", layout=self._layout)
        frame.sample_rate = self._rate_hz
        frame.pts = self._position
        self._position += frame.samples
        self._source.push(frame)
        self._drain()

    def finish(self) -> float | None:
        """Integrated loudness in LUFS."""
        self._source.push(None)
        self._drain()
        return self._integrated if self._integrated > -69.9 else None

    def _drain(self) -> None:
        while True:
            try:
                frame = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            value = frame.metadata.get("lavfi.r128.I") if hasattr(frame, "metadata") else None
            if value is not None:
                self._integrated = float(value)
