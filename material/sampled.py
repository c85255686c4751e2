"""Notes on sampled instruments (fluidsynth, a General MIDI bank) at known moments; mono float64 at 48 kHz."""

import ctypes
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import numpy as np

from material.devices import RATE_HZ

BANK = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
#: Sampled instruments begin with this where kinds of instruments are named.
SAMPLED = "sampled "
#: Numbers of General MIDI, from 0.
PROGRAMS = {
    "piano": 0,
    "harpsichord": 6,
    "music box": 10,
    "vibraphone": 11,
    "marimba": 12,
    "dulcimer": 15,
    "nylon": 24,
    "steel": 25,
    "electric": 27,
    "violin": 40,
    "viola": 41,
    "cello": 42,
    "harp": 46,
    "trumpet": 56,
    "horn": 60,
    "sax": 65,
    "oboe": 68,
    "bassoon": 70,
    "clarinet": 71,
    "flute": 73,
    "panpipe": 75,
    "banjo": 105,
    "koto": 107,
}
#: Events take effect on whole blocks of so many samples.
BLOCK = 64


class MissingInstrumentsError(RuntimeError):
    """The synthesiser or its bank is not installed."""


@lru_cache(maxsize=1)
def _synthesiser() -> tuple[ctypes.CDLL, ctypes.c_void_p]:
    try:
        library = ctypes.CDLL("libfluidsynth.so.3")
    except OSError as error:
        raise MissingInstrumentsError("fluidsynth is not installed") from error
    if not BANK.exists():
        raise MissingInstrumentsError("fluid-soundfont-gm is not installed")
    for name in ("new_fluid_settings", "new_fluid_synth"):
        getattr(library, name).restype = ctypes.c_void_p
    settings = ctypes.c_void_p(library.new_fluid_settings())
    library.fluid_settings_setnum(settings, b"synth.sample-rate", ctypes.c_double(RATE_HZ))
    for effect in (b"synth.reverb.active", b"synth.chorus.active"):
        library.fluid_settings_setint(settings, effect, 0)
    synth = ctypes.c_void_p(library.new_fluid_synth(settings))
    if library.fluid_synth_sfload(synth, str(BANK).encode(), 1) < 0:
        raise MissingInstrumentsError(f"{BANK} cannot be read")
    return library, synth


def on_blocks(times_s: np.ndarray) -> np.ndarray:
    """The nearest moments at which notes can begin, s."""
    return np.asarray(np.rint(times_s * RATE_HZ / BLOCK) * BLOCK / RATE_HZ)


def sampled(
    instrument: str, starts_s: np.ndarray, ends_s: np.ndarray, keys: Sequence[int], force: Sequence[int]
) -> np.ndarray:
    """One instrument; notes begin `on_blocks`, `keys` and `force` as in MIDI."""
    library, synth = _synthesiser()
    library.fluid_synth_all_sounds_off(synth, -1)
    library.fluid_synth_system_reset(synth)
    library.fluid_synth_program_change(synth, 0, PROGRAMS[instrument])
    events = [(int(round(s * RATE_HZ / BLOCK)), 1, key, hit) for s, key, hit in zip(starts_s, keys, force, strict=True)]
    events += [(int(round(s * RATE_HZ / BLOCK)), 0, key, 0) for s, key in zip(ends_s, keys, strict=True)]
    parts, at = [], 0
    for block, begins, key, hit in [*sorted(events), (int((ends_s[-1] + 1.5) * RATE_HZ / BLOCK), 2, 0, 0)]:
        if block > at:
            count = (block - at) * BLOCK
            left, right = (np.zeros(count, np.float32) for _ in range(2))
            library.fluid_synth_write_float(
                synth, count, left.ctypes.data_as(ctypes.c_void_p), 0, 1, right.ctypes.data_as(ctypes.c_void_p), 0, 1
            )
            parts.append(left + right)
            at = block
        if begins == 1:
            library.fluid_synth_noteon(synth, 0, int(key), int(hit))
        elif begins == 0:
            library.fluid_synth_noteoff(synth, 0, int(key))
    return np.concatenate(parts).astype(np.float64)
