"""Sound that follows a bent map with its own pitch: a phase vocoder whose frames stand where the map says.

Each frame of the result is a frame of the recording, taken where the map has its middle, turned so that every partial
goes on where it was (the phase advances by what the recording's own does over one step; peaks take their surroundings
along: Laroche and Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. SAP 7, 1999). All
channels are turned alike, so that their phases keep their relation. Around sharp beginnings the map runs at the
recording's own speed, and what begins there is not turned (after Roebel, "A new approach to transient processing in the
phase vocoder", DAFx 2003): they are kept whole, and stand where they should to the sample. Where the map runs at the
recording's speed and nothing is turned, samples are copied.

No library was found whose variable map can be relied on (`docs/bending.md`).
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.ground.units import Floats, Samples

#: Length of a frame, s, and how many of them overlap: as is usual for voices.
FRAME_S, OVERLAP = 0.043, 8
#: Around a beginning so much is not bent, s, or this share of what lies to the next.
KEPT_WHOLE_S, KEPT_WHOLE_SHARE = 0.02, 0.35
#: Elsewhere the bend may not become more than this for its sake.
MOST_TAKEN_UP = 3.0
#: Something begins where the energy of differences in the next 6 ms is this many times that of the last 20 ms.
BEGINS_TIMES, BEGINS_NEXT_S, BEGINS_LAST_S, BEGINS_STEP_S = 8.0, 0.006, 0.02, 0.002
#: Beginnings are this far apart, s, and no more than so much below the loudest, in power.
BEGINNINGS_APART_S, BEGINNINGS_FLOOR = 0.05, 1e-5
#: A bin that has this many times its former power holds what begins.
NEW_TIMES = 4.0
#: A frame this far below the loudest, in power, is quiet: nobody hears its phases start anew.
QUIET = 1e-6
FRAMES_AT_A_TIME = 256


@dataclass(frozen=True, eq=False)
class Positions:
    """Where the middle of each frame of the result lies in the recording: whole samples."""

    middles: npt.NDArray[np.int64]
    begins: npt.NDArray[np.bool_]


def frame_samples(rate_hz: int) -> int:
    """Length of a frame: a multiple of OVERLAP that is quick to transform."""
    return int(scipy.fft.next_fast_len(round(FRAME_S * rate_hz / OVERLAP), real=True)) * OVERLAP


def bent_sound(sound: Samples, at: Floats, rate_hz: int) -> Samples:
    """Sound at bent positions.

    Parameters
    ----------
    sound : shape (channels, samples), at `rate_hz`.
    at : shape (n,), rising. For each sample of the result its position in `sound`, samples.

    Returns
    -------
    shape (channels, n), float32.
    """
    size = frame_samples(rate_hz)
    step = size // OVERLAP
    positions = _positions(sound, at, rate_hz, size, step)
    middles = positions.middles
    window = np.hanning(size + 1)[:-1].astype(np.float32)
    padded = np.pad(sound, ((0, 0), (size, size)))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size, axis=1)
    made = np.zeros((len(sound), (middles.size - 1) * step + size), np.float32)
    turned = np.zeros(middles.size, bool)
    turns = _Turns(size // 2 + 1, _loudest(sound, size))
    scale = np.float32(1 / (OVERLAP * np.mean(window**2)))
    for first in range(0, middles.size, FRAMES_AT_A_TIME):
        some = slice(first, min(first + FRAMES_AT_A_TIME, middles.size))
        # A frame that begins at sample b of the sound begins at b + size of the padded sound.
        begin = np.clip(middles[some] - size // 2 + size, 0, frames.shape[1] - 1)
        earlier = np.clip(begin - step, 0, frames.shape[1] - 1)
        here = scipy.fft.rfft(frames[:, begin] * window, axis=2)
        back = scipy.fft.rfft(frames[:, earlier] * window, axis=2)
        follows = np.diff(middles[some], prepend=middles[first - 1] if first else middles[0]) == step
        for k in range(here.shape[1]):
            turn = turns.next(here[:, k], back[:, k], bool(positions.begins[first + k]), bool(follows[k]))
            if turn is not None:
                here[:, k] *= turn
                turned[first + k] = True
        parts = scipy.fft.irfft(here, size, axis=2) * (window * scale)
        for k in range(parts.shape[1]):
            at_sample = (first + k) * step
            made[:, at_sample : at_sample + size] += parts[:, k]
    result = made[:, size // 2 : size // 2 + at.size]
    _copy_whole(sound, positions, turned, size, step, result)
    return np.ascontiguousarray(result)


class _Turns:
    """What the bins of each frame are turned by, one frame after the other."""

    def __init__(self, bins: int, loudest: float) -> None:
        self._turn: npt.NDArray[np.complex64] = np.ones(bins, np.complex64)
        self._last: npt.NDArray[np.complex64] | None = None
        self._power: npt.NDArray[np.float32] | None = None
        self._plain, self._quiet = True, loudest * QUIET

    def next(
        self,
        here: npt.NDArray[np.complex64],
        back: npt.NDArray[np.complex64],
        begins: bool,
        follows: bool,
    ) -> npt.NDArray[np.complex64] | None:
        """Turns of a frame, shape (bins,); None where it is left as it is.

        Parameters
        ----------
        here, back : shape (channels, bins). The frame, and the one a step earlier in the recording.
        begins : something begins in it.
        follows : in the recording it is one step after the frame before, as in the result.
        """
        power = np.asarray((here.real**2 + here.imag**2).sum(axis=0), np.float32)
        last, before = self._last, self._power
        self._last, self._power = here.copy(), power
        if last is None or before is None or float(power.sum()) <= self._quiet:
            self._turn[:] = 1
            self._plain = True
            return None
        if not follows:
            moved = self._turn * _unit((last * back.conj()).sum(axis=0))
            self._turn = _unit(moved[_peak_of(power)])
            self._plain = False
        if begins and not self._plain:
            new = power > NEW_TIMES * before
            self._turn[new] = 1
            self._plain = bool(np.all(self._turn == 1))
        return None if self._plain else self._turn


def _unit(numbers: npt.NDArray[np.complex64]) -> npt.NDArray[np.complex64]:
    """Of length 1; where there is nothing to tell a phase by, 1."""
    length = np.abs(numbers)
    return np.where(length > 0, numbers / np.maximum(length, 1e-30), 1).astype(np.complex64)


def _peak_of(power: npt.NDArray[np.float32]) -> npt.NDArray[np.int64]:
    """For each bin the peak to whose surroundings it belongs, shape (bins,); peaks stand above two bins each way."""
    edge = np.pad(power, 2, constant_values=-1.0)
    middle = edge[2:-2]
    peak = (middle > edge[1:-3]) & (middle >= edge[3:-1]) & (middle > edge[:-4]) & (middle >= edge[4:])
    peaks = np.flatnonzero(peak)
    if not peaks.size:
        return np.arange(power.size)
    halfway = (peaks[1:] + peaks[:-1] + 1) // 2
    return peaks[np.searchsorted(halfway, np.arange(power.size), side="right")]


def _positions(sound: Samples, at: Floats, rate_hz: int, size: int, step: int) -> Positions:
    """Middles of all frames that the result needs, beginnings left unbent."""
    count = at.size // step + OVERLAP
    # Frame k begins at sample k * step - size // 2 of the result: its middle is k * step.
    wanted = np.arange(count) * step
    begun = beginnings(sound, rate_hz)
    inside = begun[(begun > at[0]) & (begun < at[-1])].astype(np.float64)
    knots_out, knots_in = _unbent_around(inside, at, rate_hz)
    middles = np.interp(np.minimum(wanted, at.size - 1), knots_out, knots_in) + np.maximum(wanted - (at.size - 1), 0)
    whole = np.rint(middles).astype(np.int64)
    begins = np.zeros(count, bool)
    landed = np.interp(inside, at, np.arange(at.size))
    begins[np.minimum(np.ceil(landed / step).astype(np.int64), count - 1)] = True
    return Positions(_steady(whole, middles, step), begins)


def _steady(whole: npt.NDArray[np.int64], middles: Floats, step: int) -> npt.NDArray[np.int64]:
    """Rounded alike along stretches at the recording's own speed, so that their frames follow each other exactly."""
    shift = middles - np.arange(middles.size) * step
    even = np.abs(np.diff(shift)) < 1e-6
    found = whole.copy()
    for k in np.flatnonzero(even).tolist():
        found[k + 1] = found[k] + step
    return found


