"""Speech of which is known when each of its sounds begins (espeak-ng, flite). Times in s; mono float64 at 48 kHz."""

import ctypes
import difflib
import multiprocessing
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from multiprocessing.connection import Connection

import numpy as np
import soxr

from material.devices import RATE_HZ
from material.speech import MissingVoiceError
from material.spoken_flite import PAUSE, flite_spoken

VOICES = ("en-gb+m1", "en-us+f2", "en-gb-x-rp+m3", "en-us+m7", "en-gb+f4", "en-gb-x-gbcwmd+f1")
#: Kept aside: nothing was tuned on them.
VOICES_ASIDE = ("en-gb-scotland+f3", "en-029+m4", "en-gb-scotland+m2", "en-029+f1")
#: Voices of the other synthesiser begin with this.
FLITE = "flite:"
RECORDED_VOICES = ("flite:slt", "flite:kal16", "flite:awb", "flite:rms")


@dataclass(frozen=True, eq=False)
class Spoken:
    """What was said: `names` of its sounds and when each begins."""

    sound: np.ndarray
    names: tuple[str, ...]
    times_s: np.ndarray


@dataclass(frozen=True)
class Speaker:
    """A voice of the speech synthesiser, its words a minute and its pitch (0 to 99)."""

    voice: str
    words_per_minute: int
    pitch: int


class _Id(ctypes.Union):
    _fields_ = [("number", ctypes.c_int), ("name", ctypes.c_char_p), ("string", ctypes.c_char * 8)]


class _Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int),
        ("identifier", ctypes.c_uint),
        ("text_position", ctypes.c_int),
        ("length", ctypes.c_int),
        ("audio_ms", ctypes.c_int),
        ("sample", ctypes.c_int),
        ("user", ctypes.c_void_p),
        ("id", _Id),
    ]


#: Events of the synthesiser: the list's end, and the start of a phoneme.
_NO_MORE, _PHONEME = 0, 7
_CALLBACK = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(_Event))


def _synthesiser() -> tuple[ctypes.CDLL, int]:
    try:
        library = ctypes.CDLL("libespeak-ng.so.1")
    except OSError as error:
        raise MissingVoiceError("espeak-ng is not installed; `make setup` installs it") from error
    # Sound is handed over, nothing is played; phonemes are reported.
    return library, int(library.espeak_Initialize(1, 0, None, 1))


def spoken(text: str, speaker: Speaker) -> Spoken:
    """Speak a text, and tell when each of its phonemes begins."""
    if speaker.voice.startswith(FLITE):
        return _by_flite(text, speaker)
    # In a process of its own: the synthesiser remembers what it said before, and says the same words a little otherwise
    # then.
    fresh = multiprocessing.get_context("fork")
    receive, send = fresh.Pipe(duplex=False)
    process = fresh.Process(target=_say, args=(send, text, speaker))
    process.start()
    send.close()
    try:
        said = receive.recv()
    except EOFError as error:
        raise MissingVoiceError("espeak-ng said nothing") from error
    finally:
        process.join()
    if isinstance(said, MissingVoiceError):
        raise said
    sound, rate_hz, found = said
    return Spoken(
        soxr.resample(sound.astype(np.float64) / 32768, rate_hz, RATE_HZ, quality="VHQ"),
        tuple(name for name, _ in found),
        np.array([at for _, at in found]),
    )


def _say(send: Connection, text: str, speaker: Speaker) -> None:
    try:
        send.send(_said(text, speaker))
    except MissingVoiceError as error:
        send.send(error)


def _said(text: str, speaker: Speaker) -> tuple[np.ndarray, int, list[tuple[str, float]]]:
    """16-bit samples, their rate, and each phoneme with the moment at which it begins."""
    library, rate_hz = _synthesiser()
    blocks: list[np.ndarray] = []
    found: list[tuple[str, float]] = []

    def take(sound, count, events) -> int:  # type: ignore[no-untyped-def]
        if sound and count > 0:
            blocks.append(np.ctypeslib.as_array(sound, (count,)).copy())
        i = 0
        while events[i].type != _NO_MORE:
            if events[i].type == _PHONEME:
                found.append((events[i].id.string.decode(errors="replace"), events[i].sample / rate_hz))
            i += 1
        return 0

    callback = _CALLBACK(take)
    library.espeak_SetSynthCallback(callback)
    library.espeak_SetVoiceByName(speaker.voice.encode())
    library.espeak_SetParameter(1, speaker.words_per_minute, 0)
    library.espeak_SetParameter(3, speaker.pitch, 0)
    said = text.encode()
    library.espeak_Synth(said, len(said) + 1, 0, 1, 0, 1, None, None)
    library.espeak_Synchronize()
    return np.concatenate(blocks), rate_hz, sorted(found, key=lambda one: one[1])


def _by_flite(text: str, speaker: Speaker) -> Spoken:
    sound, phones = flite_spoken(text, speaker.voice.removeprefix(FLITE), speaker.words_per_minute, speaker.pitch)
    # What begins after a pause is told with silence before it: when it is heard is not known.
    known = [one for before, one in pairwise(phones) if one[0] != PAUSE and before[0] != PAUSE]
    return Spoken(sound, tuple(name for name, _ in known), np.array([at for _, at in known]))


def common_moments(one: Sequence[str], other: Sequence[str]) -> list[tuple[int, int]]:
    """Which sounds of two lists are the same, by the longest runs that both have."""
    matched = difflib.SequenceMatcher(None, one, other, autojunk=False).get_matching_blocks()
    return [(m.a + k, m.b + k) for m in matched if m.size >= 2 for k in range(m.size)]


def left_over(times_s: np.ndarray, end_s: float, common: Sequence[int], which: str) -> list[tuple[str, float, float]]:
    """Stretches of sounds that have no counterpart: `which` of the two, start and end."""
    edges, known = np.append(times_s, end_s), set(common)
    found: list[tuple[str, float, float]] = []
    for k in range(times_s.size):
        if k not in known:
            if found and found[-1][2] == edges[k]:
                found[-1] = (which, found[-1][1], float(edges[k + 1]))
            else:
                found.append((which, float(edges[k]), float(edges[k + 1])))
    return found