def _unbent_around(inside: Floats, at: Floats, rate_hz: int) -> tuple[Floats, Floats]:
    """Knots of the positions, result and recording in samples, with the recording's own speed around beginnings."""
    outs, ins = [0.0], [float(at[0])]
    landed = np.interp(inside, at, np.arange(at.size))
    space = np.minimum(np.diff(inside, prepend=at[0]), np.diff(inside, append=at[-1]))
    out_space = np.minimum(np.diff(landed, prepend=0.0), np.diff(landed, append=at.size - 1.0))
    halves = np.minimum(KEPT_WHOLE_S * rate_hz, KEPT_WHOLE_SHARE * np.minimum(space, out_space))
    for out, where, half in zip(landed.tolist(), inside.tolist(), halves.tolist(), strict=True):
        if half >= 1.0:
            outs += [out - half, out + half]
            ins += [where - half, where + half]
    # Between two beginnings the course of the map is kept: its own knots, moved as their surroundings were.
    outs.append(at.size - 1.0)
    ins.append(float(at[-1]))
    knots_out, knots_in = np.array(outs), np.array(ins)
    return _with_course(knots_out, knots_in, at)


def _with_course(knots_out: Floats, knots_in: Floats, at: Floats) -> tuple[Floats, Floats]:
    """The map's own knots between those of the beginnings, where no stretch becomes steeper than it may."""
    bends = np.flatnonzero(np.abs(np.diff(at, 2)) > 1e-4) + 1
    if bends.size:
        # Runs of the same bend, as a knot between samples leaves them, count once.
        bends = bends[np.concatenate([[True], np.diff(bends) > 2])]
    gaps = np.searchsorted(knots_out, bends)
    free = np.zeros(bends.size, bool)
    for k, (bend, gap) in enumerate(zip(bends.tolist(), gaps.tolist(), strict=True)):
        # Odd gaps lie between beginnings, even ones within the unbent stretch around one.
        if gap % 2 == 1 and 0 < gap < knots_out.size:
            free[k] = _fits(knots_out, knots_in, gap, float(bend), float(at[bend]))
    outs = np.concatenate([knots_out, bends[free].astype(np.float64)])
    ins = np.concatenate([knots_in, at[bends[free]]])
    order = np.argsort(outs, kind="stable")
    outs, ins = outs[order], ins[order]
    rising = np.concatenate([[True], (np.diff(outs) > 1e-6) & (np.diff(np.maximum.accumulate(ins)) > 1e-6)])
    return outs[rising], ins[rising]


def _fits(knots_out: Floats, knots_in: Floats, gap: int, out: float, where: float) -> bool:
    """Whether a knot between two others leaves both its stretches within the slope that may be."""
    outs = out - knots_out[gap - 1], knots_out[gap] - out
    ins = where - knots_in[gap - 1], knots_in[gap] - where
    return all(
        d_out >= 1 and 1 / MOST_TAKEN_UP <= d_in / d_out <= MOST_TAKEN_UP for d_out, d_in in zip(outs, ins, strict=True)
    )


def beginnings(sound: Samples, rate_hz: int) -> npt.NDArray[np.int64]:
    """Samples at which something sharply begins, ascending: by the energy of differences, which leaves hum out."""
    step = max(1, round(BEGINS_STEP_S * rate_hz))
    power = (np.diff(sound, axis=1, prepend=0.0) ** 2).sum(axis=0, dtype=np.float64)
    hops = np.add.reduceat(power, np.arange(0, power.size, step)) if power.size else power
    last, following = round(BEGINS_LAST_S / BEGINS_STEP_S), round(BEGINS_NEXT_S / BEGINS_STEP_S)
    sums = np.concatenate([[0.0], np.cumsum(hops)])
    k = np.arange(hops.size)
    before = (sums[k] - sums[np.maximum(k - last, 0)]) / last
    after = (sums[np.minimum(k + following, hops.size)] - sums[k]) / following
    floor = float(hops.max(initial=0.0)) * BEGINNINGS_FLOOR
    ratio = after / (before + floor + 1e-20)
    found: list[int] = []
    apart = BEGINNINGS_APART_S / BEGINS_STEP_S
    for hop in np.flatnonzero((ratio > BEGINS_TIMES) & (k >= last)).tolist():
        if found and hop - found[-1] < apart:
            if ratio[hop] > ratio[found[-1]] and hop - found[-1] <= following:
                found[-1] = hop
            continue
        found.append(hop)
    return np.array([_first_energy(power, hop * step, rate_hz) for hop in found], np.int64)


def _first_energy(power: Floats, near: int, rate_hz: int) -> int:
    """The sample at which a beginning's power first reaches a tenth of what it becomes."""
    first = max(0, near - round(BEGINS_STEP_S * rate_hz))
    after = power[first : near + round(BEGINS_NEXT_S * rate_hz)]
    return first + int(np.argmax(after >= 0.1 * after.max(initial=0.0))) if after.size else near


def _loudest(sound: Samples, size: int) -> float:
    """Power of the loudest frame's spectrum, summed over bins and channels, about."""
    if not sound.size:
        return 0.0
    whole = sound.shape[1] // size * size
    parts = (sound[:, :whole] ** 2).sum(axis=0, dtype=np.float64).reshape(-1, size).sum(axis=1)
    return float(parts.max(initial=0.0)) * size * 3 / 16


def _copy_whole(
    sound: Samples, positions: Positions, turned: npt.NDArray[np.bool_], size: int, step: int, result: Samples
) -> None:
    """Write samples themselves where all frames are plain and follow each other."""
    middles = positions.middles
    plain = ~turned
    plain[1:] &= np.diff(middles) == step
    # A sample lies in OVERLAP frames: those from OVERLAP // 2 before to as many after.
    edges = np.diff(np.concatenate([[0], plain.astype(np.int8), [0]]))
    for first, last in zip(np.flatnonzero(edges > 0).tolist(), np.flatnonzero(edges < 0).tolist(), strict=True):
        start = 0 if first == 0 else (first - 1) * step + size // 2
        stop = min((last - 1) * step - size // 2 + step, result.shape[1])
        shift = int(middles[first]) - first * step
        start, stop = max(start, -shift), min(stop, sound.shape[1] - shift)
        if stop > start:
            result[:, start:stop] = sound[:, start + shift : stop + shift]
